"""The composer's page: the sheet with its link board, and what is done on it."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET, require_POST
from sqlglot import exp

from enlace.accounts.access import builder_only
from enlace.core.dataset.totals import NAMES, offered
from enlace.core.form import CONTROL_KINDS, Control, ControlKind, FormDocument
from enlace.core.form.columns import EDITORS, GridColumn, columns_of, typed_as_text
from enlace.core.form.difference import differences, title_of
from enlace.core.form.edit import holder_of, kind_of
from enlace.core.form.fields import fields_of
from enlace.core.form.kinds.base import Setting
from enlace.core.form.opening import FAILING_WORDS, words
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.server.catalog import Catalog
from enlace.core.wiring import Fault, Wired, faults_of
from enlace.desk.drawing import draw
from enlace.desk.showing import details_of, drawing_of
from enlace.desk.work import Work
from enlace.workshop import layout, sheet
from enlace.workshop.details import Above, add_detail, choices_under, chosen
from enlace.workshop.linking import add_linked
from enlace.workshop.models import Detail, Form
from enlace.workshop.place import stand_in

from .acts import ACTS, Act, Asked, copied
from .board import boards
from .pieces import Pieces

MOST_CHOSEN = 100
SAMPLE = 50  # rows that columns are measured by


def form_of(pk: int) -> Form:
    return get_object_or_404(Form.objects.select_related("project", "dataset__connection"), pk=pk)


@builder_only
@require_GET
def compose(request: HttpRequest, form_id: int) -> HttpResponse:
    """The composer of a form."""
    form = form_of(form_id)
    stand_in(request, form.project, "Forms")
    return render(request, "composer/page.html", {"project": form.project, **_context(request, form, _chosen(request))})


def _chosen(request: HttpRequest) -> list[str]:
    """The controls that the address says are chosen: after a trial one goes on where one was."""
    return request.GET.get("chosen", "").split()[:MOST_CHOSEN]


@builder_only
@require_POST
def act(request: HttpRequest, form_id: int) -> HttpResponse:
    """Do something to the form's document; the sheet, the board and the check as they are then."""
    form = form_of(form_id)
    name, ids = request.POST.get("act", ""), request.POST.get("ids", "").split()[:MOST_CHOSEN]
    said, chosen_ids = "", ids
    if name in ("undo", "redo"):
        said = f"{'Undone' if name == 'undo' else 'Done again'}: {layout.step(form, request.user, layout_of(request), name == 'undo')}."
        chosen_ids = []
    elif name in ("detail", "link"):
        make = _by_reference if name == "detail" else _by_columns
        made = layout.add_source(form, request.user, lambda: make(form, request))
        said = f"{made.title} is on the form now: it shows what belongs to the current record."
        chosen_ids = [c.id for c in layout.document(form).tied(made.name) if c.kind == "grid"]
    elif name == "join":
        said = _joined(form, request, ids)
    elif name == "without":
        said = layout.remove_source(form, request.user, layout_of(request), request.POST.get("source", ""))
    elif name in ACTS:
        label, change = ACTS[name]
        asked = Asked(form, request.POST.dict(), ids, list(ids), lambda: _drawn(request, form, Pieces("{}"))[1])
        try:
            layout.change(form, request.user, layout_of(request), label, lambda document: change(document, asked))
        except Problem as problem:
            if problem.code != "changed":
                raise
            return _clashed(request, form, change, asked)
        said, chosen_ids = _spoken(form, name, asked.chosen), asked.chosen
    elif name != "show":
        raise Problem("There is no such act.", "Use the buttons of the page.", code="bad")
    html = render_to_string("composer/body.html", _context(request, form, chosen_ids, said), request)
    return HttpResponse(html)


def _clashed(request: HttpRequest, form: Form, change: Act, asked: Asked) -> HttpResponse:
    """The form as somebody else has left it, with what they and what this page would have changed: nothing is overwritten."""
    form.refresh_from_db()
    # Compared with the sheet that this page showed: what stood there already is neither theirs nor mine.
    before = layout.seen(form, layout_of(request))
    theirs, mine = [], []
    if before is not None:
        theirs = differences(before, layout.document(form))
        try:
            mine = differences(before, change(before, asked))
        except Problem as problem:
            mine = [str(problem)]
    # All of the request but what the page told of itself (the count that it was made against, its pieces), so that it can
    # be sent once more over what is there now.
    again = {key: value for key, value in request.POST.items() if key not in ("layout", "have")}
    clash = {"theirs": theirs, "mine": mine, "again": json.dumps(again)}
    said = "Somebody else has changed this form meanwhile. What you did was not done: see what both of you changed."
    return HttpResponse(
        render_to_string("composer/body.html", {**_context(request, form, [], said), "clash": clash}, request)
    )


