"""What every reader of a file has in common: what was found out about the file, and its rows as texts.

A format is a module with `look(path, wanted)`, which finds out what the file does not say, and `rows(path, look)`, which gives the
headings and then each row. Values are texts, as people would type them; "" for none.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import islice
from typing import Any

from ..problem import Problem

MOST_COLUMNS = 500
LONGEST = 1_000_000  # characters of a value
SAMPLE = 1_000  # records that say the columns; those that come later have no others
Rows = Iterator[Sequence[str]]


@dataclass(frozen=True)
class Look:
    """How a file is read.

    format: its name in FORMATS. encoding, separator: of text files. sheet: of a workbook or a package; sheets: those that
    it has. path: of the rows within JSON or XML, names apart by "/"; paths: those that there are. heads: whether the first
    row names the columns. notes: what was found that people should know.
    """

    format: str
    encoding: str = ""
    separator: str = ""
    sheet: str = ""
    sheets: tuple[str, ...] = ()
    path: str = ""
    paths: tuple[str, ...] = ()
    heads: bool = True
    notes: tuple[str, ...] = ()

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Look:
        """The look behind what `asdict` made, out of JSON too, which has lists for tuples."""
        said: dict[str, Any] = {n: tuple(value) if isinstance(value, list) else value for n, value in kept.items()}
        return cls(**said)


def text_of(value: Any) -> str:
    """A value of a file as people would type it, to the last digit."""
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, datetime.datetime):
        return value.isoformat(" ")
    if isinstance(value, datetime.date | datetime.time | int | Decimal):
        return str(value)
    raise Problem(
        f"A value is a {type(value).__name__} and no single value.", "Choose rows further inside.", code="bad"
    )


def headed(rows: Iterable[Sequence[Any]], look: Look, where: str = "line") -> Rows:
    """Headings, each a name of its own, then rows of just as many texts. where: what a row is called in sentences.

    Raises Problem, naming the row, for one that is wider than the headings.
    """
    several = iter(rows)
    first = next(several, None)
    if first is None:
        raise Problem("The file has no rows.", "Choose another file, or another sheet of it.", code="bad")
    if len(first) > MOST_COLUMNS:
        hint = "Another separator may be meant, or another sheet."
        raise Problem(f"The file has {len(first):,} columns; at most {MOST_COLUMNS} can be read.", hint, code="bad")
    names = [text_of(value).strip() for value in first] if look.heads else []
    while look.heads and names and not names[-1]:
        names.pop()
    width = len(names) if look.heads else len(first)
    if not width:
        raise Problem("The first row names no columns.", "Say that the file has no headings.", code="bad")
    yield own_names([names[i] if i < len(names) and names[i] else f"Column {i + 1}" for i in range(width)])
    if not look.heads:
        yield _as_texts(first, width, where, 1)
    for number, row in enumerate(several, 2):
        texts = _as_texts(row, width, where, number)
        if any(texts):
            yield texts


def named(records: Iterator[Mapping[str, Any]], look: Look, where: str) -> Rows:
    """Headings and rows of records that say their names themselves: the first SAMPLE of them tell which columns there are.

    Raises Problem, naming the record, for a later one that has another name.
    """
    first = list(islice(records, SAMPLE))
    names = list(dict.fromkeys(name for record in first for name in record))

    def lines() -> Iterator[Sequence[Any]]:
        yield names or [""]
        for record in first:
            yield [record.get(name) for name in names]
        for number, record in enumerate(records, len(first) + 1):
            if beyond := record.keys() - set(names):
                sentence = f"{where.capitalize()} {number:,} has {min(beyond)}, which the first {SAMPLE:,} do not."
                raise Problem(sentence, "Give one of the first the name too, empty.", code="bad")
            yield [record.get(name) for name in names]

    return headed(lines(), replace(look, heads=True), where)


def _as_texts(row: Sequence[Any], width: int, where: str, number: int) -> list[str]:
    if len(row) > width and any(text_of(value).strip() for value in row[width:]):
        sentence = f"{where.capitalize()} {number:,} has {len(row)} values, and there are {width} columns."
        raise Problem(sentence, "A quote or a separator may be missing there.", code="bad")
    texts = [text_of(value) for value in row[:width]]
    if any(len(text) > LONGEST for text in texts):
        raise Problem(f"A value in {where} {number:,} has more than {LONGEST:,} characters.", "", code="bad")
    return [*texts, *[""] * (width - len(texts))]


def own_names(names: Sequence[str]) -> list[str]:
    """The names, a number behind those that come again."""
    made: list[str] = []
    for name in names:
        count, own = 1, name
        while own in made:
            count += 1
            own = f"{name} ({count})"
        made.append(own)
    return made
