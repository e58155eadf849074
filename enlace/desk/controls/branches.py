"""Rows that open: each shows the rows of its details inside it, asked for when it is opened."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control, FormDocument
from enlace.core.form.fields import FIRST, WIDE, fields_of

from ..sheet import Sheet
from .base import Drawing, Shown, texts_of
from .pages import Lines, page_of

MOST = 60  # rows at a time: of a control the page in which the current one is, inside a row the first, others as one comes to them


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    label = control.settings.get("label") or drawing.part.title
    if drawing.work is None:
        return {"label": label, "branches": []}
    page = page_of(drawing, fields_of(control, drawing.work.dataset), MOST)
    return {"label": label, "page": page, "branches": _branches(sheet.document, sheet, drawing, page.lines)}


def inside(document: FormDocument, sheet: Sheet, drawing: Drawing, start: int) -> dict[str, Any]:
    """The rows of a detail from a position on, to stand inside the row of their master. later: where those behind them are."""
    lines = texts_of(drawing, _shown_first(drawing), MOST + 1, start)
    later = f"{drawing.work.address}branches?start={start + MOST}" if len(lines) > MOST else ""
    return {"branches": _branches(document, sheet, drawing, lines[:MOST]), "later": later}


def _branches(document: FormDocument, sheet: Sheet, drawing: Drawing, lines: Lines) -> list[dict[str, Any]]:
    """Rows of a part, with the parts that open inside each."""
    work = drawing.work
    source = sheet.source_names[drawing.part.name]
    below = [work.parts[sheet.part_names[under.name]] for under in document.under(source)]
    current = drawing.view.id if drawing.view is not None else None
    return [
        {
            "id": row.id,
            "position": row.position,
            "texts": [(field.label, text) for field, text in texts],
            "current": row.id == current,
            "inside": [{"title": part.title, "at": work.address_of(work.form, part, row.id)} for part in below],
        }
        for row, texts in lines
    ]


def _shown_first(drawing: Drawing) -> list[str]:
    """The fields that rows inside others show: the first of what their part shows, but for what links them to these."""
    narrow = [field.name for field in drawing.work.dataset.shown if field.kind not in WIDE]
    own = [name for name in narrow if name not in drawing.part.columns]
    return (own or narrow)[: FIRST["branches"]]


BRANCHES = Shown(context, "rows")