def layout_of(request: HttpRequest) -> int:
    text = request.POST.get("layout", "")
    # No sheet has the count -1: what a page does not say is never taken for up to date.
    return int(text) if text.isdecimal() and len(text) < 10 else -1


def _by_reference(form: Form, request: HttpRequest) -> Detail:
    """A reference as one more source of the form, under the one that the page names."""
    above = Above(form, _detail_behind(form, request.POST.get("source", "")))
    choice = chosen(above, request.POST.get("reference", ""))
    return add_detail(above, choice.reference, choice.dataset)


def _by_columns(form: Form, request: HttpRequest) -> Detail:
    """A table as one more source, linked by the columns that were drawn to fields of the one above it."""
    table = request.POST.get("table", "")
    try:
        # Cut off rather than refused by length: a text that is cut is no JSON, and is told as nothing linked.
        pairs = dict(json.loads(request.POST.get("pairs", "{}")[:20_000]))
    except (ValueError, TypeError, RecursionError):
        pairs = {}
    if not table or not pairs or not all(isinstance(field, str) for field in pairs.values()):
        raise Problem(
            "Nothing is linked yet.", "Draw a field to a column of the table, or choose it there.", code="bad"
        )
    # As a condition, and quoted: the one reader of links checks it, whether it was typed or drawn.
    named = lambda name: exp.Identifier(this=name, quoted=True).sql()  # noqa: E731
    said = " AND ".join(f"{named(table)}.{named(column)} = {named(field)}" for column, field in pairs.items())
    return add_linked(Above(form, _detail_behind(form, request.POST.get("source", ""))), said)


@builder_only
@require_GET
def link(request: HttpRequest, form_id: int) -> HttpResponse:
    """The columns of a table, each to be linked with a field of a source of the form."""
    form = form_of(form_id)
    behind = _detail_behind(form, request.GET.get("source", ""))
    above = Above(form, behind)
    table = Catalog.of(above.dataset.connection.to_spec()).table(request.GET.get("table", ""))
    fields = [(f.name, f.label) for f in above.dataset.to_spec().fields]
    context = {"columns": [column.name for column in table.columns], "fields": fields, "source": request.GET["source"]}
    return render(request, "composer/link.html", context)


def _joined(form: Form, request: HttpRequest, ids: list[str]) -> str:
    """A column of what a list leads to as a field of the dataset, and as a column of a grid."""
    control = layout.document(form).control(ids[0] if ids else "")
    detail = _detail_behind(form, control.source)
    dataset, wanted = detail.dataset if detail else form.dataset, request.POST.get("name", "")
    there = set(dataset.fields.values_list("name", flat=True))
    with transaction.atomic():
        if not sheet.joined(dataset, [wanted]):
            raise Problem("The grid has this column, or nothing leads to it.", "Choose one of the list.", code="bad")
        field = dataset.fields.exclude(name__in=there).get()
        form.refresh_from_db()  # its dataset is another one by now
        asked = Asked(form, {"field": field.name, "change": "shown", "value": "yes"}, [control.id], [])
        if columns_of(control.settings.get("columns", ())):  # one that shows all shows it by itself
            layout.change(
                form, request.user, layout_of(request), "a column", lambda document: ACTS["column"][1](document, asked)
            )
    return f"{field.label} is a column now, and a field of the dataset {dataset.name}."


def _detail_behind(form: Form, source: str) -> Detail | None:
    behind = layout.sources_of(form)[1]
    if source not in behind:
        raise Problem("There is no such source.", "Reload the page.", code="missing")
    return behind[source]


