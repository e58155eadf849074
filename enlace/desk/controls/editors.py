"""A second panel of a record on the same sheet: its editors alone, since the first one tells the record's state."""

from __future__ import annotations

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
    return {"editors": [drawing.editors[n] for n in names if n in drawing.editors], "panel_columns": columns}


EDITORS = Shown(context)
