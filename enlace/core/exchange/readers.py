"""The formats that can be brought in, by name, and what a file most likely is."""

from __future__ import annotations

import codecs
import zipfile
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from types import ModuleType

from ..problem import Problem
from . import book_in, csv_in, json_in, package_in, xml_in
from .incoming import SAMPLE, Look, Rows, headed, rows_above
from .written import way_found


@dataclass(frozen=True)
class Format:
    """label: for people. reader: the module that reads it. ends: of file names."""

    label: str
    reader: ModuleType
    ends: tuple[str, ...]


FORMATS = {
    "csv": Format("Separated values (CSV, TSV)", csv_in, (".csv", ".tsv", ".txt", ".tab")),
    "json": Format("JSON", json_in, (".json",)),
    "jsonl": Format("JSON Lines", json_in, (".jsonl", ".ndjson")),
    "xml": Format("XML", xml_in, (".xml",)),
    "xlsx": Format("Workbook (XLSX)", book_in, (".xlsx", ".xlsm")),
    "ods": Format("Workbook (ODS)", book_in, (".ods",)),
    "package": Format("Data Package", package_in, (".zip",)),
}
BOOKS = ("xlsx", "ods")


def guessed(path: Path, name: str) -> str:
    """The format of a file, by what it begins with, then by its name."""
    with path.open("rb") as file:
        # By its content before its name: a workbook that a mail program called .csv is a workbook.
        begins = file.read(64).lstrip(b"\xef\xbb\xbf \t\r\n")
    if begins.startswith(b"PK"):
        try:
            names = zipfile.ZipFile(path).namelist()
        except book_in.TORN:
            return "xlsx"  # its reader says that it is cut off
        if package_in.DESCRIPTOR in names:
            return "package"
        return "ods" if "content.xml" in names else "xlsx"
    end = Path(name).suffix.lower()
    named = next((format for format, known in FORMATS.items() if end in known.ends), "")
    if named in ("xlsx", "ods", "package"):
        return "csv"  # it is no archive, whatever it is called
    if named:
        return named
    return "xml" if begins.startswith(b"<") else "json" if begins[:1] in (b"[", b"{") else "csv"


def looked(path: Path, wanted: Look) -> Look:
    """What there is to know of a file. Raises Problem."""
    try:
        codecs.lookup(wanted.encoding or "utf-8")
        look: Look = _format(wanted).reader.look(path, wanted)
    except (UnicodeError, LookupError):
        raise Problem("The file can't be read with this encoding.", "Choose another one.", code="bad") from None
    return look


def begun_so(path: Path, look: Look, own: str) -> Look:
    """Where the headings of a file stand, and how it writes numbers and dates: found by its first rows, which are read once,
    as far as nobody said it. own: the locale of who reads it.

    Raises Problem.
    """
    if look.format == "package":
        return replace(look, above=0, written="en_GB")  # its schema says how, and what is read by it is plain
    if look.above >= 0 and look.written:
        return look
    if look.may_lack_heads:
        first = list(islice(_format(look).reader.lines(path, look), SAMPLE + max(look.above, 0)))
        if look.above < 0:
            look = replace(look, above=rows_above(first) if look.heads else 0)
        begins = headed(first, look)
    else:
        look, begins = replace(look, above=0), rows(path, look)
    if look.written:
        return look
    # Points group digits in few files that programs write; a semicolon stands between the values of those that have
    # commas in their numbers, and what is a text in a workbook was typed by people.
    pointed = look.format not in BOOKS and look.separator != ";"
    texts = (row for _, row in islice(begins, 1, SAMPLE))
    return replace(look, written=way_found(texts, own, pointed))


def rows(path: Path, look: Look) -> Rows:
    """The headings of a file, then its rows, as texts. Raises Problem while they are read."""
    several: Rows = _format(look).reader.rows(path, look)
    return several


def _format(look: Look) -> Format:
    if look.format not in FORMATS:
        raise Problem("There is no such format.", "Choose one of the list.", code="bad")
    return FORMATS[look.format]
