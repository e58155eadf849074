"""A shown value: one field of the record, to be read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from enlace.core.dataset.totals import NUMBERS
from enlace.core.expression import ExpressionError
from enlace.core.form import Control
from enlace.core.kinds import KINDS

from ..sheet import Sheet
from .base import Drawing, Shown, label_of


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    told = {"label": label_of(control, field), "digits": bool(field and not field.lookup and field.kind in NUMBERS)}
    written = str(control.settings.get("format") or "")
    if field and written and not field.lookup and drawing.view is not None and drawing.work is not None:
        value = drawing.view.value(field.name)
        if not isinstance(value, ExpressionError):
            write = KINDS[field.kind].formatter(replace(field, format=written), drawing.work.formats)
            return {**told, "text": write(value)[:400]}
    return {**told, "text": drawing.text_of(field)[:400] if field else ""}


VALUE = Shown(context)
