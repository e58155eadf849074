"""A second panel of a record on the same sheet: its editors alone, since the first one tells the record's state."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.fields import fields_of

from ..sheet import Sheet
from .base import Drawing, Shown


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    columns = CONTROL_KINDS["panel"].value(control.settings, "columns")
    if drawing.view is None or drawing.work is None:
        return {"editors": [], "panel_columns": columns}
    names = fields_of(control, drawing.part.dataset)
    shown = [
        replace(drawing.editors[name], twin=sheet.twin(control, name, drawing.part.dataset))
        for name in names
        if name in drawing.editors
    ]
    return {"editors": shown, "panel_columns": columns}


EDITORS = Shown(context)
