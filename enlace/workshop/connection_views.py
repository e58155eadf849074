"""Connections: made, changed, tested, removed."""

from __future__ import annotations

import os

from django.conf import settings
from django.contrib import messages
from django.db.models import ProtectedError
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.problem import Problem
from enlace.core.server import ConnectionSpec, run_step, step_names

from .models import Connection, Project
from .place import clean_name, stand_in


@builder_only
def connections(request, project: int):
    """The connections of a project."""
    found = get_object_or_404(Project, pk=project)
    stand_in(request, found, "Connections")
    context = {"project": found, "connections": found.connections.all()}
    return render(request, "workshop/connections.html", context)


@builder_only
def new(request, project: int):
    """A new connection."""
    found = get_object_or_404(Project, pk=project)
    stand_in(request, found, "Connections")
    return _form(request, found, Connection(project=found), "New connection")


@builder_only
def edit(request, connection: int):
    """Change a connection's name or file."""
    found = get_object_or_404(Connection.objects.select_related("project"), pk=connection)
    stand_in(request, found.project, "Connections")
    return _form(request, found.project, found, f"Change {found.name}")


def _form(request, project: Project, connection: Connection, title: str):
    told = ""
    typed = {"name": connection.name, "path": connection.parameters.get("path", "")}
    if request.method == "POST":
        typed = {"name": request.POST.get("name", ""), "path": request.POST.get("path", "")}
        try:
            _keep(project, connection, typed)
            return redirect(connection.get_absolute_url() + "?test=1")
        except Problem as problem:
            told = str(problem)
    context = {"project": project, "connection": connection, "typed": typed, "told": told, "title": title}
    return render(request, "workshop/connection_form.html", context, status=400 if told else 200)


def _keep(project: Project, connection: Connection, typed: dict[str, str]) -> None:
    connection.name = clean_name(typed["name"], "connection", 80)
    others = project.connections.exclude(pk=connection.pk)
    if others.filter(name=connection.name).exists():
        raise Problem("The project has a connection of that name already.", "Choose another name.")
    path = typed["path"].strip()
    if not path or "\0" in path:
        raise Problem("The file is missing.", "Give the full path of the database file.")
    path = os.path.abspath(os.path.expanduser(path))
    if _is_own(path):
        # Its own database holds people's passwords and sessions.
        raise Problem("This is Enlace's own database.", "Choose the database of your application.")
    connection.parameters = {"path": path}
    connection.test_passed = None
    connection.save()


def _is_own(path: str) -> bool:
    own = settings.DATABASES["default"]["NAME"]
    try:
        return os.path.samefile(path, own)
    except OSError:
        return os.path.realpath(path) == os.path.realpath(own)


@builder_only
def test(request, connection: int):
    """One step of the connection test; its answer asks for the next one."""
    found = get_object_or_404(Connection, pk=connection)
    spec = found.to_spec()
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
        Connection.objects.filter(pk=found.pk).update(test_passed=outcome.ok or _reads(number, spec))
    context = {
        "connection": found,
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
def remove(request, connection: int):
    """Remove a connection that no dataset uses."""
    found = get_object_or_404(Connection.objects.select_related("project"), pk=connection)
    try:
        found.delete()
    except ProtectedError:
        names = ", ".join(found.datasets.values_list("name", flat=True)[:5])
        raise Problem(f"{found.name} is still used by: {names}.", "Remove their forms first.") from None
    messages.success(request, f"The connection {found.name} is removed. Its database was not touched.")
    return redirect("connections", found.project_id)
