"""Rows as a workbook (Office Open XML, ECMA-376), a row at a time: what was written leaves memory for the disk."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import IO, Any

import xlsxwriter
from xlsxwriter.format import Format
from xlsxwriter.workbook import Workbook
from xlsxwriter.worksheet import Worksheet

from .empties import marked
from .outgoing import CUT_OFF, Sheet

MOST_ROWS = 1_048_576  # of a sheet, as the format has it
LONGEST = 32_767  # characters of a cell
MOST_DIGITS = 15  # of a number: cells are floating point numbers, more of them would be other digits
FIRST_DAY = datetime.date(1900, 3, 1)  # the format takes 1900 for a leap year: before that its days are one off
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
        for values in told.rows:
            if line >= most:
                sheet, line = _sheet(book, names.of(told.title), told.heads, bold), 1
            for column, value in enumerate(values):
                _cell(sheet, line, column, value, shapes)
            line += 1
    book.close()


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


def _cell(sheet: Worksheet, line: int, column: int, value: Any, shapes: dict[str, Format]) -> None:
    if value is None:
        return
    if value.__class__ is str:  # most cells
        _write_text(sheet, line, column, marked(value))
    # Before numbers, since True is one to Python.
    elif isinstance(value, bool):
        sheet.write_boolean(line, column, value)
    elif isinstance(value, int | float | Decimal) and _fits(value):
        sheet.write_number(line, column, float(value))
    elif shape := _shape(value):
        sheet.write_datetime(line, column, value, shapes[shape])
    else:
        _write_text(sheet, line, column, marked(value) if isinstance(value, str) else str(value))


def _write_text(sheet: Worksheet, line: int, column: int, text: str) -> None:
    sheet.write_string(line, column, text if len(text) <= LONGEST else text[: LONGEST - len(CUT_OFF)] + CUT_OFF)


def _fits(value: int | float | Decimal) -> bool:
    """Whether a cell gives the very number again."""
    written = str(value)
    # Neither a word nor with an exponent, and no longer than its digits may be: most numbers.
    if len(written) <= MOST_DIGITS and written.replace(".", "", 1).lstrip("-").isdecimal():
        return True
    number = Decimal(written)
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
