"""A picture: the image in a field of the record."""

from __future__ import annotations

from typing import Any

from enlace.core.form import Control

from ..sheet import Sheet
from .base import Drawing, Shown, label_of


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    editor = drawing.editors.get(control.field) if drawing.view is not None and drawing.work is not None else None
    there = editor is not None and editor.editor == "picture" and bool(editor.text)
    return {"label": label_of(control, field), "field": field, "text": editor.text if there and editor else ""}


PICTURE = Shown(context)
