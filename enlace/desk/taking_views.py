"""What a grid shows, taken out as a file: all its rows in its order, with the draft laid over them."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from typing import Any

from django.http import FileResponse, HttpRequest, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import render
from django.template.loader import render_to_string
from django.utils.html import escape
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.totals import NUMBERS
from enlace.core.exchange.csv_out import csv_lines, guarded
from enlace.core.exchange.incoming import own_names
from enlace.core.exchange.json_out import json_lines, json_list
from enlace.core.exchange.ods_out import write_ods
from enlace.core.exchange.package_out import write_package
from enlace.core.exchange.xlsx_out import write_xlsx
from enlace.core.exchange.xml_out import xml_rows
from enlace.core.extensions import EXPORTS
from enlace.core.kinds import KINDS, TEXTS, Nonconforming, raw_text
from enlace.core.model.catalog import Table
from enlace.core.problem import Problem
from enlace.core.server.catalog import Catalog

from .contexts import base_context, on_grid
from .controls.base import records_of
from .opening import grid_from, on_form
from .sentence import sentence_context
from .work import Work

MOST_PRINTED = 10_000
AT_ONCE = 500  # rows that are read together


def _csv(request: HttpRequest, work: Work, stored: bool) -> StreamingHttpResponse:
    """The rows as CSV, sent as they are read."""
    fields = _fields(request, work)
    heads = [field.name if stored else field.label for field in fields]
    work.window(0, 1)  # what is wrong with the rows is told before anything is sent
    lines = ([_text(work, field, values, stored) for field in fields] for values in _records(work, not stored))
    return StreamingHttpResponse(
        csv_lines(heads, lines),
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{_file_name(work)}.csv"', "Cache-Control": "no-store"},
    )


# Formats that are sent as they are written, and those that are whole only at their end: (writer, media type, file's end).
TEXTS_OUT = {
    "json": (json_list, "application/json", "json"),
    "jsonl": (json_lines, "application/jsonl", "jsonl"),
    "xml": (xml_rows, "application/xml", "xml"),
}
BOOKS_OUT = {
    "xlsx": (write_xlsx, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "xlsx"),
    "ods": (write_ods, "application/vnd.oasis.opendocument.spreadsheet", "ods"),
}


_SHOWN = (("csv", "CSV"), ("xlsx", "XLSX"), ("ods", "ODS"), ("json", "JSON"), ("jsonl", "JSON Lines"), ("xml", "XML"))
OFFERS = (
    ("All these rows as they are shown:", False, _SHOWN),
    ("As they are stored, to be brought in again:", True, (*_SHOWN, ("package", "Data Package"))),
)


@require_GET
@on_form
def take(request: HttpRequest, work: Work) -> HttpResponseBase:
    """The rows in a format. stored: values under the names of their fields as they are stored, so that they can be brought in
    again; else as they are shown. Without a format: what can be chosen."""
    wanted, stored = request.GET.get("format", ""), request.GET.get("stored") == "1"
    if not wanted:
        own = tuple((name, label) for name, (label, _, _, _) in EXPORTS.items())
        takes = [(heading, stored, (*formats, *own)) for heading, stored, formats in OFFERS]
        return render(request, "desk/take.html", {**base_context(work), "takes": takes})
    if wanted == "csv":
        return _csv(request, work, stored)
    fields = _fields(request, work)
    heads = [field.name if stored else field.label for field in fields]
    work.window(0, 1)  # what is wrong with the rows is told before anything is sent
    lines = ([_value(work, field, values, stored) for field in fields] for values in _records(work, not stored))
    texts_out = {**TEXTS_OUT, **{name: (write, kind, end) for name, (_, kind, end, write) in EXPORTS.items()}}
    if wanted in texts_out:
        write, kind, end = texts_out[wanted]
        return StreamingHttpResponse(
            write(own_names(heads), lines),
            content_type=f"{kind}; charset=utf-8",
            headers={
                "Content-Disposition": f'attachment; filename="{_file_name(work)}.{end}"',
                "Cache-Control": "no-store",
            },
        )
    file = tempfile.TemporaryFile()  # noqa: SIM115 (whoever sends it closes it)
    if wanted in BOOKS_OUT:
        write_book, kind, end = BOOKS_OUT[wanted]
        write_book(file, work.part.title, heads, lines)
    elif wanted == "package":
        kind, end = "application/zip", "zip"
        again = ([_value(work, field, values, True) for field in fields] for values in _records(work, False))
        write_package(file, work.part.title, work.dataset, fields, again, _table_of(work))
    else:
        raise Problem("There is no such format.", "Choose one of the list.", code="bad")
    file.seek(0)
    name = f"{_file_name(work)}.{end}"
    return FileResponse(
        file, as_attachment=True, filename=name, content_type=kind, headers={"Cache-Control": "no-store"}
    )


def _table_of(work: Work) -> Table | None:
    """What the catalog knows of the table behind the rows; nothing where they are a query's, or the server is away."""
    if work.dataset.query or not work.dataset.table:
        return None
    try:
        return Catalog.of(work.spec).table(work.dataset.table)
    except Problem:
        return None


