"""The panel's page and its acts."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from demo.harbour.colleague import ACTS, Colleague
from demo.harbour.loading import NAME
from enlace.core.problem import Problem
from enlace.workshop.models import Connection, Form

from . import outage


def _connections():
    return Connection.objects.filter(project__name__startswith=NAME).select_related("project")


@require_GET
def page(request):
    """The colleague and the outage for each connection of the demo."""
    connections = [{"one": c, "away": outage.is_away(c)} for c in _connections()]
    forms = Form.objects.filter(project__name__startswith=NAME, dataset__read_only_because="").select_related("project")
    return render(request, "panel/page.html", {"connections": connections, "forms": forms})


@require_POST
def colleague(request):
    """Let the colleague do something in a form's table, or in one of its details', to a record or to any."""
    form = get_object_or_404(Form.objects.select_related("dataset__connection"), pk=_number(request, "form"))
    dataset = form.dataset
    if request.POST.get("part"):
        dataset = get_object_or_404(form.details.select_related("dataset"), pk=_number(request, "part")).dataset
    act = request.POST.get("act", "")
    if act not in ACTS:
        raise Problem("The colleague can't do that.", "Use the buttons of the panel.", code="bad")
    try:
        told = Colleague(form.dataset.connection.to_spec(), dataset.table).act(act, request.POST.get("record", ""))
    except (Problem, ValueError) as problem:
        told = f"The colleague could not: {problem}"
    return _answer(request, told)


@require_POST
def away(request):
    """Take the database of a connection away, or bring it back."""
    connection = get_object_or_404(_connections(), pk=_number(request, "connection"))
    if request.POST.get("act") == "back":
        outage.bring_back(connection)
        return _answer(request, "The database is back.")
    outage.take_away(connection)
    return _answer(request, "The database is away. Work on, and bring it back when you like.")


def _number(request, name: str) -> int:
    text = request.POST.get(name, "")
    return int(text) if text.isdecimal() and len(text) < 10 else 0


def _answer(request, told: str):
    if request.headers.get("HX-Request") == "true":
        from json import dumps

        return HttpResponse(headers={"HX-Trigger": dumps({"enlace:said": {"sentence": told[:500]}})})
    messages.info(request, told)
    return redirect("demo")
