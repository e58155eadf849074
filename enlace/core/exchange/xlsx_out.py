"""Rows as a workbook (Office Open XML, ECMA-376), a row at a time: what was written leaves memory for the disk."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from decimal import Decimal
from itertools import islice
from typing import IO, Any

import xlsxwriter
from xlsxwriter.format import Format
from xlsxwriter.workbook import Workbook
from xlsxwriter.worksheet import Worksheet

from .empties import MARK, marked
from .outgoing import CUT_OFF, Sheet

MOST_ROWS = 1_048_576  # of a sheet, as the format has it
LONGEST = 32_767  # characters of a cell, in units of UTF-16
SHORT = LONGEST // 2  # no text of so many characters is longer
BLOCK = 1_000  # rows that are looked at together
MARKED = ("", MARK)  # what begins a text that `marked` may change
MOST_DIGITS = 15  # of a number: cells are floating point numbers, more of them would be other digits
FIRST_DAY = datetime.date(1900, 3, 1)  # the format takes 1900 for a leap year: before that its days are one off
PLAIN = re.compile(f"(?:-?[0-9.]{{1,{MOST_DIGITS}}}(?: |$))+")
NUMBERS = {int, float, Decimal}
Write = Callable[[Worksheet, int, int, Any], object]
SHAPES = {"date": "yyyy-mm-dd", "time": "hh:mm:ss", "datetime": "yyyy-mm-dd hh:mm:ss"}


def write_xlsx(into: IO[bytes], sheets: Iterable[Sheet], most: int = MOST_ROWS) -> None:
    """Write a workbook; what a cell can't hold is a text.

    Texts are texts, whatever they begin with: no cell is a formula. Where a sheet is full (`most` rows, its heads
    included) the next one goes on.
    """
    book = xlsxwriter.Workbook(
        into,
        {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False},
    )
    shapes = {name: book.add_format({"num_format": shape}) for name, shape in SHAPES.items()}
    bold = book.add_format({"bold": True})
    names = SheetNames()
    for told in sheets:
        sheet, line = _sheet(book, names.of(told.title), told.heads, bold), 1
        for rows in _blocks(told.rows):
            columns = [_column(values, shapes) for values in zip(*rows, strict=True)]
            writes = [write for write, _ in columns]
            for values in zip(*(values for _, values in columns), strict=True):
                if line >= most:
                    sheet, line = _sheet(book, names.of(told.title), told.heads, bold), 1
                for column, value in enumerate(values):
                    if value is not None:
                        writes[column](sheet, line, column, value)
                line += 1
    book.close()


def _blocks(rows: Iterable[Sequence[Any]]) -> Iterator[list[Sequence[Any]]]:
    left = iter(rows)
    while block := list(islice(left, BLOCK)):
        yield block


class SheetNames:
    """Names that no two sheets share, without what formats do not allow in them, at most 31 letters."""

    def __init__(self) -> None:
        self.taken: set[str] = set()

    def of(self, title: str) -> str:
        """A name for one more sheet: a number stands behind those that come again."""
        stem = "".join(c for c in title if c not in "[]:*?/\\'")[:24].strip() or "Rows"
        name, count = stem, 1
        while name.casefold() in self.taken:
            count += 1
            name = f"{stem} {count}"
        self.taken.add(name.casefold())
        return name


def _sheet(book: Workbook, name: str, heads: Sequence[str], bold: Format) -> Worksheet:
    sheet = book.add_worksheet(name)
    sheet.freeze_panes(1, 0)
    for column, head in enumerate(heads):
        sheet.write_string(0, column, head[:LONGEST], bold)
    return sheet


def _column(values: Sequence[Any], shapes: dict[str, Format]) -> tuple[Write, Sequence[Any]]:
    """How the values of a column are written, and what is: values of one class are all looked at once."""
    classes = set(map(type, values)) - {type(None)}
    if classes == {str}:
        return Worksheet.write_string, _texts(values)
    if classes == {bool}:
        return Worksheet.write_boolean, values
    if classes <= NUMBERS and _all_fit(values):
        return Worksheet.write_number, [v if v is None else float(v) for v in values] if Decimal in classes else values
    told = {_shape(value) for value in values if value is not None} if len(classes) == 1 else {""}
    if len(told) == 1 and "" not in told:
        shape = shapes[told.pop()]
        return lambda sheet, line, column, value: sheet.write_datetime(line, column, value, shape), values
    return lambda sheet, line, column, value: _cell(sheet, line, column, value, shapes), values


def _texts(values: Sequence[str | None]) -> Sequence[str | None]:
    """Texts as cells have them; mostly as they are."""
    if not any(text is not None and (text[:1] in MARKED or len(text) > SHORT) for text in values):
        return values
    return [None if text is None else _cut(marked(text)) for text in values]


def _cut(text: str) -> str:
    """A text that a cell holds: the format counts units of UTF-16."""
    if len(text) <= SHORT or (units := len(packed := text.encode("utf-16-le", "surrogatepass")) // 2) <= LONGEST:
        return text
    kept = packed[: 2 * (LONGEST - len(CUT_OFF))] if units > LONGEST else packed
    return kept.decode("utf-16-le", "ignore") + CUT_OFF


def _cell(sheet: Worksheet, line: int, column: int, value: Any, shapes: dict[str, Format]) -> None:
    """A cell of a column that holds values of several classes."""
    # Before numbers, since True is one to Python.
    if isinstance(value, bool):
        sheet.write_boolean(line, column, value)
    elif isinstance(value, int | float | Decimal) and _fits(value):
        sheet.write_number(line, column, float(value))
    elif shape := _shape(value):
        sheet.write_datetime(line, column, value, shapes[shape])
    else:
        sheet.write_string(line, column, _cut(marked(value) if isinstance(value, str) else str(value)))


def _all_fit(values: Iterable[int | float | Decimal | None]) -> bool:
    """Whether cells give the very numbers again."""
    given = [value for value in values if value is not None]
    # Neither a word nor with an exponent, and no longer than its digits may be: most numbers.
    return PLAIN.fullmatch(" ".join(map(str, given))) is not None or all(map(_fits, given))


def _fits(value: int | float | Decimal) -> bool:
    number = Decimal(str(value))
    return (
        number.is_finite()
        and len(number.normalize().as_tuple().digits) <= MOST_DIGITS
        and abs(number) < Decimal("1e300")
    )


def _shape(value: Any) -> str:
    """What a date or time is shown as; "" for what is none, or is none that the format knows."""
    if isinstance(value, datetime.datetime):
        return "datetime" if value.tzinfo is None and value.date() >= FIRST_DAY and not value.microsecond % 1000 else ""
    if isinstance(value, datetime.date):
        return "date" if value >= FIRST_DAY else ""
    if isinstance(value, datetime.time):
        return "time" if value.tzinfo is None and not value.microsecond % 1000 else ""
    return ""
