"""Server actions of a form: written, tried, removed."""

from __future__ import annotations

import json

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.problem import Problem
from enlace.core.save.action import Action, first_allowed, run_action
from enlace.core.save.action_statements import check_action
from enlace.core.server.dialects import server_kind

from .models import Form, ServerAction
from .place import clean_name, stand_in
from .query_views import known_columns

LONGEST = 8_000
TEXTS = ("question", "guard", "unmet", "done")


def _form(pk: int) -> Form:
    return get_object_or_404(Form.objects.select_related("project", "dataset__connection"), pk=pk)


@builder_only
def new(request: HttpRequest, form_id: int) -> HttpResponse:
    """A new action on a form."""
    form = _form(form_id)
    return _page(request, form, ServerAction(form=form, place=form.actions.count()))


@builder_only
def edit(request: HttpRequest, action_id: int) -> HttpResponse:
    """Change an action."""
    server_action = get_object_or_404(ServerAction.objects.select_related("form__project"), pk=action_id)
    return _page(request, _form(server_action.form_id), server_action)


def _page(request: HttpRequest, form: Form, action: ServerAction) -> HttpResponse:
    stand_in(request, form.project, "Forms")
    told = tried = ""
    if request.method == "POST":
        try:
            _filled(request, form, action)
            if "try" in request.POST:
                tried = _tried(request, form, action)
            else:
                action.save()
                messages.success(request, f"Applied. {action.title} is on a button of the form from now on.")
                return redirect(form)
        except Problem as problem:
            told = str(problem) + (f" ({problem.words})" if problem.words else "")
    fields = [f.name for f in form.dataset.to_spec().fields]
    context = {"project": form.project, "form": form, "action": action, "told": told, "tried": tried, "fields": fields}
    context["names_json"] = json.dumps(fields)
    connection = form.dataset.connection
    context["has_routines"] = not server_kind(connection.kind).in_process
    context["known"] = {"dialect": connection.kind, "columns": known_columns(connection)}
    return render(request, "workshop/action.html", context, status=400 if told else 200)


def _filled(request: HttpRequest, form: Form, action: ServerAction) -> None:
    """Take over what was typed, first, so that nothing of it is lost when it can't be understood."""
    action.statements = request.POST.get("statements", "").replace("\r\n", "\n").strip()[:LONGEST]
    for name in TEXTS:
        setattr(action, name, " ".join(request.POST.get(name, "").split())[:300])
    action.title = request.POST.get("title", "")[:60]
    action.title = clean_name(action.title, "action", 60)
    dataset = form.dataset.to_spec()
    if dataset.read_only_because and not dataset.key:
        raise Problem("An action needs a record that can be told apart.", dataset.read_only_because, code="bad")
    Action(dataset, action.to_spec(), form.dataset.connection.kind)
    check_action(form.dataset.connection.to_spec(), action.statements)


def _tried(request: HttpRequest, form: Form, action: ServerAction) -> str:
    """What the action would do to the first record that its guard allows; rolled back."""
    spec, dataset = form.dataset.connection.to_spec(), form.dataset.to_spec()
    ready = Action(dataset, action.to_spec(), spec.kind)
    identifier = first_allowed(spec, ready)
    if identifier is None:
        return "There is no record that this may be done to now."
    outcome = run_action(spec, ready, identifier, request.user.username, rehearsal=True)
    if not outcome.done:
        return outcome.sentence
    counts = ", ".join(
        "not told by a call" if count is None else f"{count} row{'' if count == 1 else 's'}"
        for count in outcome.changed
    )
    name = ", ".join(str((outcome.was or {})[k]) for k in dataset.key)
    return f"Tried on record {name} and rolled back. Rows changed, by statement: {counts}. {outcome.sentence}"


@require_POST
@builder_only
def remove(request: HttpRequest, action_id: int) -> HttpResponse:
    """Remove an action."""
    server_action = get_object_or_404(ServerAction.objects.select_related("form"), pk=action_id)
    server_action.delete()
    messages.success(request, f"{server_action.title} is removed.")
    return redirect(server_action.form)
