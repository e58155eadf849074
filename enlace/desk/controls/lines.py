"""A list: a line for each record, by which one moves; in groups where it is given a field for them."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control
from enlace.core.form.fields import fields_of

from ..sheet import Sheet
from .base import Drawing, Shown
from .pages import page_of

MOST = 300


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    label = control.settings.get("label") or drawing.part.title
    if drawing.work is None:
        return {"label": label, "groups": []}
    current = drawing.view.id if drawing.view is not None else None
    by = str(control.settings.get("by") or "")
    names = fields_of(control, drawing.work.dataset)
    groups: dict[str, list[dict[str, Any]]] = {}
    page = page_of(drawing, [*names, by], MOST)
    for row, texts in page.lines:
        group = next((text or "None" for field, text in texts if field.name == by), "")
        words = " · ".join(text for field, text in texts if field.name in names and text)
        line = {"id": row.id, "position": row.position, "words": words or "—", "current": row.id == current}
        groups.setdefault(group, []).append(line)
    return {"label": label, "groups": sorted(groups.items()) if by else list(groups.items()), "page": page}


LIST = Shown(context, "rows")
