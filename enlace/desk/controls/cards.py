"""Cards: a record each, with a few of its fields."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control
from enlace.core.form.fields import fields_of

from ..sheet import Sheet
from .base import Drawing, Shown, texts_of

MOST = 60


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    if drawing.work is None:
        return {"cards": []}
    current = drawing.view.id if drawing.view is not None else None
    return {
        "cards": [
            {
                "id": row.id,
                "position": row.position,
                "lines": [(field.label, text) for field, text in texts],
                "current": row.id == current,
            }
            for row, texts in texts_of(drawing, fields_of(control, drawing.work.dataset), MOST)
        ]
    }


CARDS = Shown(context, "rows")
