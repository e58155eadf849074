"""A chart of the rows of a source: values by groups."""

from __future__ import annotations

from typing import Any

from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.kinds.chart import FUNCTIONS
from enlace.core.problem import Problem

from ..charts import amounts, drawn
from ..sheet import Sheet
from .base import Drawing, Shown


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    kind, work = CONTROL_KINDS["chart"], drawing.work
    function, shape = kind.value(control.settings, "function"), kind.value(control.settings, "shape")
    fields = drawing.part.dataset.any_name
    by, of = fields.get(kind.value(control.settings, "by")), fields.get(kind.value(control.settings, "of"))
    if function == "count":
        of = None
    words = dict(FUNCTIONS)[function] + (f" of {of.label}" if of else "")
    label = control.settings.get("label") or (f"{words} by {by.label}" if by else "Chart")
    told: dict[str, Any] = {"label": label, "shape": shape, "by": by.label if by else "", "of": words, "wrong": ""}
    if by is None or (function != "count" and (of is None or of.kind not in ("whole", "decimal"))):
        return {**told, "wrong": "Choose the field to group by, and the number to show, in the control's settings."}
    if work is None:
        return {**told, "wrong": "There is no record to show this of."}
    try:
        groups = amounts(work, by, of, function)
    except Problem as problem:
        return {**told, "wrong": str(problem)}
    if not groups:
        return {**told, "wrong": "There are no rows to show."}
    return {**told, "drawn": drawn(groups, shape, of, work)}


CHART = Shown(context, "rows")
