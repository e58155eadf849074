"""What a grid shows, taken out as a file: all its rows in its order, with the draft laid over them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from django.http import HttpRequest, StreamingHttpResponse
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.exchange.csv_out import csv_lines, guarded
from enlace.core.kinds import TEXTS, raw_text

from .contexts import on_grid
from .controls.base import records_of
from .opening import grid_from, on_form
from .work import Work

AT_ONCE = 500  # rows that are read together


@require_GET
@on_form
def as_csv(request: HttpRequest, work: Work) -> StreamingHttpResponse:
    """The rows as CSV, sent as they are read. stored: values as they are stored, not as they are shown."""
    stored = request.GET.get("stored") == "1"
    fields = [field for field in on_grid(work, grid_from(request)).shown if field.kind not in ("picture", "binary")]
    heads = [field.name if stored else field.label for field in fields]
    name = re.sub(r"[^A-Za-z0-9_-]+", "-", work.part.title).strip("-") or "rows"
    work.window(0, 1)  # what is wrong with the rows is told before anything is sent
    return StreamingHttpResponse(
        csv_lines(heads, _texts(work, fields, stored)),
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}.csv"', "Cache-Control": "no-store"},
    )


def _texts(work: Work, fields: list[FieldSpec], stored: bool) -> Iterator[list[str]]:
    start = 0
    while True:
        rows, pending = work.window(start, AT_ONCE)
        whole = work.stored_of([row.id for row in rows if not row.id.startswith("p")])
        records = records_of(work, rows, pending, whole)
        if not stored:
            work.words.prefetch(work.dataset, records)
        for values in records:
            yield [_text(work, field, values, stored) for field in fields]
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
