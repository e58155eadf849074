"""Some rows of a file that is brought in: their texts, a column for each heading."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from enlace.core.exchange.csv_out import csv_text
from enlace.core.exchange.empties import EMPTY_TEXT, MARK, unmarked
from enlace.core.kinds.times import ISO_DATE
from enlace.core.model.whole_column import WholeColumn, whole

EVERYWHERE = "*"  # among what was mended by rows: by heading, what stands in the place of a text in all of them
# By the number of a row its texts by heading; under EVERYWHERE by heading texts by texts.
Mended = Mapping[str, Mapping]


@dataclass(frozen=True)
class Stretch:
    """numbers: of the rows, rising, counted from 1, without headings. columns: their texts by heading."""

    numbers: Sequence[int]
    columns: Mapping[str, WholeColumn[str]]

    def texts(self, at: int) -> dict[str, str]:
        """The texts of the row at a place, from 0, by heading."""
        return {head: column[at] for head, column in self.columns.items()}

    def texts_of(self, number: int) -> dict[str, str]:
        """The texts of the row with a number."""
        return self.texts(bisect_left(self.numbers, number))

    def some(self, places: Sequence[int]) -> Stretch:
        """The rows at some places, from 0."""
        if len(places) == len(self.numbers):
            return self
        columns = {head: WholeColumn([column[at] for at in places]) for head, column in self.columns.items()}
        return Stretch([self.numbers[at] for at in places], columns)

    def of_numbers(self, wanted: Collection[int]) -> Stretch:
        """The rows with some numbers."""
        return self.some([at for at, number in enumerate(self.numbers) if number in wanted])


def stretch_of(
    heads: Sequence[str],
    start: int,
    texts: Sequence[Sequence[str]],
    from_csv: bool,
    mended: Mended,
    moments: Iterable[str] = (),
) -> Stretch:
    """Rows as a file has them (texts: a column for each heading), from the one at a place on, what was mended in the place of
    what stands there. moments: headings of dates with a time where a date alone is one at midnight, as workbooks keep it.

    >>> stretch_of(["code", "quay"], 0, [["N1", "N2"], ["'", "North"]], True, {"2": {"quay": "South"}}).texts(1)
    {'code': 'N2', 'quay': 'South'}
    """
    numbers = range(start + 1, start + (len(texts[0]) if texts else 0) + 1)
    # What was taken out with an apostrophe before its = comes back without; other formats have typed cells and need none.
    read = csv_text if from_csv else unmarked
    columns: dict[str, list[str]] = {}
    for head, column in zip(heads, texts, strict=True):
        # Looked at as a whole first: most columns have none.
        texts_so = whole(column)
        marked = MARK in texts_so.joined
        columns[head] = [read(text) if text[:1] == MARK else text for text in column] if marked else texts_so
    for head in moments:
        columns[head] = [f"{text} 00:00" if ISO_DATE.fullmatch(text) else text for text in columns[head]]
    own = {number: mended[str(number)] for number in numbers if str(number) in mended} if mended else {}
    for head, instead in mended.get(EVERYWHERE, {}).items():
        if head in columns:
            columns[head] = [instead.get(text, text) for text in columns[head]]
    for head in {head for texts_by_head in own.values() for head in texts_by_head}:
        columns[head] = list(columns[head])  # what is known of it was found out by now
    for number, texts_by_head in own.items():
        for head, text in texts_by_head.items():
            columns[head][number - start - 1] = EMPTY_TEXT if text == MARK else text
    return Stretch(numbers, {head: whole(column) for head, column in columns.items()})
