"""Connections: made, changed, tested, removed."""

from __future__ import annotations

from django.contrib import messages
from django.db import transaction
from django.db.models import ProtectedError
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.save.receipts import NAME, make_table
from enlace.core.server import forget_engines, run_step, step_names
from enlace.core.server.dialects import SERVER_KINDS

from . import practice, secrets
from .connection_forms import PASTED, Typed, keep
from .details import forget
from .models import Connection, Detail, Project, place_of
from .place import stand_in


@builder_only
def connections(request: HttpRequest, project_id: int) -> HttpResponse:
    """The connections of a project."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Connections")
    context = {"project": project, "connections": project.connections.all()}
    return render(request, "workshop/connections.html", context)


@builder_only
def new(request: HttpRequest, project_id: int) -> HttpResponse:
    """A new connection."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Connections")
    return _form(request, project, Connection(project=project), "New connection")


@builder_only
def edit(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Change a connection."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Connections")
    return _form(request, connection.project, connection, f"Change {connection.name}")


def _form(request: HttpRequest, project: Project, connection: Connection, title: str) -> HttpResponse:
    """act: "keep", "take-apart" (what is pasted) or "kind" (another kind of server was chosen)."""
    told = ""
    typed = Typed.of(connection)
    if request.method == "POST":
        try:
            typed = Typed.posted(request, connection)
            act = request.POST.get("act", "keep")
            if act == "take-apart":
                typed = typed.pasted(request)
            elif act != "kind":
                keep(request, connection, typed)
                return redirect(connection.get_absolute_url() + "?test=1")
        except Problem as problem:
            told = str(problem)
    else:
        # A password that was pasted for a form that nobody finished must not turn up in the next one.
        request.session.pop(PASTED, None)
    context = {"project": project, "connection": connection, "typed": typed, "told": told, "title": title}
    context |= {"kinds": SERVER_KINDS.values(), "sources": Connection.PasswordFrom.choices}
    return render(request, "workshop/connection_form.html", context, status=400 if told else 200)


@builder_only
def test(request: HttpRequest, connection_id: int) -> HttpResponse:
    """One step of the connection test; its answer asks for the next one."""
    connection = get_object_or_404(Connection, pk=connection_id)
    spec = connection.to_spec()
    names = step_names(spec)
    try:
        number = int(request.GET.get("step", "0"))
        if not 0 <= number < len(names):
            raise ValueError
    except ValueError:
        raise Problem("There is no such step.", "Start the test again.", code="bad") from None
    outcome = run_step(spec, number)
    last = number == len(names) - 1
    if not outcome.ok or last:
        # By itself, not with save(): a form that is changed in another window must not be put back.
        Connection.objects.filter(pk=connection.pk).update(test_passed=outcome.ok or _reads(number, spec))
    context = {
        "connection": connection,
        "outcome": outcome,
        "next": number + 1,
        "last": last,
        "waiting": names[number + 1 :],
    }
    return render(request, "workshop/test_step.html", context)


def _reads(number: int, spec: ConnectionSpec) -> bool:
    # Only the last step, writing, failed: the connection is good for reading.
    return number == len(step_names(spec)) - 1


@require_POST
@builder_only
def remove(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Remove a connection that no dataset uses."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    try:
        with transaction.atomic():  # what can be brought back stays where the connection does
            forget(Detail.everything.filter(off=True, dataset__connection=connection))
            connection.delete()
    # The database of Enlace knows what refers to it; asking first would only be a second answer that can differ.
    except ProtectedError:
        names = ", ".join(connection.datasets.values_list("name", flat=True)[:5])
        raise Problem(f"{connection.name} is still used by: {names}.", "Remove their forms first.") from None
    messages.success(request, f"The connection {connection.name} is removed. Its database was not touched.")
    return redirect("connections", connection.project_id)


@require_POST
@builder_only
def copy(request: HttpRequest, connection_id: int) -> HttpResponse:
    """The practice copy: work on it, refresh it, go back to the live database, throw it away."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    if not connection.server.is_file:
        raise Problem("Only databases in files can be copied here.", "Ask who runs the server for a copy.", code="bad")
    act = request.POST.get("act", "")
    if act in ("work", "refresh"):
        # Whoever goes back to a copy that is there wants what was tried in it; only the first time there is none.
        if act == "refresh" or practice.made_at(connection) is None:
            practice.refresh(connection)
        told = "The copy is as the live database is now."
        if act == "work":
            connection.practice, told = True, "All forms of this connection work on the practice copy from now on."
    elif act in ("live", "throw-away"):
        connection.practice = False
        told = "All forms of this connection work on the live database from now on."
        if act == "throw-away":
            practice.throw_away(connection)
            told = "The practice copy is gone. Forms work on the live database."
    else:
        raise Problem("There is no such act.", "Use the buttons of the page.", code="bad")
    connection.save(update_fields=["practice"])
    # Engines of the other file are open and pooled: they would go on reading and writing it.
    forget_engines()
    messages.success(request, told)
    return redirect(connection)


@builder_only
def compare(request: HttpRequest, connection_id: int) -> HttpResponse:
    """What the practice copy and the live database hold differently, table by table."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Connections")
    if not connection.server.is_file or practice.made_at(connection) is None:
        raise Problem("There is no practice copy.", "Make one on the connection's page.", code="missing")
    context = {"project": connection.project, "connection": connection, "lines": practice.compare(connection)}
    return render(request, "workshop/copy_compared.html", context)


@require_POST
@builder_only
def receipts(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Let saves leave receipts in a table of the database, or not any more."""
    connection = get_object_or_404(Connection, pk=connection_id)
    if request.POST.get("act") == "make":
        make_table(connection.to_spec(), NAME)
        connection.receipts = NAME
        messages.success(request, f"The table {NAME} is there. From now on each save leaves a receipt in it.")
    else:
        connection.receipts = ""
        messages.success(request, f"Saves leave no receipts any more. The table {NAME} stays until you drop it.")
    connection.save(update_fields=["receipts"])
    return redirect(connection)


def unlock(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Give the password of a connection that asks for it. For everybody who works with the connection."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Desk")
    told, after = "", _inside(request)
    if request.method == "POST":
        kept = dict(request.session.get(secrets.IN_SESSION, {}))
        request.session[secrets.IN_SESSION] = {
            **kept,
            str(connection.pk): secrets.seal(request.POST.get("password", ""), place_of(connection)),
        }
        # The middleware put in what the session held when the request came; the test has to see what was just typed.
        token = secrets.given.set(request.session[secrets.IN_SESSION])
        try:
            problem = first_problem(connection.to_spec())
        finally:
            secrets.given.reset(token)
        if problem is None:
            return HttpResponseRedirect(after)
        # A wrong password is not kept: every form would ask the server with it and be told the same.
        request.session[secrets.IN_SESSION] = kept
        told = str(problem)
    context = {"connection": connection, "told": told, "after": after}
    return render(request, "workshop/unlock.html", context, status=400 if told else 200)


def first_problem(spec: ConnectionSpec) -> Problem | None:
    """The first step of the test that fails, writing apart."""
    for number, _ in enumerate(step_names(spec)[:-1]):
        outcome = run_step(spec, number)
        if not outcome.ok:
            return outcome.problem
    return None


def _inside(request: HttpRequest) -> str:
    """Where to go on; only addresses of this site."""
    wanted = request.POST.get("next") or request.GET.get("next") or ""
    inside = wanted.startswith("/") and url_has_allowed_host_and_scheme(wanted, allowed_hosts=None)
    return wanted if inside and wanted.isprintable() else reverse("desk")
