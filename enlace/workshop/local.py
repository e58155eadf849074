"""Databases of a project's own, for tables that are nowhere else: in a file that stays, or only in memory."""

from __future__ import annotations

import hashlib
import os
import secrets
import stat
import tempfile
from collections.abc import Sequence
from pathlib import Path

from django.conf import settings

from enlace.core.problem import Problem
from enlace.core.server.making import NewColumn, table_schema

from .models import Connection, Project

KEPT, IN_MEMORY = "Local tables", "Tables in memory"
MEMORY = Path("/dev/shm")


def folder(memory: bool) -> Path:
    """Where such databases are. In memory: gone when the machine starts again."""
    if not memory:
        return settings.HOME / "local"
    home = hashlib.sha256(str(settings.HOME).encode()).hexdigest()[:12]
    return (MEMORY if os.access(MEMORY, os.W_OK) else Path(tempfile.gettempdir())) / f"enlace-{os.getuid()}-{home}"


def local_database(project: Project, memory: bool) -> Connection:
    """The project's own database, made at first use; one in memory that is gone is begun anew, empty."""
    place = folder(memory)
    place.mkdir(mode=0o700, exist_ok=True)
    there = place.lstat()
    if not stat.S_ISDIR(there.st_mode) or there.st_uid != os.getuid() or there.st_mode & 0o077:
        hint = "Somebody else made it. Ask whoever runs this machine to remove it."
        raise Problem(f"The folder {place} is not Enlace's own.", hint, code="forbidden")
    name = IN_MEMORY if memory else KEPT
    connection = project.connections.filter(name=name).first()
    if connection is None:
        path = place / f"{secrets.token_hex(8)}.sqlite3"
        connection = Connection.objects.create(project=project, name=name, parameters={"path": str(path)})
    if is_local(connection):
        Path(connection.parameters["path"]).touch(mode=0o600)
    return connection


def is_local(connection: Connection) -> bool:
    """Whether a connection is to a database of a project's own, made here."""
    path = Path(connection.parameters.get("path", ""))
    return connection.kind == "sqlite" and path.parent in (folder(False), folder(True))


def keep_schema(connection: Connection, table: str, columns: Sequence[NewColumn]) -> None:
    """Put a Table Schema of a new table beside the data, where that is a file of the project's own."""
    if is_local(connection):
        data = Path(connection.parameters["path"])
        named = "".join(c if c.isalnum() else "_" for c in table)
        data.with_name(f"{data.stem}.{named}.schema.json").write_text(table_schema(columns))
