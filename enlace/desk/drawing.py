"""The controls of a sheet, each drawn for the record that its source shows."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from django.http import HttpRequest
from django.template.loader import render_to_string
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from enlace.core.form import CONTROL_KINDS, Control

from .arranged import SPLIT
from .column_widths import widths_of
from .contexts import prefix_of, written
from .controls import SHOWN, Drawing
from .grouped import layout_of, lines_of
from .sheet import Sheet
from .showing import head_context
from .skeleton import escaped
from .templatetags.drawn import asking, navigator, panel, table, tabs, value

OF_RECORD, OF_ROWS = ("record",), ("rows",)
ALL = OF_RECORD + OF_ROWS
# Settings of which what a control is drawn from knows more: which columns there are, whether anything can be entered.
TOLD = ("columns", "fields", "blank_row", "ruled")
# Kinds that are drawn from skeletons, beside the grid; the others have a template each.
WRITTEN: dict[str, Callable[[Mapping[str, Any]], SafeString]] = {
    "navigator": navigator,
    "panel": partial(panel, swap=False),
    "tabs": tabs,
    "value": value,
}


def lone_sheet(drawing: Drawing) -> SafeString:
    """The sheet of one part by itself: a navigator, a grid and a panel beside it."""
    several = (("navigator", "x1 y1 w12 high1"), ("grid", "x1 y2 w8 high12 fill"), ("panel", "x9 y2 w4 high12 fill"))
    parts = [
        (
            kind,
            css,
            kind,
            WRITTEN[kind](drawing.context) if kind in WRITTEN else grid_html(drawing, drawing.context),
            kind,
        )
        for kind, css in several
    ]
    wrap = '<enlace-{} class="control {}" data-kind="{}" data-of="of">{}</enlace-{}>'
    return format_html_join("\n", wrap, parts)


def bare_panel(drawing: Drawing) -> SafeString:
    """What has to be said of a record whose panel is not on the sheet: its state, its actions, its conflict."""
    return format_html('<div data-of="of{}">{}</div>', drawing.context["p"], panel(drawing.context, False))


Within = Callable[[str, SafeString], tuple[SafeString, SafeString]]


def _as_it_is(name: str, html: SafeString) -> tuple[SafeString, SafeString]:
    return SafeString(), html


def draw(sheet: Sheet, drawings: Mapping[str, Drawing], within: Within = _as_it_is) -> SafeString:
    """All controls of the sheet. within: the attributes that the element of a control of its own (not one that holds others)
    has beside those of each, and what stands in it, by the control's id and what is drawn for it."""
    return _several(sheet, sheet.document.controls, drawings, within)


def _several(sheet: Sheet, several: tuple[Control, ...], drawings: Mapping[str, Drawing], within: Within) -> SafeString:
    made = []
    for control in several:
        place = control.place
        css = f"x{place.x} y{place.y} w{place.w} high{place.h}" + (" fill" if place.fill else "")
        drawing = drawings.get(control.source)
        p = drawing.context["p"] if drawing else ""
        html = draw_control(sheet, control, drawings, within=within)
        own, html = (SafeString(), html) if control.children else within(control.id, html)
        # Each control is an element of its kind, which `static/enlace/controls` knows by its name.
        name = escaped(control.kind if control.kind in CONTROL_KINDS else "unknown")
        said = f'data-kind="{escaped(control.kind)}" data-control="{escaped(control.id)}"'
        of = "" if drawing is None else f"of{escaped(p)}"
        made.append(
            f'<enlace-{name}{escaped(own)} class="control {css}" {said} data-of="{of}">{escaped(html)}</enlace-{name}>'
        )
    return SafeString("\n".join(made))


