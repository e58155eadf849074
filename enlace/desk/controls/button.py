"""A button that runs an act: off, with the reason, where its act makes no sense."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.urls import reverse

from enlace.core.dataset.filters import exactly_text
from enlace.core.dataset.query import parameters_of
from enlace.core.expression import ExpressionError
from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.kinds.button import ACTS
from enlace.core.kinds import raw_text
from enlace.core.model.values import record_id
from enlace.core.problem import Problem
from enlace.workshop.definitions import as_defined
from enlace.workshop.models import Form

from ..addresses import GIVEN, ONLY
from ..sheet import Sheet
from .base import Drawing, Shown

NOT_NOW = "This can't be done to this record now."
NO_RECORD = "There is no record to do this with."


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    act = CONTROL_KINDS["button"].value(control.settings, "act")
    own, title = str(control.settings.get("label") or ""), str(control.settings.get("to") or "")
    told = {"label": own or dict(ACTS)[act], "to": "", "action": "", "off": "", "act": act, "title": title}
    told["key"] = str(control.settings.get("shortcut") or "")[:1].lower()
    if act == "form":
        told |= _form(sheet, control, drawing, title, own)
    if act == "action":
        offered = {action["title"]: action for action in drawing.context.get("actions", [])}
        told["label"] = own or title
        told["action"] = str(offered[title]["pk"]) if title in offered else ""
        told["off"] = "" if told["action"] and offered[title]["may"] else NOT_NOW
    if act == "remove" and drawing.view is None:
        told["off"] = "There is no record to remove."
    if act in ("new", "remove") and not drawing.part.dataset.editable:
        told["off"] = drawing.part.dataset.read_only_because
    if not drawing.holds(control.settings.get("usable_when")):
        told["off"] = NOT_NOW
    return told


def _form(sheet: Sheet, control: Control, drawing: Drawing, title: str, own: str) -> dict[str, Any]:
    """Where a button that opens another form leads, or why it leads nowhere now."""
    forms = sheet.form.project.forms.select_related("dataset__connection")
    form = as_defined(("called", sheet.form.project_id, title), lambda: forms.filter(title=title).first())
    label = own or f"Open {title}"
    if form is None:
        return {"label": label, "off": f"There is no form called {title}."}
    opens = CONTROL_KINDS["button"].value(control.settings, "opens")
    back = {"back": str(sheet.form.pk)}
    if drawing.view is not None and not drawing.part.name:
        back["back_at"] = drawing.view.id
    at = reverse("work", args=[form.pk])
    if opens == "plain":
        return {"label": label, "to": f"{at}?{urlencode(back)}"}
    if drawing.view is None or drawing.work is None:
        return {"label": label, "off": NO_RECORD}
    try:
        if opens == "new":
            asked = {"record": drawing.view.id, "field": str(control.settings.get("by") or ""), "new": str(form.pk)}
            field = drawing.part.dataset.by_name.get(asked["field"])
            lookup = field.lookup if field is not None else None
            fits = lookup is not None and lookup.table == form.dataset.table and not lookup.also
            off = "" if fits else f"It needs a field whose list is of {title}, by one column."
            return {"label": label, "off": off, "to": "" if off else f"{drawing.work.address}add-to?{urlencode(asked)}"}
        made = {"record": _named, "rows": _naming, "given": _given}[opens]
        asked = made(control, drawing, form)
    except Problem as problem:
        return {"label": label, "off": str(problem)}
    return {"label": label, "to": f"{at}?{urlencode({**asked, **back})}"}


def _named(control: Control, drawing: Drawing, form: Form) -> dict[str, str]:
    """The record of another form that a field of this record names. Raises Problem where it names none."""
    field = drawing.part.dataset.by_name.get(str(control.settings.get("by") or ""))
    lookup = field.lookup if field else None
    there = form.dataset.to_spec()
    if field is None or lookup is None or lookup.table != there.table:
        raise Problem(f"The button needs a field whose list is of {form.title}.", "A builder can set it.", code="bad")
    named = {column: drawing.view.value(name) for name, column in ((field.name, lookup.target), *lookup.also)}
    if None in named.values():
        raise Problem(f"{field.label} is empty.", "Choose one first.", code="bad")
    if set(there.key) == set(named):
        return {"record": record_id(tuple(named[column] for column in there.key))}
    return {ONLY + column: f"={raw_text(value)}" for column, value in named.items()}


def _given(control: Control, drawing: Drawing, form: Form) -> dict[str, str]:
    """What another form's query asks for, of this record. Raises Problem where the record does not say it."""
    names = parameters_of(form.dataset.query, form.dataset.connection.kind)
    if not names:
        raise Problem(f"{form.title} asks for nothing.", "A builder can open it in another way.", code="bad")
    here = {name.lower(): name for name in drawing.part.dataset.any_name}
    values = {name: drawing.view.value(here[name.lower()]) if name.lower() in here else None for name in names}
    if lacking := [name for name, value in values.items() if value is None or isinstance(value, ExpressionError)]:
        raise Problem(f"This record does not say {', '.join(lacking)}, which {form.title} asks for.", code="bad")
    return {GIVEN + name: raw_text(value) for name, value in values.items()}


def _naming(control: Control, drawing: Drawing, form: Form) -> dict[str, str]:
    """The rows of another form that name this record. Raises Problem where none can."""
    there, here = form.dataset.to_spec(), drawing.part.dataset
    for field in there.shown:
        lookup = field.lookup
        if lookup is not None and lookup.table == here.table and lookup.target in here.by_name:
            # A reference over several columns names the record by all of them.
            names = {field.name: lookup.target, **dict(lookup.also)}
            if any(there.by_name[name].hidden for name in names):
                raise Problem(f"{form.title} does not show all that names this record.", code="bad")
            values = {name: drawing.view.value(column) for name, column in names.items()}
            if None in values.values():
                raise Problem("This record is not saved yet.", "Save it first.", code="bad")
            write = drawing.work.formats
            return {ONLY + name: exactly_text(there.by_name[name], value, write) for name, value in values.items()}
    raise Problem(f"No field of {form.title} names a record of this form.", "A builder can choose another.", code="bad")


BUTTON = Shown(context)
