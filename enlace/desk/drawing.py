"""The controls of a sheet, each drawn for the record that its source shows."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from django.http import HttpRequest
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.window import Row
from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.conditions import shown
from enlace.core.form.fields import fields_of
from enlace.core.form.kinds.button import ACTS
from enlace.core.form.kinds.chart import FUNCTIONS
from enlace.core.problem import Problem

from .charts import amounts, drawn
from .editors import EditorView, calculated_text, editor_views
from .parts import FormPart, rules_of
from .sheet import Sheet

OF_RECORD = ("editor", "value", "button")  # drawn anew with each record
OF_ROWS = ("cards", "chart")  # drawn anew when rows have changed: a move only makes another card the current one
CARDS = 60


@dataclass
class Drawing:
    """What the controls of one part are drawn from. context: of its templates; None for a detail without a master."""

    part: FormPart
    context: dict[str, Any]
    work: Any = None
    view: Any = None
    rows: Sequence[Row] = ()  # around the record, where they were read

    @cached_property
    def editors(self) -> dict[str, EditorView]:
        """The editors of the record by their fields' names, for all controls that have one."""
        return {editor_view.field.name: editor_view for editor_view in editor_views(self.work, self.view)}

    @cached_property
    def values(self) -> Mapping[str, Any]:
        """The record's values as conditions of controls ask for them."""
        return rules_of(self.part.dataset).computed.values(self.view.values, {}, self.view.stored is None)


def lone_sheet(request: HttpRequest, drawing: Drawing) -> SafeString:
    """The sheet of one part by itself: a navigator, a grid and a panel beside it."""
    several = (("navigator", "x1 y1 w12 h1"), ("grid", "x1 y2 w8 h12 fill"), ("panel", "x9 y2 w4 h12 fill"))
    made = [
        (css, kind, render_to_string(f"desk/controls/{kind}.html", drawing.context, request)) for kind, css in several
    ]
    parts = [(css, kind, mark_safe(html)) for css, kind, html in made]
    return format_html_join("\n", '<div class="control {}" data-kind="{}" data-of="of">{}</div>', parts)


def bare_panel(request: HttpRequest, drawing: Drawing) -> SafeString:
    """What has to be said of a record whose panel is not on the sheet: its state, its actions, its conflict."""
    html = mark_safe(render_to_string("desk/panel.html", drawing.context, request))
    return format_html('<div data-of="of{}">{}</div>', drawing.context["p"], html)


def draw(request: HttpRequest, sheet: Sheet, drawings: Mapping[str, Drawing]) -> SafeString:
    """All controls of the sheet."""
    return _several(request, sheet, sheet.document.controls, drawings)


def _several(
    request: HttpRequest, sheet: Sheet, several: tuple[Control, ...], drawings: Mapping[str, Drawing]
) -> SafeString:
    made = []
    for control in several:
        place = control.place
        css = f"x{place.x} y{place.y} w{place.w} h{place.h}" + (" fill" if place.fill else "")
        drawing = drawings.get(control.source)
        p = drawing.context["p"] if drawing else ""
        html = draw_control(request, sheet, control, drawings)
        made.append((css, control.kind, control.id, "" if drawing is None else f"of{p}", html))
    wrap = '<div class="control {}" data-kind="{}" data-control="{}" data-of="{}">{}</div>'
    return format_html_join("\n", wrap, made)


def draw_control(
    request: HttpRequest, sheet: Sheet, control: Control, drawings: Mapping[str, Drawing], swap: bool = False
) -> SafeString:
    """One control. A kind that nobody knows is said to be one."""
    kind = CONTROL_KINDS.get(control.kind)
    if kind is None:
        return format_html('<p class="told wrong">Nothing here knows a control of the kind {}.</p>', control.kind)
    drawing = drawings.get(control.source)
    if kind.source and drawing is None:
        return format_html('<p class="told wrong">This {} is tied to no records.</p>', kind.label.lower())
    context = {**(drawing.context if drawing else {"p": ""}), "control": control, "swap": swap}
    context |= {
        setting.name: kind.value(control.settings, setting.name)
        for setting in kind.settings
        if setting.name not in ("columns", "fields")
    }
    if drawing is not None and _is_hidden(control, drawing):
        return format_html(
            '<div class="lone" id="{}c-{}"{} hidden></div>', context["p"], control.id, SWAP if swap else ""
        )
    if control.kind in MORE and drawing is not None:
        context |= MORE[control.kind](sheet, control, drawing)
    if control.kind == "group":
        context["inner"] = _several(request, sheet, control.children, drawings)
    if control.kind == "tabs":
        pages = [
            (page.id, page.settings.get("title", "Page"), _several(request, sheet, page.children, drawings))
            for page in control.children
        ]
        context |= {
            "label": "Pages",
            "pages": [dict(zip(("id", "title", "inner"), page, strict=True)) for page in pages],
        }
    return mark_safe(render_to_string(f"desk/controls/{control.kind}.html", context, request))


SWAP = mark_safe(' hx-swap-oob="true"')


def _is_hidden(control: Control, drawing: Drawing) -> bool:
    """Whether a control is not shown with the record that is current; without a record all are."""
    condition = control.settings.get("shown_when")
    if not condition or drawing.work is None or drawing.view is None:
        return False
    return not shown(drawing.part.dataset, str(condition), drawing.values)


