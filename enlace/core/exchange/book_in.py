"""Rows of workbooks: Office Open XML (ECMA-376) and OpenDocument (ISO/IEC 26300), a sheet at a time."""

from __future__ import annotations

import datetime
import re
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import IO, Any

from python_calamine import CalamineError, CalamineSheet, CalamineWorkbook

from ..problem import Problem
from .incoming import Look, Rows, headed

MOST_BYTES = 1 << 30  # of what is packed in it
MOST_TIMES = 300  # that it may be packed smaller than it is
LOCKED = 1  # of the flags of an entry (ZIP, APPNOTE 4.4.4)
PACKINGS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
CONTENT = "content.xml"  # of a spreadsheet of OpenDocument
# What zipfile raises for an archive that is cut off, garbled, or packed in a way that it does not know.
TORN = (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, ValueError)
TAB = re.compile(rb"<[\w-]+:tab(?:\s[^<>]*)?/>")
PIECE = 1 << 20


def checked(path: Path) -> None:
    """Raises Problem for an archive that would be far larger unpacked than it says, or that is cut off."""
    try:
        with zipfile.ZipFile(path) as archive:
            size = sum(item.file_size for item in archive.infolist())
            locked = any(item.flag_bits & LOCKED for item in archive.infolist())
            strange = any(item.compress_type not in PACKINGS for item in archive.infolist())
    except TORN:
        raise Problem("The file is cut off, or no workbook at all.", "Get the whole file again.", code="bad") from None
    if locked or strange:
        what = "is locked by a password" if locked else "is packed in a way that is not read"
        raise Problem(f"The file {what}.", "Save it once more, without that.", code="bad")
    # Before it is opened by a library that unpacks it whole. The floor lets a small file of empty cells pass.
    if size > MOST_BYTES or size > MOST_TIMES * max(path.stat().st_size, 1 << 16):
        raise Problem(f"Unpacked the file would have {size:,} bytes; such files are not read.", "", code="bad")


def look(path: Path, wanted: Look) -> Look:
    """The sheets of a workbook."""
    book = _book(path)
    sheets = tuple(book.sheet_names)
    if not sheets:
        raise Problem("The workbook has no sheets.", "Choose another file.", code="bad")
    sheet = wanted.sheet if wanted.sheet in sheets else sheets[0]
    notes: tuple[str, ...] = ()
    if getattr(_sheet(book, sheet), "merged_cell_ranges", None):
        notes = ("The sheet has merged cells: what they hold is taken for the first of them only.",)
    return replace(wanted, sheets=sheets, sheet=sheet, notes=notes)


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the row."""
    return headed(lines(path, look), look)


def lines(path: Path, look: Look) -> Iterator[tuple[int, list[Any]]]:
    """The rows of a sheet as they stand, each with its number. Raises Problem."""
    return enumerate(_rows(_book(path), look), 1)


def _rows(book: CalamineWorkbook, look: Look) -> Iterator[list[Any]]:
    name = look.sheet or book.sheet_names[0]
    try:
        for row in _sheet(book, name).iter_rows():
            yield [_value(value) for value in row]
    except CalamineError as error:
        raise _broken(name, error) from None


def _sheet(book: CalamineWorkbook, name: str) -> CalamineSheet:
    try:
        return book.get_sheet_by_name(name)
    except CalamineError as error:
        raise _broken(name, error) from None


def _broken(name: str, error: Exception) -> Problem:
    hint = "Open the file in a spreadsheet and save it once more, or get the whole file again."
    return Problem(f"The sheet {name} can't be read: {error}.", hint, code="bad")


def _value(value: Any) -> Any:
    """A date without a time is a date; times of the day are what spreadsheets keep durations as, too."""
    # Workbooks have no dates without a time, and a field of dates would refuse midnight.
    if isinstance(value, datetime.datetime) and value.time() == datetime.time():
        return value.date()
    if isinstance(value, datetime.timedelta):
        return str(value)
    return value


def _book(path: Path) -> CalamineWorkbook:
    checked(path)
    try:
        with zipfile.ZipFile(path) as archive, tempfile.TemporaryFile() as copy:
            if not _has_tabs(archive):
                return CalamineWorkbook.from_path(str(path))
            _with_tabs(archive, copy)
            copy.seek(0)
            return CalamineWorkbook.from_filelike(copy)
    except (CalamineError, *TORN) as error:
        raise Problem(
            "The file is no workbook that can be read.", "Save it as XLSX or ODS.", str(error), "bad"
        ) from None


def _has_tabs(archive: zipfile.ZipFile) -> bool:
    """Whether texts of a spreadsheet of OpenDocument have tabs, which the library that reads them leaves out."""
    return CONTENT in archive.namelist() and any(TAB.search(piece) for piece in _elements(archive))


def _with_tabs(archive: zipfile.ZipFile, into: IO[bytes]) -> None:
    """A copy of the archive in which tabs are characters instead of elements (ISO/IEC 26300, section 6.1.4)."""
    with zipfile.ZipFile(into, "w") as copy:
        with copy.open(CONTENT, "w", force_zip64=True) as plain:
            for piece in _elements(archive):
                plain.write(TAB.sub(b"\t", piece))
        for name in archive.namelist():
            if name != CONTENT:
                copy.writestr(name, archive.read(name))


def _elements(archive: zipfile.ZipFile) -> Iterator[bytes]:
    """What is in a spreadsheet, in pieces that tear no element."""
    left = b""
    with archive.open(CONTENT) as content:
        while piece := content.read(PIECE):
            ready, close, left = (left + piece).rpartition(b">")
            yield ready + close
    yield left
