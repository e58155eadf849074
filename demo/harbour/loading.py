"""The demo's project, brought in from the folder of text files that it is kept as, and two people."""

from __future__ import annotations

from pathlib import Path

from enlace.accounts.models import Person
from enlace.core.server.dialects import SERVER_KINDS
from enlace.folder.disk import got
from enlace.folder.reading import brought_in, values_of
from enlace.workshop.models import Connection, Project, place_of
from enlace.workshop.secrets import seal
from scripts.throwaway import Throwaway

NAME = "Porto Salgueiro"
PASSWORD = "porto-salgueiro"
PEOPLE = (("builder", "Inês Mareante", Person.Role.BUILDER), ("operator", "Rui Faroleiro", Person.Role.OPERATOR))
FOLDER = Path(__file__).parent / "project"


def load(path: Path, server: Throwaway | None = None) -> Project:
    """The demo's people and project, made when they are not there yet. server: where it does not run on the file."""
    Person.objects.filter(username__in=[name for name, _, _ in PEOPLE]).update(demo=True)
    for username, name, role in PEOPLE:
        if not Person.objects.filter(username=username).exists():
            first, last = name.split(" ", 1)
            Person.objects.create_user(
                username, password=PASSWORD, role=role, first_name=first, last_name=last, demo=True
            )
    name = NAME if server is None else f"{NAME} on {SERVER_KINDS[server.kind].label}"
    project, made = Project.objects.get_or_create(name=name)
    if made:
        project.members.set(Person.objects.filter(username__in=[name for name, _, _ in PEOPLE], role="operator"))
        # The files name the harbour's own database; here it stands somewhere else, and mostly on another machine.
        brought_in(values_of(got(FOLDER)), name, onto=_connection(project, path, server))
    return project


def _connection(project: Project, path: Path, server: Throwaway | None) -> Connection:
    if server is None:
        return Connection.objects.create(project=project, name="Harbour office", parameters={"path": str(path)})
    source = Connection.PasswordFrom.KEPT
    connection = Connection(project=project, name="Harbour office", kind=server.kind, parameters=server.parameters)
    connection.password_from, connection.password = source, seal(server.password, place_of(connection))
    connection.save()
    return connection
