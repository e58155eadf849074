"""Parts of a page that are drawn from skeletons: an editor, and the navigator. Each stays what its template makes of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django import template
from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from ..editors import EditorView
from ..skeleton import Shape, drawn, drawn_by_key, mark

register = template.Library()
Context = Any  # a mapping, or a template's context, which has the same two ways to ask

NAVIGATOR_PARTS = ("moves", "place", "acts", "asks")
PRINTED = ("at", "position", "number", "total", "total_text", "last")  # by a navigator
ASKED = ("p", "n", "at_first", "at_last", "boxes_said", "blank")


@dataclass(frozen=True)
class Shown:
    """What the template of an editor, or of a panel, asks of its record."""

    id: str
    state: str
    position: int | str | None = None


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

    def shape() -> Shape:
        shown = replace(one, text=text, print=mark("print"))
        return ("one", shown), ("record", Shown(mark("record"), record.state)), ("p", p)

    return drawn_by_key("desk/editor.html", (*one.asked, text, record.state, p), shape, printed)


PANEL_ASKED = ("p", "panel_columns", "panel_acts", "acts_apart")
PANEL_SAYS = ("details", "actions", "lines", "gone", "pending", "general", "conflict")  # sentences and acts of a record


def panel(context: Context, swap: bool) -> SafeString:
    """The panel of a record, with its editors. swap: to be put into a page that shows it."""
    record = context["record"]
    fields = mark_safe("\n".join(editor(context, one) for one in context["editors"]))
    asked = {**_given(context, PANEL_ASKED), "swap": swap, "editors": bool(fields)}
    if record and (record.state or any(context.get(name) for name in PANEL_SAYS)):
        said = {
            name: context[name] for name in (*PANEL_SAYS, "at", "form", "part", "dataset", "seen") if name in context
        }
        return mark_safe(render_to_string("desk/panel.html", {**asked, **said, "record": record, "fields": fields}))
    printed = {"fields": fields, **_given(context, ("at", "seen")), "record": "", "position": ""}
    asked |= {name: mark(name) for name in ("fields", "at", "seen") if name in printed}
    asked["record"] = None
    if record:
        place = record.position
        printed |= {"record": record.id, "position": "" if place is None else place}
        asked["record"] = Shown(mark("record"), "", mark("position"))
    dataset = context["dataset"]
    asked |= {"part": Titled(context["part"].title), "dataset": Enterable(dataset.editable, bool(dataset.lacking_keys))}
    return drawn("desk/panel.html", tuple(asked.items()), printed)


HOLDER_PRINTED = ("p", "at", "view", "part", "record", "position", "master", "under")
HOLDER_MARKS = tuple((name, mark(name)) for name in HOLDER_PRINTED)


@register.simple_tag
def holder(one: Any) -> SafeString:
    """What a page says of one of its sources: where it stands, and what it is asked by."""
    context, view = one.context, one.view
    record, position = (view.id, view.position) if view else (context.get("wanted", ""), None)
    printed = dict(
        zip(
            HOLDER_PRINTED,
            (
                context["p"], context["at"], context["view"], one.part.name, record, "" if position is None else position,
                one.work.master if one.work else "", one.part.of,
            ),
            strict=True,
        )
    )  # fmt: skip
    asked = (
        ("computed", bool(context.get("computed"))),
        ("editable", context["dataset"].editable),
        ("blank", "blank" in context),
        ("unread", "unread" in context),
    )
    return drawn("desk/holder.html", (*HOLDER_MARKS, *asked), printed)


@dataclass(frozen=True)
class Page:
    """One page of a control with tabs."""

    id: str
    title: str
    inner: str


def tabs(context: Context) -> SafeString:
    """Pages with their titles above."""
    pages = context["pages"]
    asked = tuple(Page(page["id"], page["title"], mark(f"inner{n}")) for n, page in enumerate(pages))
    printed = {f"inner{n}": page["inner"] for n, page in enumerate(pages)}
    return drawn("desk/controls/tabs.html", (("label", context["label"]), ("pages", asked)), printed)


@dataclass(frozen=True)
class Numbered:
    """What a control that is drawn asks of itself."""

    id: str


def value(context: Context) -> SafeString:
    """A shown value."""
    text = context["text"]
    asked = {name: context[name] for name in ("p", "label", "large", "swap") if name in context}
    asked |= {"control": Numbered(context["control"].id), "text": text and mark("text")}
    return drawn("desk/controls/value.html", tuple(asked.items()), {"text": text})


def navigator(context: Context) -> SafeString:
    """A navigator, without the parts that its control has been told to leave out."""
    control = context.get("control")
    left_out = "".join(f" without-{part}" for part in NAVIGATOR_PARTS if control and not context.get(part))
    return format_html('<div class="navigator{}">{}</div>', left_out, rail(context, swap=False))


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
    "kept_rows", "totals", "foot", "pinned_start", "pinned_end", "boxes_said", "blank_row", "ruled",
)  # fmt: skip


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


ASKING_PRINTED = ("at", "order", "passing")
ASKING_ASKED = ("p", "blank", "boxes_said", "uncounted")
ASKING_SEVERAL = ("filters_said", "groups_said", "orders_said", "condition_faults", "terms", "wrong")


def asking(context: Context) -> SafeString:
    """What is asked of a grid: its sentence, what conditions are built from, and the form of the boxes."""
    dataset, of = context["dataset"], context["asking"]
    printed = _given(context, ASKING_PRINTED) | {name: of[name] for name in Asking.__annotations__ if name in of}
    asked = _given(context, ASKING_ASKED)
    asked |= {name: value and mark(name) for name, value in printed.items() if name in ASKING_PRINTED}
    asked |= {name: tuple(context[name]) for name in ASKING_SEVERAL if name in context}
    asked |= {"filters": bool(context.get("filters")), "grid_total": None if context.get("grid_total") is None else 0}
    # A tree of no conditions is asked about.
    marks = {
        name: of.get(name) if of.get(name) == "[]" else mark(name) for name in Asking.__annotations__ if name in of
    }
    asked |= {"part": Titled(context["part"].title), "dataset": Enterable(dataset.editable, bool(dataset.lacking_keys))}
    return drawn("desk/asking.html", (*asked.items(), ("asking", Asking(**marks))), printed)


@dataclass(frozen=True)
class Asking:
    """What conditions are built from: the tree of those in force, what an address says beside them, fields and tests."""

    tree: str = ""
    rest: str = ""
    fields: str = ""
    tests: str = ""


@dataclass(frozen=True)
class Gridded:
    """What a grid asks of its dataset."""

    editable: bool
    key: bool
