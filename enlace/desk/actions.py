"""Server actions at the desk: offered where their guard holds, run on the current record."""

from __future__ import annotations

from functools import partial

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from enlace.core.problem import Problem
from enlace.core.save.action import Action, run_action
from enlace.core.server.engine import UnknownOutcome
from enlace.workshop.models import ServerAction

from .claims import Claim, claimed
from .contexts import ready_action
from .journal import write_action
from .opening import on_form, text_from
from .saving import UNKNOWN_ACTION, look_into
from .views import all_anew, or_first
from .work import Work


@require_POST
@on_form
def run(request: HttpRequest, work: Work, action_id: int) -> HttpResponse:
    """Run an action on the record that the request names."""
    server_action = get_object_or_404(work.form.actions, pk=action_id)
    identifier = text_from(request, "record")
    work.require_server()
    if work.store.get(identifier) is not None:
        hint = "Save them or take them back first, so that the action works on what you see."
        raise Problem(
            f"This record has changes that are not saved, so {server_action.title} was not run.", hint, code="bad"
        )
    ready = ready_action(work.dataset, server_action.to_spec(), work.live.kind)
    with claimed(work.store, request.POST.get("token", ""), partial(look_into, work), action=True) as claim:
        if claim.answer == UNKNOWN_ACTION:
            raise _unknown(server_action.title)
        sentence = claim.answer or _done(work, server_action, ready, identifier, claim)
    work.forget_draft()
    return all_anew(request, work, or_first(work, identifier, work.record)).say(sentence).response()


def _done(work: Work, action: ServerAction, ready: Action, identifier: str, claim: Claim) -> str:
    """Run an action once; what there is to say of it."""
    claim.sending()
    try:
        outcome = run_action(work.live, ready, identifier, work.person.username)
    except UnknownOutcome:
        claim.end(UNKNOWN_ACTION)
        raise _unknown(action.title) from None
    except Problem as problem:
        raise _refused(work, action.title, problem) from None
    with transaction.atomic():
        if outcome.done and outcome.was is not None:
            write_action(work, action.title, identifier, outcome.was, outcome.now)
        claim.end(outcome.sentence)
    return outcome.sentence


def _unknown(title: str) -> Problem:
    hint = "Look at the record, and read the page anew before you try again."
    what = f"The connection was lost while {title} was under way, so it is not known whether it was done."
    return Problem(what, hint, code="away")


def _refused(work: Work, title: str, problem: Problem) -> Problem:
    """A server's refusal in the words of the rule that was broken, where the server names it."""
    if problem.code == "committed":
        return problem  # something was changed
    named = next(
        (work.rules.by_constraint(r.name) for r in work.dataset.rules if r.name and r.name in problem.words), None
    )
    hint = named[0] if named else problem.hint
    return Problem(f"{title} was not done; nothing was changed. {problem.what}", hint, problem.words, problem.code)
