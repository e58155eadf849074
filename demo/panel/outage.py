"""The simulated outage: takes the demo's database away, and brings it back.

A file is moved aside, a database server of the demo's own is killed and started again.
"""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from demo.harbour import host
from enlace.core.problem import Problem
from enlace.core.server import forget_engines
from enlace.workshop.models import Connection


def _file(connection: Connection) -> tuple[Path, Path]:
    there = Path(connection.parameters["path"])
    return there, there.with_name(there.name + ".away")


def _server(connection: Connection):
    folder = host.place(settings.HOME, connection.kind)
    if not folder.exists():
        raise Problem("This server is not the demo's own.", "The outage leaves other servers alone.", code="forbidden")
    return host.known(settings.HOME, connection.kind)


def is_away(connection: Connection) -> bool:
    """Whether the database is away now."""
    if connection.server.is_file:
        return _file(connection)[1].exists()
    return host.place(settings.HOME, connection.kind).exists() and not _server(connection).answers()


def take_away(connection: Connection) -> None:
    """Take it away. Raises Problem for a database that is not the demo's."""
    if not connection.server.is_file:
        _server(connection).halt()
        return
    there, aside = _file(connection)
    if there.parent != settings.HOME / "demo":
        raise Problem("This file is not the demo's own.", "The outage leaves other files alone.", code="forbidden")
    if there.exists():
        there.rename(aside)


def bring_back(connection: Connection) -> None:
    """Bring it back."""
    if connection.server.is_file:
        there, aside = _file(connection)
        if aside.exists():
            aside.rename(there)
    elif is_away(connection):
        _server(connection).start()
    forget_engines()
