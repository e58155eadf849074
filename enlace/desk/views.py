"""What the desk's addresses do. Every answer is built from the same fragments (`enlace.desk.answers`)."""

from __future__ import annotations

from functools import partial

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset.window import known_count
from enlace.core.problem import Problem
from enlace.workshop.models import Form

from . import editing
from .answers import Answer, editor_views, order_text, panel_context, rail_context, rows_html, strip_context
from .opening import number_from, on_form, text_from
from .review import pending_list, rehearsal_list
from .work import Work

WINDOW = 100
MOST_CELLS = 8_000  # a table of hundreds of columns gets smaller windows


@require_GET
def start(request):
    """The start page: all forms."""
    forms = Form.objects.select_related("project", "dataset__connection").order_by("project__name", "title")
    drafts = dict(request.user.drafts.values_list("form", "changed"))
    return render(request, "desk/start.html", {"forms": [(form, drafts.get(form.pk)) for form in forms]})


def window_size(work: Work) -> int:
    """How many rows a page holds at a time."""
    return max(40, min(WINDOW, MOST_CELLS // max(1, len(work.dataset.shown))))


@require_GET
@on_form
def page(request, work: Work):
    """The form, at the record that the address names or at the first one."""
    identifier = request.GET.get("record", "")
    view = None
    if identifier:
        try:
            view = work.record(identifier)
            position = work.position(identifier)
            view = work.at(position) if position is not None else None
        except Problem:
            view = None  # The address may be old: start at the first record.
    view = view or work.at(number_from(request, "at", 0))
    size = window_size(work)
    position = view.position if view else None
    start = max(0, (position or 0) - size // 3)
    count = known_count(work.rows.spec, work.dataset.table)
    total = None if count is None else count + len(work.new_ids)
    context = {
        "form": work.form,
        "project": work.form.project,
        "dataset": work.dataset,
        "order": order_text(work.rows),
        "rows": rows_html(work, start, size),
        "start": start,
        "size": size,
        "columns": [(i, f, _sorted_by(work, f.name)) for i, f in enumerate(work.dataset.fields) if not f.hidden],
        "widths": " ".join(f"{f.width}px" for f in work.dataset.shown),
        **panel_context(work, view),
        **rail_context(work, position, total),
        **strip_context(work),
    }
    return render(request, "desk/work.html", context)


def _sorted_by(work: Work, name: str) -> str:
    order = order_text(work.rows)
    return {"": "none", name: "ascending", f"-{name}": "descending"}.get(order, "none")


@require_GET
@on_form
def rows(request, work: Work):
    """A window of rows."""
    size = number_from(request, "size", WINDOW, 500)
    return HttpResponse(rows_html(work, number_from(request, "start", 0), min(size, window_size(work))))


@require_GET
@on_form
def count(request, work: Work):
    """How many records there are; asked apart from the rows, which must not wait for it."""
    return Answer(request, work).rail(number_from(request, "position", 0), work.total()).response()


@require_GET
@on_form
def at(request, work: Work):
    """Go to a position: `position` counts from 0, `number`, which people type, from 1."""
    position = number_from(request, "position", number_from(request, "number", 1) - 1)
    view = work.at(position)
    return _moved(request, work, view)


@require_GET
@on_form
def record(request, work: Work):
    """Go to a record. `position`: where the page shows it, if it does."""
    view = work.record(text_from(request, "record"), None)
    position = number_from(request, "position", -1) if request.GET.get("position") else work.position(view.id)
    return _moved(request, work, view.moved_to(position))


def _moved(request, work: Work, view) -> HttpResponse:
    answer = Answer(request, work).panel(view)
    if view is not None:
        answer.row(view)
    return answer.rail(view.position if view else None, work.total()).response()


@require_POST
@on_form
def edit(request, work: Work):
    """One field of one record gets what was typed."""
    view = editing.edit(
        work,
        text_from(request, "record"),
        text_from(request, "field"),
        text_from(request, "value"),
        request.POST.get("seen", ""),
        request.POST.get("seen_text"),
    )
    view = view.moved_to(number_from(request, "position", 0) if request.POST.get("position") else None)
    answer = Answer(request, work).row(view)
    if view.state == "conflict":
        answer.panel(view)
    else:
        answer.notes(view, request.POST["field"])
    return answer.strip().response()


@require_POST
@on_form
def new(request, work: Work):
    """A new record, after the last one."""
    view = editing.add(work)
    answer = Answer(request, work).panel(view).rail(view.position, work.total()).strip()
    answer.events["enlace:focus"] = {"number": next((e.number for e in editor_views(work, view) if not e.locked), 0)}
    return answer.stale().say("A new record. Fill in its fields, then save.").response()


@require_POST
@on_form
def remove(request, work: Work):
    """Mark the record for removal; it stays in view until the save."""
    identifier = text_from(request, "record")
    position = work.position(identifier)
    view = editing.remove(work, identifier)
    if view is None:
        view = work.at(max((position or 0) - 1, 0))
        return _all_anew(request, work, view).say("The new record is gone.").response()
    answer = Answer(request, work).panel(view.moved_to(position)).row(view).strip()
    return answer.say("Marked for removal. It is removed with the next save.").response()


@require_POST
@on_form
def keep(request, work: Work):
    """Take back all that is pending on a record."""
    identifier = text_from(request, "record")
    position = work.position(identifier)
    if identifier.startswith("n"):
        raise Problem("A new record has nothing to go back to.", "Remove it instead.", code="bad")
    view = editing.keep(work, identifier).moved_to(position)
    return Answer(request, work).panel(view).row(view).strip().say("The record is as it was read.").response()


@require_POST
@on_form
def choose(request, work: Work):
    """Settle a conflict field by field."""
    identifier = text_from(request, "record")
    if request.POST.get("all") == "theirs":
        theirs = [f.name for f in work.dataset.fields]
    else:
        theirs = [f.name for i, f in enumerate(work.dataset.fields) if request.POST.get(f"take-{i}") == "theirs"]
    if request.POST.get("all") == "theirs" or editing.gone(work, identifier):
        view = _or_first(work, identifier, partial(editing.let_go, work))
    else:
        view = editing.choose(work, identifier, theirs)
    return _all_anew(request, work, view).say("Settled. Save again when you are ready.").response()


def _or_first(work: Work, identifier: str, act):
    """The record after an act, or the first one when it is not there any more."""
    try:
        return act(identifier)
    except Problem as problem:
        if problem.code != "gone":
            raise
        return work.at(0)


@require_POST
@on_form
def create_again(request, work: Work):
    """A record that somebody removed, as a new one."""
    view = editing.create_again(work, text_from(request, "record"))
    return _all_anew(request, work, view).say("It will be created again with the next save.").response()


@require_POST
@on_form
def undo(request, work: Work):
    """One step back."""
    return _stepped(request, work, work.store.undo(), "Undone", "There is nothing to undo.")


@require_POST
@on_form
def redo(request, work: Work):
    """One step forth."""
    return _stepped(request, work, work.store.redo(), "Done again", "There is nothing to do again.")


def _stepped(request, work: Work, step, done: str, nothing: str) -> HttpResponse:
    work.forget_new()
    if step is None:
        return Answer(request, work).strip().say(nothing).response()
    # Show the record that the step was about, as far as it is still there.
    ids = [one for one in step.after if not one.startswith("n") or step.after[one]]
    view = _or_first(work, ids[0], work.record) if ids else work.at(number_from(request, "position", 0))
    return _all_anew(request, work, view).say(f"{done}: {step.label.lower()}.").response()


@require_POST
@on_form
def discard(request, work: Work):
    """Drop the whole draft."""
    identifier = request.POST.get("record", "")
    work.store.clear()
    work.forget_new()
    view = _or_first(work, identifier, work.record) if identifier else work.at(0)
    return _all_anew(request, work, view).say("All pending changes are dropped.").response()


@require_POST
@on_form
def save(request, work: Work):
    """Send the draft to the server, all of it or nothing."""
    identifier = request.POST.get("record", "")
    outcome, held = work.save()
    if held or outcome.conflicts or outcome.refusals:
        return _held_back(request, work, outcome, held)
    if not outcome.committed:
        return Answer(request, work).strip().say("Nothing is pending.").response()
    now = outcome.ids.get(identifier, identifier)
    view = _or_first(work, now, work.record) if now else work.at(number_from(request, "position", 0))
    count = len(outcome.ids)
    return _all_anew(request, work, view).say(f"Saved {count} {'record' if count == 1 else 'records'}.").response()


def _held_back(request, work: Work, outcome, held) -> HttpResponse:
    """Show the first record that needs attention, and say why nothing was saved."""
    first = next(iter([*held, *outcome.conflicts, *outcome.refusals]))
    view = _or_first(work, first, work.record)
    count = len({*held, *outcome.conflicts, *outcome.refusals})
    one = count == 1
    if outcome.conflicts:
        n = len(outcome.conflicts)
        why = f"Somebody else changed {n} of your records meanwhile. Choose what stays, then save again."
    elif outcome.refusals:
        reasons = next(iter(outcome.refusals.values()))
        why = reasons[0].sentence if one else f"The database refused {count} records; the first is shown."
    else:
        why = f"{count} {'record needs' if one else 'records need'} attention first; the {'' if one else 'first '}one is shown."
    answer = _all_anew(request, work, view).say(f"Nothing was saved. {why}")
    faulty = [e.number for e in editor_views(work, view) if e.state in ("wrong", "missing")] if view else []
    if faulty:
        answer.events["enlace:focus"] = {"number": faulty[0]}
    return answer.response()


def _all_anew(request, work: Work, view) -> Answer:
    """Everything that may have changed: panel, navigator, strip and rows."""
    if view is not None and view.position is None:
        view = view.moved_to(work.position(view.id))
    answer = Answer(request, work).panel(view)
    return answer.rail(view.position if view else None, work.total()).strip().stale()


@require_POST
@on_form
def rehearse(request, work: Work):
    """Try the save and roll it back; shows what would have happened to each record."""
    outcome, held = work.rehearse()
    context = {"form": work.form, "lines": rehearsal_list(work, outcome, held), **strip_context(work)}
    context["fine"] = not (held or outcome.conflicts or outcome.refusals)
    return render(request, "desk/rehearsal.html", context)


@require_GET
@on_form
def review(request, work: Work):
    """Every pending change, field by field."""
    context = {"form": work.form, "project": work.form.project, "changes": pending_list(work), **strip_context(work)}
    return render(request, "desk/review.html", context)
