"""What every reader of a file has in common: what was found out about the file, and its rows as texts.

A format is a module with `look(path, wanted)`, which finds out what the file does not say, and `rows(path, look)`, which gives the
headings and then each row with its place in the file. Values are texts, as people would type them; "" for none.
"""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import islice
from typing import Any

from ..kinds import Formats
from ..problem import Problem

MOST_COLUMNS = 500
LONGEST = 1_000_000  # characters of a value
AT_ONCE = 200  # rows that are looked at together
FIRST_ROWS = 30  # among which the headings are looked for
SAMPLE = 1_000  # records that say the columns; those that come later have no others
Row = tuple[int, Sequence[str]]  # the place in the file, as `PLACES` calls it, and the texts
Rows = Iterator[Row]
Lines = Iterable[tuple[int, Sequence[Any]]]
# What a place in a file of a format is called, counted from 1.
PLACES = {
    "csv": "line",
    "package": "line",
    "jsonl": "line",
    "xlsx": "row",
    "ods": "row",
    "json": "object",
    "xml": "element",
}


@dataclass(frozen=True)
class Look:
    """How a file is read.

    format: its name in FORMATS. encoding, separator: of text files. sheet: of a workbook or a package; sheets: those that
    it has. path: of the rows within JSON or XML, names apart by "/"; paths: those that there are. heads: whether the first
    row names the columns. above: how many rows stand above it, -1 where it is not known. written: the locale that numbers
    and dates are written in, "" where it is not known. notes: what was found that people should know.
    """

    format: str
    encoding: str = ""
    separator: str = ""
    sheet: str = ""
    sheets: tuple[str, ...] = ()
    path: str = ""
    paths: tuple[str, ...] = ()
    heads: bool = True
    above: int = -1
    written: str = ""
    notes: tuple[str, ...] = ()

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Look:
        """The look behind what `asdict` made, out of JSON too, which has lists for tuples."""
        said: dict[str, Any] = {n: tuple(value) if isinstance(value, list) else value for n, value in kept.items()}
        return cls(**said)

    @property
    def place(self) -> str:
        """What a place in the file is called."""
        return PLACES.get(self.format, "row")

    @property
    def may_lack_heads(self) -> bool:
        """Whether it is a question which row names the columns: values of other formats have names themselves."""
        return self.format in ("csv", "xlsx", "ods")


class Exact(float):
    """A number with a fraction, with all the digits that a file has of it, of which a float keeps some."""

    text: str

    def __new__(cls, text: str) -> Exact:
        made = super().__new__(cls, text)
        made.text = text
        return made


def text_of(value: Any, point: str = ".") -> str:
    """A value of a file as people would type it, to the last digit. point: the decimal sign of the file's own texts.

    >>> text_of(Decimal("0.125"), ","), text_of("0.125", ",")
    ('0,125', '0.125')
    """
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        if value.is_integer() and abs(value) < 1e15:
            return str(int(value))
        return (value.text if isinstance(value, Exact) else repr(value)).replace(".", point)
    if isinstance(value, datetime.datetime):
        return value.isoformat(" ")
    if isinstance(value, Decimal):
        return str(value).replace(".", point)
    if isinstance(value, datetime.date | datetime.time | int):
        return str(value)
    raise Problem(
        f"A value is a {type(value).__name__} and no single value.", "Choose rows further inside.", code="bad"
    )


def headed(lines: Lines, look: Look) -> Rows:
    """Headings, each a name of its own, then rows of just as many texts; rows with nothing in them are left out.

    Raises Problem, naming the place, for a row that is wider than the headings.
    """
    several = iter(lines)
    for _ in range(max(look.above, 0)):
        next(several, None)
    point = Formats.of(look.written).decimal if look.written else "."
    first, number = _first(several, point)
    if len(first) > MOST_COLUMNS:
        hint = "Another separator may be meant, or another sheet."
        raise Problem(f"The file has {len(first):,} columns; at most {MOST_COLUMNS} can be read.", hint, code="bad")
    names = [text_of(value).strip() for value in first] if look.heads else []
    while look.heads and names and not names[-1]:
        names.pop()
    width = len(names) if look.heads else len(first)
    yield 0, own_names([names[i] if i < len(names) and names[i] else f"Column {i + 1}" for i in range(width)])
    if not look.heads:
        yield number, _as_texts(first, width, look.place, number, point)
    place = look.place
    while some := list(islice(several, AT_ONCE)):
        if _are_texts([row for _, row in some], width):
            yield from some
            continue
        for number, row in some:
            texts = _as_texts(row, width, place, number, point)
            if any(texts):
                yield number, texts


def rows_above(lines: Lines) -> int:
    """How many rows stand above the headings, titles and blank ones: what has the columns of the rows below is no title.

    >>> rows_above([(1, ["Quays in March"]), (2, []), (3, ["code", "quay"]), (4, ["N1", "North"])])
    2
    """
    filled = [sum(bool(text_of(value).strip()) for value in row) for _, row in islice(lines, FIRST_ROWS)]
    # As many as most rows have, not as many as any: one that is too wide is a mistake that is told.
    [(common, _)] = Counter(filter(None, filled)).most_common(1) or [(0, 0)]
    return next((i for i, count in enumerate(filled) if count >= 0.75 * common), 0)


def _first(several: Iterator[tuple[int, Sequence[Any]]], point: str) -> tuple[Sequence[Any], int]:
    """The first row that has anything in it, and its place."""
    for number, row in several:
        if any(text_of(value, point).strip() for value in row):
            return row, number
    raise Problem("The file has no rows.", "Choose another file, or another sheet of it.", code="bad")


def named(records: Iterator[tuple[int, Mapping[str, Any]]], look: Look) -> Rows:
    """Headings and rows of records that say their names themselves: the first SAMPLE of them tell which columns there are.

    Raises Problem, naming the record, for a later one that has another name.
    """
    first = list(islice(records, SAMPLE))
    names = list(dict.fromkeys(name for _, record in first for name in record))

    def lines() -> Iterator[tuple[int, Sequence[Any]]]:
        yield 0, names
        for number, record in first:
            yield number, [record.get(name) for name in names]
        for number, record in records:
            if beyond := record.keys() - set(names):
                sentence = f"{look.place.capitalize()} {number:,} has {min(beyond)}, which the first {SAMPLE:,} do not."
                raise Problem(sentence, "Give one of the first the name too, empty.", code="bad")
            yield number, [record.get(name) for name in names]

    return headed(lines(), replace(look, heads=True, above=0))


def _are_texts(rows: Sequence[Sequence[Any]], width: int) -> bool:
    """Whether rows surely are as wide as the headings, texts already, with anything in them and none too long: seen by all at once,
    as most rows of text files are."""
    try:
        lengths = set(map(len, map("".join, rows)))
    except TypeError:
        return False
    return set(map(len, rows)) == {width} and min(lengths) > 0 and max(lengths) <= LONGEST


def _as_texts(row: Sequence[Any], width: int, where: str, number: int, point: str) -> list[str]:
    if len(row) > width and any(text_of(value).strip() for value in row[width:]):
        sentence = f"{where.capitalize()} {number:,} has {len(row)} values, and there {'is 1 column' if width == 1 else f'are {width} columns'}."
        raise Problem(
            sentence, "A quote or a separator may be missing there, or rows stand above the headings.", code="bad"
        )
    texts = [value if value.__class__ is str else text_of(value, point) for value in row[:width]]
    if max(map(len, texts), default=0) > LONGEST:
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
