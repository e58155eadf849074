"""A shown value: one field of the record, to be read."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control

from ..sheet import Sheet
from .base import Drawing, Shown, label_of


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    return {"label": label_of(control, field), "text": drawing.text_of(field)[:400] if field else ""}


VALUE = Shown(context)
