"""What no two rows of a file may both have: the key that a row names, and what the table keeps unique."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from enlace.core.dataset import DatasetSpec
from enlace.core.rules.together import MISSING

Held = tuple[tuple[str, str], ...]  # each the fields that it is of in words, and what a row has there as a text


class Alone:
    """What no two records of a dataset may both have. Asked for the texts of what rows have."""

    def __init__(self, dataset: DatasetSpec) -> None:
        self.dataset = dataset
        known = dataset.by_name.keys()
        # The columns of each constraint that keeps something unique, and what they are in words.
        self._uniques = [(columns, self._in_words(columns)) for columns in dataset.uniques if set(columns) <= known]

    def of(self, identifier: str, values: Mapping[str, Any]) -> Held:
        """What a record has. identifier: of the key that its row names, "" where it names none."""
        columns = {name: [value] for name, value in values.items()}
        return tuple((words, text) for words, [text] in self.of_columns([identifier], columns) if text is not None)

    def of_columns(
        self, identifiers: Sequence[str], columns: Mapping[str, Sequence[Any]]
    ) -> Iterator[tuple[str, list[str | None]]]:
        """What records have, each constraint for all of them, None where one has nothing. columns: each field's values."""
        if any(identifiers):
            yield self._in_words(self.dataset.key), [identifier or None for identifier in identifiers]
        for names, words in self._uniques:
            # What the database makes no file has.
            if names and all(name in columns for name in names):
                yield words, _texts(names, [columns[name] for name in names])

    def _in_words(self, columns: Sequence[str]) -> str:
        return " and ".join(self.dataset.by_name[name].label for name in columns)


def held_by(
    looked_at: Iterable[tuple[int, Held]], numbers: Sequence[int], alone: Sequence[tuple[str, Sequence[str | None]]]
) -> Iterator[tuple[str, Sequence[int], Sequence[str]]]:
    """What rows have: for each the fields that it is of in words, the numbers of the rows, rising, and the texts.

    looked_at: some rows, each its number and what it has. numbers, alone: of others, as `of_columns` tells it.
    """
    several: dict[str, list[tuple[int, str]]] = {}
    for number, held in looked_at:
        for words, text in held:
            several.setdefault(words, []).append((number, text))
    for words, texts in alone:
        if None not in texts and words not in several:
            yield words, numbers, texts  # type: ignore[misc]
        else:
            there = [(number, text) for number, text in zip(numbers, texts, strict=True) if text is not None]
            several.setdefault(words, []).extend(there)
    for words, here in several.items():
        here.sort()
        yield words, [number for number, _ in here], [text for _, text in here]


def _texts(names: Sequence[str], columns: Sequence[Sequence[Any]]) -> list[str | None]:
    first = f"{tuple(names)} "
    texts = f"{first}'"
    # NULL is equal to nothing.
    if len(columns) == 1:
        return [
            texts + value
            if value.__class__ is str
            else None
            if value is None or value is MISSING
            else f"{first}[{value!r}]"
            for value in columns[0]
        ]
    return [
        None if any(value is None or value is MISSING for value in taken) else first + str(list(taken))
        for taken in zip(*columns, strict=True)
    ]
