"""Rows as a spreadsheet of OpenDocument (ISO/IEC 26300), written into its archive a row at a time."""

from __future__ import annotations

import datetime
import re
import zipfile
from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import IO, Any
from xml.sax.saxutils import escape, quoteattr

from .empties import marked
from .outgoing import Sheet
from .xlsx_out import MOST_DIGITS, SheetNames
from .xml_out import BARRED

MIME = "application/vnd.oasis.opendocument.spreadsheet"
MOST_ROWS = 1_048_576  # of a sheet, as spreadsheets have it
MANIFEST = f"""<?xml version="1.0" encoding="UTF-8"?>
<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.2">
<manifest:file-entry manifest:full-path="/" manifest:version="1.2" manifest:media-type="{MIME}"/>
<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>
</manifest:manifest>"""
OPENS = """<?xml version="1.0" encoding="UTF-8"?>
<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"
 xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" xmlns:number="urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0"
 office:version="1.2"><office:automatic-styles>
<number:date-style style:name="D"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/></number:date-style>
<number:date-style style:name="M"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/><number:text> </number:text><number:hours number:style="long"/><number:text>:</number:text><number:minutes number:style="long"/><number:text>:</number:text><number:seconds number:style="long"/></number:date-style>
<style:style style:name="date" style:family="table-cell" style:data-style-name="D"/>
<style:style style:name="moment" style:family="table-cell" style:data-style-name="M"/>
</office:automatic-styles><office:body><office:spreadsheet>"""
# Those that a reader leaves out (section 6.1.2): at either end of a paragraph, and all but the first of a run.
BLANKS = re.compile(r"^ | $|(?<=[ \t]) | (?=\t)")
CLOSES = "</office:spreadsheet></office:body></office:document-content>"


def write_ods(into: IO[bytes], sheets: Iterable[Sheet], most: int = MOST_ROWS) -> None:
    """Write a workbook. Values as in `xlsx_out.write_xlsx`; where a sheet is full the next one goes on."""
    names = SheetNames()
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", MIME, zipfile.ZIP_STORED)  # first and not packed, by the standard
        archive.writestr("META-INF/manifest.xml", MANIFEST)
        with archive.open("content.xml", "w", force_zip64=True) as content:
            content.write(OPENS.encode())
            for told in sheets:
                content.write(_opened(names.of(told.title), told.heads).encode())
                line = 1
                for values in told.rows:
                    if line >= most:
                        content.write(f"</table:table>{_opened(names.of(told.title), told.heads)}".encode())
                        line = 1
                    content.write(_row(values).encode())
                    line += 1
                content.write(b"</table:table>")
            content.write(CLOSES.encode())


def _opened(name: str, heads: Sequence[str]) -> str:
    return f"<table:table table:name={quoteattr(name)}>{_row(heads)}"


def _row(values: Sequence[Any]) -> str:
    return f"<table:table-row>{''.join(map(_cell, values))}</table:table-row>\n"


def _cell(value: Any) -> str:
    if value is None:
        return "<table:table-cell/>"
    if isinstance(value, bool):
        return f'<table:table-cell office:value-type="boolean" office:boolean-value="{str(value).lower()}"/>'
    if isinstance(value, int | float | Decimal) and _fits(value):
        return f'<table:table-cell office:value-type="float" office:value="{value}"/>'
    if isinstance(value, datetime.datetime) and value.tzinfo is None:
        return f'<table:table-cell table:style-name="moment" office:value-type="date" office:date-value="{value.isoformat()}"/>'
    if isinstance(value, datetime.date) and not isinstance(value, datetime.datetime):
        return f'<table:table-cell table:style-name="date" office:value-type="date" office:date-value="{value.isoformat()}"/>'
    # All that no typed cell holds exactly is a text: digits beyond a floating point number, zones of time, control
    # characters.
    plain = marked(value) if isinstance(value, str) else str(value)
    lines = BARRED.sub("�", plain).split("\n")
    text = "".join(f"<text:p>{_blanks(line)}</text:p>" for line in lines)
    return f'<table:table-cell office:value-type="string">{text}</table:table-cell>'


def _blanks(line: str) -> str:
    # A CR by itself XML would take for one more line; escaped it is a blank to spreadsheets, and comes back.
    return BLANKS.sub('<text:s text:c="1"/>', escape(line, {"\r": "&#13;"})).replace("\t", "<text:tab/>")


def _fits(value: int | float | Decimal) -> bool:
    number = Decimal(str(value))
    return number.is_finite() and len(number.normalize().as_tuple().digits) <= MOST_DIGITS