def draw_control(
    sheet: Sheet, control: Control, drawings: Mapping[str, Drawing], swap: bool = False, within: Within = _as_it_is
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
        if setting.name not in TOLD
    }
    name = drawn_as(sheet, control)
    if drawing is not None and not drawing.holds(control.settings.get("shown_when")):
        return format_html(
            '<div class="lone" id="{}c-{}"{} hidden></div>', context["p"], control.id, SWAP if swap else ""
        )
    if name in SHOWN and drawing is not None:
        context |= SHOWN[name].context(sheet, control, drawing)
    if control.kind in OWN and drawing is not None and (key := _key(sheet, control, drawing)):
        context |= OWN[control.kind](drawing, key)
    if control.kind == "group":
        context["inner"] = _several(sheet, control.children, drawings, within)
    if control.kind == "tabs":
        pages = [
            (page.id, page.settings.get("title", "Page"), _several(sheet, page.children, drawings, within))
            for page in control.children
        ]
        context |= {
            "label": "Pages",
            "pages": [dict(zip(("id", "title", "inner"), page, strict=True)) for page in pages],
        }
    if name == "grid" and drawing is not None:
        return grid_html(drawing, context)
    if name in WRITTEN:
        return WRITTEN[name](context)
    return mark_safe(render_to_string(f"desk/controls/{name}.html", context))


def grid_html(drawing: Drawing, context: Mapping[str, Any], second: Mapping[str, Any] | None = None) -> SafeString:
    """A grid, with a second view of its rows where the person has it split. second: what that one shows, where it is known."""
    split = drawing.work.arrangement().split if drawing.work is not None and not context.get("key") else ""
    if split:
        apart = {**context, **(second or further_grid(drawing, SPLIT)), "apart": True}
        apart["rows"] = apart["rows"] if context["rows"] else ""
        pair = (
            '<div class="split {}">{}<enlace-grid class="second" data-kind="grid" data-of="of{}">{}</enlace-grid></div>'
        )
        own = format_html(pair, split, table(context), context["p"], table(apart))
    else:
        own = table(context)
    return own if context.get("key") else mark_safe(asking(context) + own)


def _key(sheet: Sheet, control: Control, drawing: Drawing) -> str:
    """What tells a grid or a navigator from the first one of its records; "" for that."""
    return control.id if control.id in sheet.keys(drawing.part.name, control.kind) else ""


def further_grid(drawing: Drawing, key: str) -> dict[str, Any]:
    """A second grid of the same records: columns of its own, and the rows that were read for the first one."""
    work, context = drawing.work, drawing.context
    if work is None:
        return {"key": key, "g": f"{context['p']}{key}-"}
    if work.asked.groups:
        html, rows = lines_of(work, layout_of(work), context["start"], context["size"], key)
    else:
        rows, pending = work.window(context["start"], context["size"])
        html = written(work, rows, pending, key)
    own = {"widths": widths_of(work, rows, key), "rows": html}
    return {"key": key, "g": prefix_of(work, key), **own, **head_context(work, key)}


def _further_navigator(drawing: Drawing, key: str) -> dict[str, Any]:
    return {"n": f"{drawing.context['p']}{key}-"}


OWN: dict[str, Callable[[Drawing, str], dict[str, Any]]] = {"grid": further_grid, "navigator": _further_navigator}
SWAP = mark_safe(' hx-swap-oob="true"')


def drawn_as(sheet: Sheet, control: Control) -> str:
    """What draws a control: its kind, or "editors" for a second panel of the same records."""
    if control.kind == "panel" and control.source in sheet.part_names:
        first = sheet.panel(sheet.part_names[control.source])
        return "panel" if first is not None and first.id == control.id else "editors"
    return control.kind


def lone_controls(
    sheet: Sheet, drawing: Drawing, follows: tuple[str, ...] = ALL, kinds: tuple[str, ...] = ()
) -> list[str]:
    """The controls of a part that stand by themselves and follow something, or are of some kinds, to be replaced where
    the page shows them.
    """
    name = sheet.source_names[drawing.part.name]
    made = []
    for control in sheet.controls(drawing.part.name):
        drawer = SHOWN.get(drawn_as(sheet, control))
        if drawer is not None and (drawer.followed_by(control) in follows or control.kind in kinds):
            made.append(draw_control(sheet, control, {name: drawing}, swap=True))
    return made


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
