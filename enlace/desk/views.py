"""What the desk's addresses do. Every answer is built from the same fragments (`enlace.desk.answers`)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from enlace.core.problem import Problem

from . import editing, saving
from .answers import Answer
from .contexts import rows_html
from .editors import calculated_text, editor_views
from .grouped import layout_of, line_of, line_total, lines_of, position_at, reveal
from .lists import begun
from .opening import grid_from, named_record, number_from, on_form, text_from
from .record_view import RecordView, record_digest
from .showing import WINDOW, drawing_of, rows_wanted, window_size
from .work import Work


@require_GET
@on_form(short=True)
def rows(request: HttpRequest, work: Work) -> HttpResponse:
    """A window of rows."""
    asked = number_from(request, "size", WINDOW, 500)
    start, size = number_from(request, "start", 0), min(asked, window_size(work, asked))
    if work.asked.groups:
        html, _ = lines_of(work, layout_of(work), start, size, grid_from(request))
        # A draft may bring a group that nobody had before, and so a line more; and what was typed, another place.
        headers = {"Enlace-Lines": str(line_total(work)), "Enlace-Line": _line_of(work, request.GET.get("record", ""))}
        return HttpResponse(html, headers=headers)
    return HttpResponse(rows_html(work, start, size, grid_from(request)))


def _line_of(work: Work, identifier: str) -> str:
    """The line of the record that a page stands on; "" where there is none any more."""
    try:
        position = work.position(identifier) if identifier else None
    except Problem:
        position = None
    return "" if position is None else str(line_of(work, layout_of(work), position))


@require_GET
@on_form
def count(request: HttpRequest, work: Work) -> HttpResponse:
    """How many records there are; asked apart from the rows, which must not wait for it. said: only for the sentence."""
    answer = Answer(request, work)
    if request.GET.get("said") != "1":
        answer.total(work.total())
    return answer.passing().response()


@require_GET
@on_form(short=True)
def value(request: HttpRequest, work: Work) -> JsonResponse:
    """The whole of one value as an editor shows it, and the print of what is stored: a cell has only the beginning of a
    long text, and a sheet may have no editor of it."""
    view, field = work.record(text_from(request, "record")), work.field(text_from(request, "field"))
    editor = next(editor for editor in editor_views(work, view) if editor.field.name == field.name)
    return JsonResponse({"text": editor.text, "seen": editor.print})


@require_GET
@on_form(short=True)
def at(request: HttpRequest, work: Work) -> HttpResponse:
    """Go to a position: `position` counts from 0, `number`, which people type, from 1. `line`: of a grid with groups.
    `anew`: what shows rows as well."""
    if work.asked.groups and request.GET.get("line"):
        line, layout = number_from(request, "line", 0), layout_of(work)
        place = position_at(work, layout, line)
        return _moved(request, work, work.at(layout.heads[0].first if place is None and layout.heads else place or 0))
    position = number_from(request, "position", number_from(request, "number", 1) - 1)
    view = work.at(position)
    return _moved(request, work, view)


@require_GET
@on_form(short=True)
def arrange(request: HttpRequest, work: Work) -> HttpResponse:
    """The grid of a part in the order and with the filters of the address, at its first row, or at a record that is named.
    seen: rows that it has room for."""
    seen, view = number_from(request, "seen", 0, WINDOW), named_record(request, work)
    if view is None:
        work.look_ahead(rows_wanted(work, seen))
        view = work.at(0)
    drawing = drawing_of(work, view, seen=seen, count_all=True)
    answer = Answer(request, work).panel(view, drawing=drawing).grid(drawing)
    return answer.rail(view.position if view else None, work.total()).passing().response()


@require_GET
@on_form(short=True)
def record(request: HttpRequest, work: Work) -> HttpResponse:
    """Go to a record. `position`: where the page shows it, if it does."""
    view = work.record(text_from(request, "record"), None)
    position = number_from(request, "position", -1) if request.GET.get("position") else work.position(view.id)
    return _moved(request, work, view.moved_to(position))


def _moved(request: HttpRequest, work: Work, view: Any) -> HttpResponse:
    anew = "anew" in request.GET
    answer = Answer(request, work).panel(view, moved=not anew)
    if anew:
        answer.say("Read anew.")  # once it is so: an answer puts away what was told before
    if view is not None:
        answer.row(view)
    return answer.rail(view.position if view else None, work.total()).response()


@require_POST
@on_form
def edit(request: HttpRequest, work: Work) -> HttpResponse:
    """One field of one record gets what was typed."""
    kept = editing.edit(
        work,
        text_from(request, "record"),
        text_from(request, "field"),
        text_from(request, "value"),
        request.POST.get("seen", ""),
        request.POST.get("seen_text"),
        request.POST.get("choice", ""),
    )
    return told(request, work, kept, request.POST["field"])


def told(request: HttpRequest, work: Work, kept: editing.Kept, field: str = "") -> HttpResponse:
    """What an edit came to. field: the one that somebody may still be typing in; without it the panel is written anew."""
    try:
        view = kept.view()
        shown = number_from(request, "position", 0) if request.POST.get("position") else None
        view = view.moved_to(work.position(view.id) if shown is None and not field else shown)
        answer = Answer(request, work).row(view)
        if field and view.state != "conflict":
            answer.notes(view, field)
        else:
            answer.panel(view)
        return answer.masters().strip().response()
    except Problem as problem:
        # The draft has it. The page hears no new revision, so its next pulse asks for all that could not be told now.
        return (
            Answer(request, work)
            .say(f"It is kept in the draft. What is to say of it comes later: {problem}")
            .response()
        )


@require_GET
@on_form
def preview(request: HttpRequest, work: Work) -> HttpResponse:
    """What the calculated fields would be with a text in a field: asked while it is typed, nothing is kept."""
    view = editing.preview(work, text_from(request, "record"), text_from(request, "field"), text_from(request, "value"))
    shown = {f.name for f in work.dataset.shown if f.formula}
    texts = {work.dataset.numbers[name]: calculated_text(work, view, name)[:80] for name in shown}
    return JsonResponse(texts)


@require_POST
@on_form
def empty(request: HttpRequest, work: Work) -> HttpResponse:
    """Give a field no value, or an empty text: what looks the same is not the same to a database."""
    value = "" if request.POST.get("to") == "text" else None
    return told(
        request, work, editing.edit_value(work, text_from(request, "record"), text_from(request, "field"), value)
    )


@require_POST
@on_form
def later(request: HttpRequest, work: Work) -> HttpResponse:
    """Leave a record out of saves, or take it in again."""
    identifier, wanted = text_from(request, "record"), request.POST.get("wanted") == "1"
    saving.later(work, [identifier], wanted)
    view = work.record(identifier, work.position(identifier))
    said = "Left for later: saves leave this record out." if wanted else "The next save takes it in."
    return Answer(request, work).panel(view).row(view).strip().say(said).response()


@require_GET
@on_form
def pulse(request: HttpRequest, work: Work) -> HttpResponse:
    """Asked now and then by an open page: what another window, or somebody else, has changed meanwhile.

    204 when nothing did. revision: of the draft, as the page knows it. record, seen: the current record and a digest of
    what the page shows of it.
    """
    identifier, seen = request.GET.get("record", ""), request.GET.get("seen", "")
    answer = Answer(request, work)
    position = number_from(request, "position", 0)
    if number_from(request, "revision", 0) != work.store.revision:
        view = or_first(work, identifier, work.record) if identifier else work.at(position)
        return all_anew(request, work, view).pulsed().response()
    if identifier.startswith(("i", "k")) and seen:
        stored = work.stored(identifier)
        if record_digest(stored) != seen:
            return answer.drifted(identifier, position, stored).response()
        return HttpResponse(status=204)
    return HttpResponse(status=204, headers={"X-Unasked": "1"})  # whether the database answers is not known by this


@require_POST
@on_form
def new(request: HttpRequest, work: Work) -> HttpResponse:
    """A new record, after the last one. like: with the values of the record that the request names."""
    view = editing.duplicate(work, text_from(request, "record")) if request.POST.get("like") else editing.add(work)
    work.quiet = not request.POST.get("like")
    view, filled = begun(request, work, view)
    if work.asked.groups:
        reveal(work, view.id)
    answer = Answer(request, work).panel(view).rail(view.position, work.total()).strip()
    if not request.POST.get("in_grid"):  # there it is typed in its row
        answer.events["enlace:focus"] = {
            "p": work.prefix,
            "number": _first_to_fill(work, view, filled),
        }
    return answer.stale().say("A new record. Fill in its fields, then save.").response()


def _first_to_fill(work: Work, view: RecordView, filled: str) -> int:
    """The number of the editor in which somebody goes on with a new record: the first that can be typed into, or the one
    behind what is filled in already."""
    editors = [editor for editor in editor_views(work, view) if not editor.locked]
    behind = next((i + 1 for i, editor in enumerate(editors) if editor.field.name == filled), 0)
    # A key that the database makes by itself people type only now and then.
    made = [editor for editor in editors if editor.field.name in work.dataset.key and editor.field.default is not None]
    typed = [editor for editor in editors[behind:] if editor not in made]
    return next((editor.number for editor in typed or editors), 0)


@require_POST
@on_form
def remove(request: HttpRequest, work: Work) -> HttpResponse:
    """Mark the record for removal; it stays in view until the save."""
    identifier = text_from(request, "record")
    position = work.position(identifier)
    view = editing.remove(work, identifier)
    if view is None:
        view = work.at(max((position or 0) - 1, 0))
        return all_anew(request, work, view).say("The new record is gone.").response()
    answer = Answer(request, work).panel(view.moved_to(position)).row(view).strip()
    return answer.say("Marked for removal. It is removed with the next save.").response()


@require_GET
@on_form
def takes(request: HttpRequest, work: Work) -> HttpResponse:
    """What the removal of a record takes with it, as text for the question before it."""
    identifier = text_from(request, "record")
    told = [] if identifier.startswith(("n", "p")) else saving.takes_along(work, identifier)
    return HttpResponse(" ".join(told), content_type="text/plain; charset=utf-8")


@require_POST
@on_form
def discard_changes(request: HttpRequest, work: Work) -> HttpResponse:
    """Take back all that is pending on a record."""
    identifier = text_from(request, "record")
    position = work.position(identifier)
    if identifier.startswith("n"):
        raise Problem("A new record has nothing to go back to.", "Remove it.", code="bad")
    view = editing.discard_changes(work, identifier).moved_to(position)
    return Answer(request, work).panel(view).row(view).strip().say("The record is as it was read.").response()


@require_POST
@on_form
def choose(request: HttpRequest, work: Work) -> HttpResponse:
    """Settle a conflict field by field."""
    identifier = text_from(request, "record")
    if request.POST.get("all") == "theirs":
        theirs = [f.name for f in work.dataset.fields]
    else:
        theirs = [f.name for i, f in enumerate(work.dataset.fields) if request.POST.get(f"take-{i}") == "theirs"]
    if request.POST.get("all") == "theirs" or editing.gone(work, identifier):
        view = or_first(work, identifier, partial(editing.let_go, work))
    else:
        view = editing.choose(work, identifier, theirs)
    said = "Settled. Save again when you are ready." if work.store.counts()["all"] else "Settled. Nothing is pending."
    return all_anew(request, work, view).say(said).response()


def or_first(work: Work, identifier: str, act: Any) -> Any:
    """The record after an act, or the first one when it is not there any more."""
    try:
        return act(identifier)
    except Problem as problem:
        if problem.code != "gone":
            raise
        return work.at(0)


@require_POST
@on_form
def create_again(request: HttpRequest, work: Work) -> HttpResponse:
    """A record that somebody removed, as a new one."""
    view = editing.create_again(work, text_from(request, "record"))
    return all_anew(request, work, view).say("It will be created again with the next save.").response()


@require_POST
@on_form
def undo(request: HttpRequest, work: Work) -> HttpResponse:
    """One step back."""
    return _stepped(request, work, work.store.undo(), "Undone", "There is nothing to undo.")


@require_POST
@on_form
def redo(request: HttpRequest, work: Work) -> HttpResponse:
    """One step forth."""
    return _stepped(request, work, work.store.redo(), "Done again", "There is nothing to do again.")


def _stepped(request: HttpRequest, work: Work, step: Any, done: str, nothing: str) -> HttpResponse:
    work.forget_new()
    if step is None:
        return Answer(request, work).strip().say(nothing).response()
    # Show the record that the step was about, as far as it is still there and of this part of the form.
    ids = [
        item
        for (part, item), record in step.after.items()
        if part == work.part.name and (not item.startswith("n") or record)
    ]
    view = or_first(work, ids[0], work.record) if ids else work.at(number_from(request, "position", 0))
    return all_anew(request, work, view).say(f"{done}: {step.label.lower().rstrip('.')}.").response()


def where_one_was(request: HttpRequest, work: Work) -> Any:
    """The record that a request says somebody stands on, at its place; the first one where it names none."""
    identifier = text_from(request, "record")
    return work.record(identifier, work.position(identifier)) if identifier else work.at(0)


def all_anew(request: HttpRequest, work: Work, view: Any, places: Mapping[str, dict[str, str]] | None = None) -> Answer:
    """Everything that may have changed: panel, navigator, strip and rows. places: where the page goes in its details."""
    if view is not None and view.position is None:
        view = view.moved_to(work.position(view.id))
    answer = Answer(request, work)
    for part, place in (places or {}).items():
        answer.places[part] = {**answer.places.get(part, {}), **place}
    return answer.panel(view).rail(view.position if view else None, work.total()).strip().stale()
