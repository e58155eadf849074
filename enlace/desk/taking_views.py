"""What a grid shows, taken out as a file: all its rows in its order, with the draft laid over them."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from typing import Any

from django.http import FileResponse, HttpRequest, StreamingHttpResponse
from django.template.loader import render_to_string
from django.utils.html import escape
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.totals import NUMBERS
from enlace.core.exchange.csv_out import csv_lines, guarded
from enlace.core.exchange.xlsx_out import write_xlsx
from enlace.core.kinds import KINDS, TEXTS, Nonconforming, raw_text

from .contexts import on_grid
from .controls.base import records_of
from .opening import grid_from, on_form
from .sentence import sentence_context
from .work import Work

MOST_PRINTED = 10_000
AT_ONCE = 500  # rows that are read together


@require_GET
@on_form
def as_csv(request: HttpRequest, work: Work) -> StreamingHttpResponse:
    """The rows as CSV, sent as they are read. stored: values as they are stored, not as they are shown."""
    stored = request.GET.get("stored") == "1"
    fields = _fields(request, work)
    heads = [field.name if stored else field.label for field in fields]
    work.window(0, 1)  # what is wrong with the rows is told before anything is sent
    lines = ([_text(work, field, values, stored) for field in fields] for values in _records(work, not stored))
    return StreamingHttpResponse(
        csv_lines(heads, lines),
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{_file_name(work)}.csv"', "Cache-Control": "no-store"},
    )


@require_GET
@on_form
def as_xlsx(request: HttpRequest, work: Work) -> FileResponse:
    """The rows as a workbook: numbers as numbers, dates as dates, and what lists show as texts."""
    fields = _fields(request, work)
    file = tempfile.TemporaryFile()  # noqa: SIM115 (whoever sends it closes it)
    lines = ([_value(work, field, values) for field in fields] for values in _records(work, True))
    write_xlsx(file, work.part.title, [field.label for field in fields], lines)
    file.seek(0)
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    headers = {"Cache-Control": "no-store"}
    return FileResponse(
        file, as_attachment=True, filename=f"{_file_name(work)}.xlsx", content_type=kind, headers=headers
    )


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


def _value(work: Work, field: FieldSpec, values: dict[str, Any]) -> Any:
    """A value as a cell of a workbook holds it."""
    raw = values.get(field.name)
    if raw is None or field.lookup:
        return work.words.of(work.dataset, field, values) or None
    read = KINDS[field.kind].read(raw, field)
    return raw_text(raw) if isinstance(read, Nonconforming) else bool(read) if field.kind == "yesno" else read
