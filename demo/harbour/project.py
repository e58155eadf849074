"""The demo's project: connection, datasets and forms over the harbour's database, and two people."""

from __future__ import annotations

from pathlib import Path

from enlace.accounts.models import Person
from enlace.core.dataset.defaults import label_of, make_dataset
from enlace.workshop.models import Connection, Dataset, Form, Project

NAME = "Porto Salgueiro"
PASSWORD = "porto-salgueiro"
PEOPLE = (("builder", "Inês Mareante", Person.Role.BUILDER), ("operator", "Rui Faroleiro", Person.Role.OPERATOR))
TABLES = (
    "vessel",
    "port_call",
    "cargo_line",
    "dues_invoice",
    "berth",
    "pilot_shift",
    "tide_reading",
    "gate_log",
    "unpaid_dues",
)


def load(path: Path) -> Project:
    """The demo's people and project, made when they are not there yet."""
    for username, name, role in PEOPLE:
        if not Person.objects.filter(username=username).exists():
            first, last = name.split(" ", 1)
            Person.objects.create_user(username, password=PASSWORD, role=role, first_name=first, last_name=last)
    project, made = Project.objects.get_or_create(name=NAME)
    if made:
        connection = Connection.objects.create(project=project, name="Harbour office", parameters={"path": str(path)})
        for table in TABLES:
            spec = make_dataset(connection.to_spec(), table)
            Form.make(Dataset.make(connection, spec, label_of(table)), label_of(table))
    return project
