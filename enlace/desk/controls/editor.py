"""An editor of one field."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from enlace.core.form import Control
from enlace.core.kinds import TEXTS

from ..sheet import Sheet
from .base import Drawing, Shown, label_of


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    label = label_of(control, field)
    if drawing.view is None or field is None or drawing.work is None:
        return {"label": label, "one": None}
    editor = drawing.editors.get(control.field)
    if editor is not None:
        fixed = bool(control.settings.get("read_only")) or not drawing.holds(control.settings.get("usable_when"))
        typed_in = str(control.settings.get("editor") or "")
        if typed_in and {typed_in, editor.editor} == {"line", "lines"} and field.kind in TEXTS:
            editor = replace(editor, editor=typed_in)
        editor = replace(editor, field=replace(editor.field, label=label), fixed=editor.fixed or fixed)
        editor = replace(editor, twin=sheet.twin(control, control.field, drawing.part.dataset))
    return {"label": label, "one": editor}


EDITOR = Shown(context)
