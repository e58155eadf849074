"""What somebody typed about a connection, checked and kept."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass, field

from django.http import HttpRequest

from enlace.accounts.log import note
from enlace.core.problem import Problem
from enlace.core.server.connecting import take_apart
from enlace.core.server.dialects import SERVER_KINDS, ServerKind
from enlace.core.server.places import checked_file

from . import secrets
from .models import Connection, place_of
from .place import clean_name

LONGEST = 1000
From = Connection.PasswordFrom
PASTED = "pasted password"


@dataclass
class Typed:
    """A connection as typed. The password itself is never part of a page: `has_password` tells that one is kept."""

    name: str = ""
    kind: str = "sqlite"
    parameters: dict[str, str] = field(default_factory=dict)
    password_from: str = str(From.NOWHERE)
    variable: str = ""
    has_password: bool = False

    @classmethod
    def of(cls, connection: Connection) -> Typed:
        return cls(
            connection.name,
            connection.kind,
            dict(connection.parameters),
            connection.password_from,
            connection.variable,
            bool(connection.password),
        )

    @classmethod
    def posted(cls, request: HttpRequest, connection: Connection) -> Typed:
        """What a form sent. Raises Problem for a kind that is none."""
        kind = request.POST.get("kind", "sqlite")
        if kind not in SERVER_KINDS:
            raise Problem("There is no such kind of server.", "Choose one from the list.", code="bad")
        # What the fields of another kind began with nobody typed: a port is another one then.
        former = SERVER_KINDS.get(request.POST.get("of-kind", kind), SERVER_KINDS[kind])
        begun = {p.name: p.initial for p in former.parameters} if former.name != kind else {}
        given = {}
        for p in SERVER_KINDS[kind].parameters:
            said = request.POST.get(f"p-{p.name}", p.initial)[:LONGEST].strip()
            given[p.name] = p.initial if said == begun.get(p.name) else said
        has = bool(connection.password) or PASTED in request.session
        source = request.POST.get("password_from", From.KEPT if SERVER_KINDS[kind].has_password else From.NOWHERE)
        return cls(request.POST.get("name", ""), kind, given, source, request.POST.get("variable", "").strip(), has)

    @property
    def server(self) -> ServerKind:
        return SERVER_KINDS[self.kind]

    @property
    def fields(self) -> list[dict]:
        """The kind's parameters with what is typed in each."""
        return [{"one": p, "value": self.parameters.get(p.name, p.initial)} for p in self.server.parameters]

    def pasted(self, request: HttpRequest) -> Typed:
        """The same with a pasted URL or string taken apart; its password waits in the session, sealed."""
        taken = take_apart(request.POST.get("paste", "")[:LONGEST])
        typed = Typed(self.name, taken.kind or self.kind, dict(taken.parameters))
        if taken.secret:
            request.session[PASTED] = secrets.seal(taken.secret)
            typed.password_from, typed.has_password = str(From.KEPT), True
        return typed


def keep(request: HttpRequest, connection: Connection, typed: Typed) -> None:
    """Keep a connection as typed. Raises Problem that says what is wrong."""
    connection.name = clean_name(typed.name, "connection", 80)
    others = connection.project.connections.exclude(pk=connection.pk)
    if others.filter(name=connection.name).exists():
        raise Problem("The project has a connection of that name already.", "Choose another name.")
    parameters = _parameters(typed, connection)
    place = place_of(connection)
    if connection.kind != typed.kind or connection.parameters != parameters:
        if connection.practice:
            raise Problem("This connection works on its practice copy.", "Go back to the live database first.")
        connection.receipts = ""  # the other database has no such table
    connection.kind, connection.parameters = typed.kind, parameters
    if place != place_of(connection):
        connection.password = ""  # it was given for another place, and goes nowhere else
    _password(request, connection, typed)
    note("connection", request.user, connection=connection.pk or "new", kind=connection.kind)
    connection.test_passed = None
    connection.save()
    request.session.pop(PASTED, None)


def _parameters(typed: Typed, connection: Connection) -> dict[str, str]:
    parameters = {}
    for parameter in typed.server.parameters:
        value = typed.parameters.get(parameter.name, "")
        if "\0" in value or (parameter.required and not value):
            raise Problem(f"{parameter.label}: a value is missing.", parameter.help, code="bad")
        if parameter.choices and value not in dict(parameter.choices):
            value = parameter.choices[0][0]
        if value:
            parameters[parameter.name] = value
    # A path that stays is not looked at: the file may be away for a while, and other things of the connection change.
    if typed.server.is_file and (connection.pk is None or parameters["path"] != connection.parameters.get("path")):
        parameters["path"] = _path(parameters["path"])
    return parameters


def _path(typed: str) -> str:
    """The path, as far as anything can be said of it now: what may be opened is looked at whenever it is."""
    path = os.path.abspath(os.path.expanduser(typed))
    try:
        checked_file(path, typed=True)
    except Problem as problem:
        # Only what may never be opened is refused now; that the file is not there is what the test tells.
        if problem.code == "forbidden":
            raise
    return path


def _password(request: HttpRequest, connection: Connection, typed: Typed) -> None:
    source = typed.password_from if typed.server.has_password else From.NOWHERE
    if source not in From.values:
        raise Problem("Say where the password comes from.", "Choose one of the four ways.", code="bad")
    given = request.POST.get("password", "") or secrets.opened(request.session.get(PASTED, ""))
    # Sealed for its server, port, database and user: where one of those changes, it opens no more, so that it can't
    # be sent elsewhere.
    given = secrets.seal(given, place_of(connection))
    if source == From.KEPT and not (given or connection.password):
        hint = "Type it, or choose another way. A kept password goes with its server, port, database and user only."
        raise Problem("The password is missing.", hint, code="bad")
    if source == From.ENVIRONMENT:
        _check_variable(typed.variable)
    connection.password_from = source
    connection.password = (given or connection.password) if source == From.KEPT else ""
    connection.variable = typed.variable if source == From.ENVIRONMENT else ""


def _check_variable(name: str) -> None:
    if not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]{0,119}", name):
        hint = f"Such names have letters, digits and underscores, as in {secrets.PREFIX}HARBOUR."
        raise Problem(f"“{name}” is no name of an environment variable.", hint, code="bad")
    secrets.check_variable(name)
