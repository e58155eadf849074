"""The formats that rows can be taken out in, by name. Extensions add theirs."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import IO, Any

from .csv_out import csv_lines
from .incoming import own_names
from .json_out import json_lines, json_list
from .ods_out import write_ods
from .outgoing import Sheet
from .package_out import write_package
from .xlsx_out import write_xlsx
from .xml_out import xml_rows

Pieces = Callable[[Sequence[str], Iterable[Sequence[Any]]], Iterator[str]]


@dataclass(frozen=True)
class Writer:
    """label: for people. end: of file names. One of two ways: pieces, texts that are sent as they are written, of one
    table's heads and rows; or whole, what writes sheets into a file that is sent once it is closed. nests: the rows may have
    records inside (`outgoing.Inside`).
    """

    label: str
    media_type: str
    end: str
    pieces: Pieces | None = None
    whole: Callable[[IO[bytes], Iterable[Sheet]], None] | None = None
    nests: bool = False


def _named(pieces: Pieces) -> Pieces:
    """With a number behind heads that come again: an object can't have two values of one name."""
    return lambda heads, rows: pieces(own_names(heads), rows)


SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
WRITERS: dict[str, Writer] = {
    "csv": Writer("CSV", "text/csv", "csv", csv_lines),
    "xlsx": Writer("XLSX", SHEET, "xlsx", whole=write_xlsx),
    "ods": Writer("ODS", "application/vnd.oasis.opendocument.spreadsheet", "ods", whole=write_ods),
    "json": Writer("JSON", "application/json", "json", _named(json_list), nests=True),
    "jsonl": Writer("JSON Lines", "application/jsonl", "jsonl", _named(json_lines), nests=True),
    "xml": Writer("XML", "application/xml", "xml", _named(xml_rows), nests=True),
    "package": Writer("Data Package", "application/zip", "zip", whole=write_package),
}