def lone_controls(
    request: HttpRequest, sheet: Sheet, drawing: Drawing, kinds: tuple[str, ...] = OF_RECORD + OF_ROWS
) -> list[str]:
    """The controls of a part that stand by themselves, to be replaced where the page shows them."""
    name = sheet.source_names[drawing.part.name]
    return [
        draw_control(request, sheet, control, {name: drawing}, swap=True)
        for control in sheet.controls(drawing.part.name)
        if control.kind in kinds
    ]


def _editor(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    label = _label_of(control, field)
    if drawing.view is None or field is None or drawing.work is None:
        return {"label": label, "one": None}
    editor = drawing.editors.get(control.field)
    if editor is not None:
        locked = editor.fixed or bool(control.settings.get("read_only"))
        editor = replace(editor, field=replace(editor.field, label=str(label)), fixed=locked)
    return {"label": label, "one": editor}


def _label_of(control: Control, field: FieldSpec | None) -> Any:
    return control.settings.get("label") or (field.label if field else control.field or "No field")


def _value(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    field = drawing.part.dataset.any_name.get(control.field)
    text = ""
    if field is not None and drawing.view is not None and drawing.work is not None:
        if field.name in drawing.part.dataset.by_name:
            text = drawing.work.words.of(drawing.part.dataset, field, drawing.view.values)
        else:
            text = calculated_text(drawing.work, drawing.view, field.name)
    return {"label": _label_of(control, field), "text": text[:400]}


def _button(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    act = CONTROL_KINDS["button"].value(control.settings, "act")
    label, to, action, off = str(control.settings.get("label") or dict(ACTS)[act]), "", "", ""
    title = str(control.settings.get("to", ""))
    if act == "form":
        form = sheet.form.project.forms.filter(title=title).first()
        to = reverse("work", args=[form.pk]) if form else ""
        off = "" if form else f"There is no form called {title}."
        label = str(control.settings.get("label") or f"Open {title}")
    if act == "action":
        offered = {a["title"]: a for a in drawing.context.get("actions", [])}
        label = str(control.settings.get("label") or title)
        action = str(offered[title]["pk"]) if title in offered else ""
        off = "" if action and offered[title]["may"] else "This can't be done to this record now."
    if act == "remove" and drawing.view is None:
        off = "There is no record to remove."
    if act in ("new", "remove") and not drawing.part.dataset.editable:
        off = drawing.part.dataset.read_only_because
    return {
        "label": label,
        "to": to,
        "action": action,
        "off": off,
        "key": str(control.settings.get("shortcut", ""))[:1].lower(),
        "act": act,
    }


def _cards(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    work = drawing.work
    if work is None:
        return {"cards": []}
    known = work.dataset.any_name
    fields = [known[name] for name in fields_of(control, work.dataset) if name in known]
    rows, pending = work.window(0, CARDS)
    names = [f.name for f in work.dataset.fields]
    values = [
        {**dict(zip(names, row.values, strict=True)), **(pending[row.id].now if row.id in pending else {})}
        for row in rows
    ]
    work.words.prefetch(work.dataset, values)
    cards = []
    for row, record in zip(rows, values, strict=True):
        lines = [(f.label, work.words.of(work.dataset, f, record)[:120]) for f in fields if f.name in record]
        current = drawing.view is not None and drawing.view.id == row.id
        cards.append({"id": row.id, "position": row.position, "lines": lines, "current": current})
    return {"cards": cards}


def _chart(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    kind, work = CONTROL_KINDS["chart"], drawing.work
    function, shape = kind.value(control.settings, "function"), kind.value(control.settings, "shape")
    fields = drawing.part.dataset.any_name
    by, of = fields.get(kind.value(control.settings, "by")), fields.get(kind.value(control.settings, "of"))
    if function == "count":
        of = None
    words = dict(FUNCTIONS)[function] + (f" of {of.label}" if of else "")
    label = control.settings.get("label") or (f"{words} by {by.label}" if by else "Chart")
    context: dict[str, Any] = {"label": label, "shape": shape, "by": by.label if by else "", "of": words, "wrong": ""}
    if by is None or (function != "count" and (of is None or of.kind not in ("whole", "decimal"))):
        return {**context, "wrong": "Choose the field to group by, and the number to show, in the control's settings."}
    if work is None:
        return {**context, "wrong": "There is no record to show this of."}
    try:
        groups = amounts(work, by, of, function)
    except Problem as problem:
        return {**context, "wrong": str(problem)}
    if not groups:
        return {**context, "wrong": "There are no rows to show."}
    return {**context, "drawn": drawn(groups, shape, of, work)}


MORE = {"editor": _editor, "value": _value, "button": _button, "cards": _cards, "chart": _chart}


def places_in(request: HttpRequest) -> dict[str, dict[str, str]]:
    """What the page says of its other sources: by part, the record, the master and the view that each shows."""
    text = request.POST.get("places") or request.GET.get("places") or "{}"
    try:
        places = json.loads(text[:20_000])
    except (ValueError, RecursionError):
        return {}
    if not isinstance(places, dict):
        return {}
    return {
        str(name): {k: v for k, v in place.items() if isinstance(v, str)}
        for name, place in places.items()
        if isinstance(place, dict)
    }