def _spoken(form: Form, name: str, ids: list[str]) -> str:
    """What a screen reader is told after an act: where a control is by now."""
    if len(ids) != 1:
        return ACTS[name][0].capitalize() + "."
    try:
        document = layout.document(form)
        control = document.control(ids[0])
    except Problem:
        return ACTS[name][0].capitalize() + "."
    place = control.place
    return f"{title_of(control, document)}: column {place.x}, row {place.y}, {place.w} wide, {place.h} high."


def _context(request: HttpRequest, form: Form, ids: list[str], said: str = "") -> dict[str, Any]:
    document = layout.document(form)
    pieces = Pieces(request.POST.get("have", "{}"))
    drawings, rows, away = _drawn(request, form, pieces)
    wired = layout.wired(form, document, rows)
    faults = faults_of(wired)
    # Somebody else, or an undo, may have taken away what this page has chosen.
    there = {control.id for control in document.all()}
    chosen_ids = [identifier for identifier in ids if identifier in there]
    frayed = {(fault.source, fault.field): fault.sentence for fault in faults if fault.field}
    return {
        "form": form,
        "document": document,
        "sheet": drawings,
        "pieces": pieces,
        "away": away,
        "boards": boards(wired, frayed),
        "faults": [(fault, wired.place_of(fault)) for fault in faults],
        "errors": sum(1 for fault in faults if fault.severity == "error"),
        "chosen": " ".join(chosen_ids),
        "card": _card(wired, faults, chosen_ids[0]) if len(chosen_ids) == 1 else None,
        "several": len(chosen_ids) > 1,
        # A page stands only within tabs, which make their own.
        "kinds": [kind for kind in CONTROL_KINDS.values() if kind.name != "page"],
        "sources": document.sources,
        "details": _details(form, document),
        "tables": _tables(form),
        "can_undo": form.steps.filter(undone=False).exists(),
        "can_redo": form.steps.filter(undone=True).exists(),
        "said": said,
        "opening": [
            (number, words(step), FAILING_WORDS[step.failing]) for number, step in enumerate(document.opening, 1)
        ],
        "opening_acts": OPENING_LABELS,
        "column_editors": EDITORS,
        "failings": FAILING_WORDS.items(),
        "opening_fields": _field_choices(wired, document.main.name),
        "copied": copied(document, chosen_ids) if chosen_ids else "",
    }


def _drawn(request: HttpRequest, form: Form, pieces: Pieces) -> tuple[Any, dict[str, Any], str]:
    """The sheet as the desk draws it, with real rows; "" and why not where they can't be had."""
    try:
        # The desk itself draws the sheet, so that nothing can look otherwise there than here.
        work = Work(request.user, form, Formats.of(settings.LOCALE), on_sheet=True)
        work.troubles.forgiving = True
        view = work.at(0)
        several = [drawing_of(work, view), *details_of(work, view, {})]
        assert work.sheet is not None
        drawings = {work.sheet.source_names[drawing.part.name]: drawing for drawing in several}
        rows = {name: [row.values for row in drawing.rows[:SAMPLE]] for name, drawing in drawings.items()}
        return draw(work.sheet, drawings, pieces.control), rows, " ".join(work.troubles.told)
    except Problem as problem:
        return "", {}, f"{problem} {problem.words}".strip()


def _details(form: Form, document: FormDocument) -> list[tuple[Any, list[Any]]]:
    """What can be added under each source, by the references of the schema."""
    behind = layout.sources_of(form)[1]
    choices = choices_under([Above(form, behind[source.name]) for source in document.sources])
    return [(source, under) for source, under in zip(document.sources, choices, strict=True) if under]


def _tables(form: Form) -> list[str]:
    """The tables that a source may be linked to by columns; none while the server is away."""
    try:
        # The sheet can be laid out while the server is away; only what needs its tables is not offered.
        return list(Catalog.of(form.dataset.connection.to_spec()).tables)
    except Problem:
        return []


OPENING_LABELS = (
    ("go:first", "At the first record"),
    ("go:last", "At the last record"),
    ("go:new", "With a new record"),
    ("order:ascending", "Ordered by a field"),
    ("order:descending", "Ordered by a field, greatest first"),
    ("filter:", "Filtered by a field"),
    ("parameter:", "With a value for a parameter"),
)


def _field_choices(wired: Wired, source: str) -> list[tuple[str, str]]:
    """(name, label) of the fields that a source shows."""
    dataset = wired.datasets.get(source)
    return [(field.name, field.label) for field in dataset.shown] if dataset else []


