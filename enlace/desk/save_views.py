"""What the desk's addresses do about the whole draft: save, rehearse, review, drop."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enlace.core.problem import Problem
from enlace.core.server.engine import UnknownOutcome

from . import editing, saving
from .answers import Answer
from .attention import first_way, places_of
from .claims import under_way
from .contexts import base_context, strip_context
from .editors import editor_views
from .kept_views import leave
from .opening import number_from, on_form, text_from
from .review import pending_list, rehearsal_list
from .views import all_anew, or_first
from .work import Work


@require_POST
@on_form
def save(request: HttpRequest, work: Work) -> HttpResponse:
    """Send the draft to the server by the form's policy. only: one record, where each is saved when one leaves it.

    Pressed on a page that is not the form's, the review or the rehearsal, it leads to the form, which says what came of it.
    """
    answer = _saved(request, work)
    if request.headers.get("HX-Request") == "true":
        return answer
    events = json.loads(answer.get("HX-Trigger", "{}"))
    if said := events.get("enlace:said", {}).get("sentence"):
        messages.info(request, said)
    current = events.get("enlace:current", {}).get("id", "")
    return redirect(events.get("enlace:go", {}).get("to") or f"{work.address}?{urlencode({'record': current})}")


def _saved(request: HttpRequest, work: Work) -> HttpResponse:
    identifier = request.POST.get("record", "")
    try:
        report = saving.save(work, request.POST.get("only", ""), request.POST.get("token", ""))
    # Neither saved nor not saved: all rows are read anew, and the sentence says how it will be found out.
    except UnknownOutcome as unknown:
        return all_anew(request, work, or_first(work, identifier, work.record)).say(str(unknown)).response()
    saved = report.saved
    if work.kept and report.outcomes:
        return _back_at_the_server(request, work, report)
    if report.failed and not saved:
        return _held_back(request, work, report)
    if not saved:
        return Answer(request, work).strip().say("Nothing is pending.").response()
    master = saved.get(("", work.master), work.master)
    if master != work.master:
        # The master of these details has its key now: they go on under its own address.
        messages.success(request, " ".join([f"Saved {_records(len(saved))}.", *report.also]))
        answer = Answer(request, work)
        answer.events["enlace:go"] = {"to": Work.address_of(work.form, work.part, master)}
        return answer.response()
    now = saved.get((work.part.name, identifier), identifier)
    view = or_first(work, now, work.record) if now else work.at(number_from(request, "position", 0))
    said = " ".join([f"Saved {_records(len(saved))}{' in the practice copy' if work.practice else ''}.", *report.also])
    if report.failed or report.not_tried:
        said += f" {_left(report)} Review shows which."
    answer = all_anew(request, work, view)
    answer.events["enlace:saved"] = {}
    return answer.say(said).response()


def _back_at_the_server(request: HttpRequest, work: Work, report: Any) -> HttpResponse:
    """The server has answered a save made from a kept copy: the form goes on with what the server has now."""
    leave(request, work.form)
    said = " ".join([f"The server is back. Saved {_records(len(report.saved))}.", *report.also])
    if report.failed or report.not_tried:
        said += f" {_left(report)} Review shows which."
    messages.success(request, said)
    first = next((identifier for part, identifier in report.failed if part == work.part.name), "")
    answer = Answer(request, work)
    answer.events["enlace:go"] = {"to": work.address + (f"?record={first}" if first else "")}
    return answer.response()


def _records(count: int) -> str:
    return f"{count:,} {'record' if count == 1 else 'records'}"


def _left(report: Any) -> str:
    """What was not saved, in words."""
    lines = [
        (len(report.conflicts), "in conflict"),
        (len(report.refusals), "refused"),
        (len(report.held), "held back"),
        (len(report.not_tried), "not tried"),
    ]
    return "Not saved: " + ", ".join(f"{count} {word}" for count, word in lines if count) + "."


def _held_back(request: HttpRequest, work: Work, report: Any) -> HttpResponse:
    """Show the first record that needs attention, and say why nothing was saved."""
    mine = [identifier for part, identifier in report.failed if part == work.part.name]
    way = [] if mine or work.part.name else first_way(work, report.failed)
    first = mine[0] if mine else way[0][1] if way else ""
    view = or_first(work, first, work.record) if first else work.at(number_from(request, "position", 0))
    count = len(report.failed)
    item = count == 1
    if report.conflicts:
        n = len(report.conflicts)
        gone = all(c.theirs is None for outcome in report.outcomes.values() for c in outcome.conflicts.values())
        did = "removed" if gone else "changed"
        why = f"Somebody else {did} {n} of your records meanwhile. Choose what stays, then save again."
        kinds = {c.kind for outcome in report.outcomes.values() for c in outcome.conflicts.values()}
        if kinds == {"inserted"}:
            why = "There is already a record with this key. Give yours another one, or let it go on as an edit."
    elif report.refusals:
        reasons = next(iter(report.refusals.values()))
        why = reasons[0].sentence if item else f"The database refused {count:,} records; the first is shown."
    else:
        why = "1 record needs attention first" if item else f"{count:,} records need attention first"
        why += ("; it is shown." if item else "; the first one is shown.") if first else "."
    if not mine:
        titles = sorted({work.parts[part].title for part, _ in report.failed})
        why += f" Look at {' and '.join(titles)}{'' if way else '; Review leads there'}."
    answer = all_anew(request, work, view, places_of(way)).say(f"Nothing was saved. {why}")
    if way:
        answer.events["enlace:focus"] = {"p": f"{way[-1][0]}--"}
        return answer.response()
    # The first field to mend has the focus, so that nobody looks for it.
    faulty = [e.number for e in editor_views(work, view) if e.state in ("wrong", "missing")] if view else []
    if faulty:
        answer.events["enlace:focus"] = {"number": faulty[0]}
    return answer.response()


@require_POST
@on_form
def rehearse(request: HttpRequest, work: Work) -> HttpResponse:
    """Try the save and roll it back; shows what would have happened to each record."""
    report = saving.rehearse(work)
    lines = rehearsal_list(work, report)
    context = {**base_context(work), "lines": lines, "left_out": _left_out(work, lines), **strip_context(work)}
    context["fine"] = not (report.failed or report.not_tried)
    context["keeps"] = not work.form.whole
    context["also"] = report.also
    context["server"] = work.form.dataset.connection.server.name
    return render(request, "desk/rehearsal.html", context)


@require_GET
@on_form
def review(request: HttpRequest, work: Work) -> HttpResponse:
    """Every pending change, field by field, with the statements that will run."""
    changes = pending_list(work)
    context = {**base_context(work), "project": work.form.project, "changes": changes}
    context["left_out"] = _left_out(work, changes)
    context["also"] = saving.takes_along(work)
    return render(request, "desk/review.html", {**context, **strip_context(work)})


def _left_out(work: Work, shown: Sequence[object]) -> int:
    """How many records of the draft a list of them does not show."""
    return max(0, work.store.counts()["all"] - len(shown))


@require_POST
@on_form
def drop(request: HttpRequest, work: Work) -> HttpResponse:
    """Drop one pending change of a record (`field`), or all that is pending on it; back to the review."""
    identifier, field = text_from(request, "record"), request.POST.get("field", "")
    if field:
        editing.revert(work, identifier, field)
    else:
        editing.drop(work, identifier)
    return redirect("review", work.form.pk)


@require_POST
@on_form
def discard(request: HttpRequest, work: Work) -> HttpResponse:
    """Drop the whole draft."""
    identifier = request.POST.get("record", "")
    if work.store.draft is not None and under_way(work.store.draft):
        hint = "Wait until that has ended, then look at what is left."
        raise Problem("The draft is being saved, so it can't be discarded now.", hint, code="busy")
    work.store.clear()
    work.forget_new()
    if request.headers.get("HX-Request") != "true":
        return redirect("review", work.form.pk)
    view = or_first(work, identifier, work.record) if identifier else work.at(0)
    return all_anew(request, work, view).say("All pending changes are discarded.").response()
