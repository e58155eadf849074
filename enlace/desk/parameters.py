"""The values that a form's query asks for: given by each person, kept for the session."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.core.dataset.query import parameters_of
from enlace.core.labels import label_of
from enlace.core.problem import Problem
from enlace.workshop.models import Form

from .addresses import GIVEN

LONGEST = 200


def given_of(request: HttpRequest, form: Form) -> dict[str, str]:
    """The values that the person gave for a form's query, or that the address of its page says; those are kept too, since all
    that the page asks for later is asked with them."""
    kept = dict(request.session.get(_place(form), {}))
    said = {
        name.removeprefix(GIVEN): text.strip()[:LONGEST] for name, text in request.GET.items() if name.startswith(GIVEN)
    }
    if said:
        names = parameters_of(form.dataset.query, form.dataset.connection.kind)
        told = {**kept, **{name: said[name] for name in names if said.get(name)}}
        if told != kept:
            request.session[_place(form)] = kept = told
    return kept


def _place(form: Form) -> str:
    return f"given {form.pk}"


def lines(form: Form, parameter_values: dict[str, str]) -> list[tuple[str, str, str]]:
    """(name, label, value) of each value that a form asks for."""
    names = parameters_of(form.dataset.query, form.dataset.connection.kind)
    return [(name, label_of(name), parameter_values.get(name, "")) for name in names]


def ask_page(
    request: HttpRequest, form: Form, problem: Problem | None = None, values: dict[str, str] | None = None
) -> HttpResponse:
    """Ask for the values before the form can show anything. problem: what came of those that were given. values: those that
    were typed and are not kept."""
    context = {"form": form, "project": form.project, "problem": problem}
    context["given"] = lines(form, given_of(request, form) if values is None else values)
    status = 200 if problem is None else 400 if problem.code == "bad" else 409
    return render(request, "desk/given.html", context, status=status)


@require_POST
def give(request: HttpRequest, form_id: int) -> HttpResponse:
    """Take the values, and show the form."""
    form = get_object_or_404(Form.objects.for_person(request.user).select_related("dataset__connection"), pk=form_id)
    names = parameters_of(form.dataset.query, form.dataset.connection.kind)
    values = {name: request.POST.get(GIVEN + name, "").strip()[:LONGEST] for name in names}
    lacking = [name for name, value in values.items() if not value]
    if lacking:
        problem = Problem(f"The form asks for {', '.join(lacking)}.", "Give a value for each.", code="bad")
        return ask_page(request, form, problem, values)
    request.session[_place(form)] = values
    return redirect("work", form.pk)
