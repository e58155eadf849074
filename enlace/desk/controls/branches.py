"""Rows that open: each shows the rows of its details inside it, asked for when it is opened."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control, FormDocument
from enlace.core.form.fields import FIRST, WIDE, fields_of

from ..sheet import Sheet
from .base import Drawing, Shown, texts_of

MOST = 60


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    label = control.settings.get("label") or drawing.part.title
    if drawing.work is None:
        return {"label": label, "branches": [], "more": False}
    names = fields_of(control, drawing.work.dataset)
    return {"label": label, **branches_of(sheet.document, sheet, drawing, names)}


def branches_of(document: FormDocument, sheet: Sheet, drawing: Drawing, names: list[str]) -> dict[str, Any]:
    """The rows of a part, each with the parts that open inside it. names: the fields that are shown of each."""
    work = drawing.work
    source = sheet.source_names[drawing.part.name]
    inside = [work.parts[sheet.part_names[below.name]] for below in document.under(source)]
    current = drawing.view.id if drawing.view is not None else None
    lines = texts_of(drawing, names, MOST + 1)
    return {
        "branches": [
            {
                "id": row.id,
                "position": row.position,
                "texts": [(field.label, text) for field, text in texts],
                "current": row.id == current,
                "inside": [{"title": part.title, "at": work.address_of(work.form, part, row.id)} for part in inside],
            }
            for row, texts in lines[:MOST]
        ],
        "more": len(lines) > MOST,
    }


def shown_first(drawing: Drawing) -> list[str]:
    """The fields that rows inside others show: the first of what their part shows, but for what links them to these."""
    narrow = [field.name for field in drawing.work.dataset.shown if field.kind not in WIDE]
    own = [name for name in narrow if name not in drawing.part.columns]
    return (own or narrow)[: FIRST["branches"]]


BRANCHES = Shown(context, "rows")
