"""Server actions at the desk: offered where their guard holds, run on the current record."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from enlace.core.problem import Problem
from enlace.core.save.action import run_action
from enlace.core.server.engine import UnknownOutcome

from .answers import ready_action
from .journal import write_action
from .opening import on_form, text_from
from .views import all_anew, or_first
from .work import Work


@require_POST
@on_form
def run(request, work: Work, action: int):
    """Run an action on the record that the request names."""
    found = get_object_or_404(work.form.actions, pk=action)
    identifier = text_from(request, "record")
    work.require_server()
    if work.store.get(identifier) is not None:
        hint = "Save them or take them back first, so that the action works on what you see."
        raise Problem(f"This record has changes that are not saved, so {found.title} was not run.", hint, code="bad")
    ready = ready_action(work.dataset, found.to_spec(), work.live.kind)
    try:
        outcome = run_action(work.live, ready, identifier, work.person.username)
    except UnknownOutcome:
        hint = "Look at the record before you try again."
        what = f"The connection was lost while {found.title} was under way, so it is not known whether it was done."
        raise Problem(what, hint, code="away") from None
    except Problem as problem:
        raise _refused(work, found.title, problem) from None
    if outcome.done and outcome.was is not None:
        write_action(work, found.title, identifier, outcome.was, outcome.now)
    return all_anew(request, work, or_first(work, identifier, work.record)).say(outcome.sentence).response()


def _refused(work: Work, title: str, problem: Problem) -> Problem:
    """A server's refusal in the words of the rule that was broken, where the server names it."""
    named = next(
        (work.rules.by_constraint(r.name) for r in work.dataset.rules if r.name and r.name in problem.words), None
    )
    hint = named[0] if named else problem.hint
    return Problem(f"{title} was not done; nothing was changed. {problem.what}", hint, problem.words, problem.code)