@dataclass(frozen=True)
class Listed:
    """The fields that a control lists: those that it shows, in their order, then the others. own: whether that is said by
    the form. columns: whether each says more than that it is there.
    """

    setting: Setting
    lines: list[dict[str, Any]]
    own: bool
    columns: bool


def _listed(wired: Wired, control: Control) -> Listed | None:
    """The fields that a control lists; None for one that lists none, or while its dataset is not known."""
    dataset, name = wired.datasets.get(control.source), kind_of(control).lists
    if dataset is None or not name:
        return None
    known = {column.field: column for column in columns_of(control.settings.get(name, ()))}
    shown = fields_of(control, dataset)
    order = [*shown, *(field.name for field in dataset.shown if field.name not in shown)]
    lines = [
        {
            "field": field,
            "shown": one in shown,
            "column": known.get(one, GridColumn(one)),
            "text": typed_as_text(field),
            "totals": [(function, NAMES[function]) for function in offered(field)] if one in dataset.by_name else [],
        }
        for one in order
        if (field := dataset.any_name.get(one)) is not None and not field.hidden
    ]
    setting = kind_of(control).setting(name)
    return Listed(setting, lines, name in control.settings, setting.kind == "columns")


def _card(wired: Wired, faults: Sequence[Fault], identifier: str) -> dict[str, Any]:
    """The settings of one control, each with what it is now and whether that differs from what it always is."""
    control = wired.document.control(identifier)
    kind, dataset = kind_of(control), wired.datasets.get(control.source)
    lines = []
    for setting in kind.settings:
        if setting.kind in ("columns", "fields") or not _means_something(setting, control, kind):
            continue  # a list to tick, or nothing to ask yet
        value = kind.value(control.settings, setting.name)
        text = ("yes" if value else "") if setting.kind == "yes or no" else value
        choices = _choices(setting, wired, control)
        lines.append({"setting": setting, "text": text, "own": setting.name in control.settings, "choices": choices})
    return {
        "control": control,
        "kind": kind,
        "title": wired.title(control),
        "lines": lines,
        "fields": _field_choices(wired, control.source),
        "names": json.dumps([f.name for f in dataset.all if f.name.isidentifier()] if dataset else []),
        "dataset": wired.document.source(control.source).dataset if dataset else "",
        "joins": sheet.reachable(dataset) if dataset and control.kind == "grid" else [],
        "listed": _listed(wired, control),
        "tab": _tab_place(wired.document, identifier),
        "faults": [fault for fault in faults if fault.control == identifier],
    }


def _means_something(setting: Setting, control: Control, kind: ControlKind) -> bool:
    """Whether a setting means something by what another one says."""
    name, values = setting.needs
    if not name:
        return True
    needed = kind.setting(name)
    return kind.value(control.settings, name) in values and _means_something(needed, control, kind)


def _choices(setting: Setting, wired: Wired, control: Control) -> list[tuple[str, str]]:
    """What a setting is chosen from: (what is kept, what is shown) pairs; none where it is typed."""
    if setting.kind == "field":
        return [("", "none"), *_field_choices(wired, control.source)]
    if setting.kind == "target":
        return [("", "none"), *_targets(wired, control)]
    return list(setting.choices)


def _targets(wired: Wired, control: Control) -> list[tuple[str, str]]:
    """What a button can lead to by its act: (what is kept, what is shown); what it names now, also where that is gone."""
    act, now = control.settings.get("act"), str(control.settings.get("to", ""))
    if act == "go":
        several = [(other.id, wired.title(other)) for other in wired.document.all() if other.id != control.id]
    else:
        several = [(title, title) for title in (wired.forms if act == "form" else wired.actions)]
    gone = [] if not now or now in dict(several) else [(now, f"{now} (not there)")]
    return gone + several


def _tab_place(document: FormDocument, identifier: str) -> tuple[int, int] | None:
    """Which one in the order of the tab key a control is on its sheet, and of how many; None for one alone."""
    holder = holder_of(document, identifier)
    several = document.control(holder).children if holder else document.controls
    place = next(i for i, control in enumerate(several, 1) if control.id == identifier)
    return (place, len(several)) if len(several) > 1 else None
