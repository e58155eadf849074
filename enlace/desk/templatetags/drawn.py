"""Parts of a page that are drawn from skeletons: an editor, and the navigator. Each stays what its template makes of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django import template
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

from ..editors import EditorView
from ..skeleton import drawn, mark

register = template.Library()
Context = Any  # a mapping, or a template's context, which has the same two ways to ask

PRINTED = ("at", "position", "number", "total", "total_text", "back", "next", "last")  # by a navigator
ASKED = ("p", "n", "at_first", "at_last", "boxes_said", "blank")


@dataclass(frozen=True)
class Shown:
    """What the template of an editor asks of its record."""

    id: str
    state: str


@register.simple_tag(takes_context=True)
def editor(context: template.Context, one: EditorView) -> SafeString:
    """The editor of one field of the record that the context shows."""
    record, p = context["record"], context["p"]
    if one.editor == "picture" or one.message or one.was or one.odd:  # sentences of its own
        asked = {"one": one, "record": record, "p": p, "at": context["at"]}
        return mark_safe(render_to_string("desk/editor.html", asked))
    printed = {"record": record.id, "text": one.text, "print": one.print}
    # A list of yes and no asks what its text is.
    text = one.text if one.editor == "tick" else one.text and mark("text")
    shape = replace(one, text=text, print=mark("print"))
    return drawn(
        "desk/editor.html", (("one", shape), ("record", Shown(mark("record"), record.state)), ("p", p)), printed
    )


@register.simple_tag(takes_context=True)
def without(context: template.Context, *parts: str) -> str:
    """Classes that name the parts which a control is to be shown without; none where it is no control of a sheet."""
    return "".join(f" without-{part}" for part in parts if context.get("control") and not context.get(part))


def _given(context: Context, names: tuple[str, ...]) -> dict[str, Any]:
    """What a context has of some names: to a template, what is not there is not what is None."""
    return {name: context[name] for name in names if name in context}


def rail(context: Context, swap: bool) -> SafeString:
    """The navigator of a part. swap: to be put into a page that shows it."""
    dataset = context["dataset"]
    printed = _given(context, PRINTED)
    asked = _given(context, ASKED)
    asked |= {name: None if value is None else value and mark(name) for name, value in printed.items()}
    asked |= {"part": Titled(context["part"].title), "filters": bool(context["filters"]), "swap": swap}
    asked["dataset"] = Enterable(dataset.editable, bool(dataset.lacking_keys))
    return drawn("desk/rail.html", tuple(asked.items()), printed)


@dataclass(frozen=True)
class Titled:
    """What a navigator asks of its part."""

    title: str


@dataclass(frozen=True)
class Enterable:
    """What a navigator asks of its dataset."""

    editable: bool
    lacking_keys: bool


GRID_PRINTED = ("rows", "widths", "grid_total", "start", "size", "at_line")
GRID_ASKED = (
    "p", "g", "key", "hidden_columns", "arranged", "ways", "row_lines", "striped", "merged", "split_now", "apart",
    "kept_rows", "totals", "pinned_start", "pinned_end", "boxes_said", "blank_row", "ruled",
)  # fmt: skip


@register.simple_tag(takes_context=True)
def grid_table(context: template.Context) -> SafeString:
    """A grid with its headings, and the rows that the context holds."""
    return table(context)


def table(context: Context) -> SafeString:
    """A grid with its headings and rows."""
    dataset = context["dataset"]
    printed = _given(context, GRID_PRINTED)
    asked = _given(context, GRID_ASKED)
    # What has no value is left out, or said otherwise: nought is one.
    asked |= {name: None if value is None else mark(name) for name, value in printed.items()}
    asked |= {name: tuple(context[name]) for name in ("columns", "boxes")}
    asked |= {name: bool(context.get(name)) for name in ("filters", "groups_said")}
    asked |= {"part": Titled(context["part"].title), "dataset": Gridded(dataset.editable, bool(dataset.key))}
    return drawn("desk/controls/grid_table.html", tuple(asked.items()), printed)


@dataclass(frozen=True)
class Gridded:
    """What a grid asks of its dataset."""

    editable: bool
    key: bool


@register.simple_tag(takes_context=True, name="rail")
def rail_tag(context: template.Context) -> SafeString:
    """The navigator of the part that the context shows."""
    return rail(context, False)