@require_GET
@on_form
def as_table(request: HttpRequest, work: Work) -> StreamingHttpResponse:
    """The rows as a plain table to be printed, at most MOST_PRINTED of them; sent as they are read."""
    fields = _fields(request, work)
    work.window(0, 1)
    numbers = [field for field in fields if field.kind in NUMBERS and not field.lookup]
    context = {"title": work.part.title, "fields": fields, "numbers": numbers, "said": _said(work), "when": localtime()}
    head = render_to_string("desk/table_head.html", context, request)
    return StreamingHttpResponse(_table(work, fields, numbers, head), content_type="text/html; charset=utf-8")


def _table(work: Work, fields: list[FieldSpec], numbers: list[FieldSpec], head: str) -> Iterator[str]:
    yield head
    for count, values in enumerate(_records(work, True)):
        if count >= MOST_PRINTED:
            left = f"These are the first {MOST_PRINTED:,} rows. Filter them to print others."
            yield f'<tr><td colspan="{len(fields)}">{left}</td></tr>'
            break
        cells = (
            (' class="end"' if f in numbers else "", escape(work.words.of(work.dataset, f, values))) for f in fields
        )
        yield f"<tr>{''.join(f'<td{css}>{text}</td>' for css, text in cells)}</tr>"
    yield "</tbody></table></body></html>"


def _said(work: Work) -> str:
    """Which rows these are, in words."""
    context = sentence_context(work)
    filters = ", ".join(said.words for said in context["filters_said"] if not said.off)
    orders = ", ".join(said.words for said in (*context["groups_said"], *context["orders_said"]))
    parts = [f"Filtered: {filters}." if filters else "", f"In the order of {orders}." if orders else ""]
    return " ".join(part for part in parts if part)


def _fields(request: HttpRequest, work: Work) -> list[FieldSpec]:
    return [field for field in on_grid(work, grid_from(request)).shown if field.kind not in ("picture", "binary")]


def _file_name(work: Work) -> str:
    return re.sub(r"[^A-Za-z0-9_-]+", "-", work.part.title).strip("-") or "rows"


def _records(work: Work, shown: bool) -> Iterator[dict[str, Any]]:
    """All rows as records, read as they are sent. shown: what lists show of them will be asked for."""
    start = 0
    while True:
        rows, pending = work.window(start, AT_ONCE)
        whole = work.stored_of([row.id for row in rows if not row.id.startswith("p")])
        records = records_of(work, rows, pending, whole)
        if shown:
            work.words.prefetch(work.dataset, records)
        yield from records
        start += len(rows)
        if len(rows) < AT_ONCE:
            return


def _text(work: Work, field: FieldSpec, values: dict[str, Any], stored: bool) -> str:
    value = values.get(field.name)
    if stored:
        text = "" if value is None else raw_text(value)
        return guarded(text) if isinstance(value, str) else text
    text = work.words.of(work.dataset, field, values)
    return guarded(text) if field.kind in TEXTS or field.lookup else text


def _value(work: Work, field: FieldSpec, values: dict[str, Any], stored: bool) -> Any:
    """A value as one of its kind: a number, a date, a text. stored: of a list the key, not what it shows."""
    raw = values.get(field.name)
    if raw is None and stored:
        return None
    if raw is None or (field.lookup and not stored):
        return work.words.of(work.dataset, field, values) or None
    read = KINDS[field.kind].read(raw, field)
    return raw_text(raw) if isinstance(read, Nonconforming) else bool(read) if field.kind == "yesno" else read
