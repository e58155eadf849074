"""The demo's project: connection, datasets and forms over the harbour's database, and two people."""

from __future__ import annotations

from pathlib import Path

from enlace.accounts.models import Person
from enlace.core.dataset.defaults import label_of, make_dataset
from enlace.core.server.dialects import SERVER_KINDS
from enlace.workshop.details import add_detail, possible_details
from enlace.workshop.models import Connection, Dataset, Form, Project, ServerAction
from enlace.workshop.secrets import seal
from scripts.throwaway import Throwaway

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


DETAILS = {"port_call": ("cargo_line", "container_move", "dues_invoice"), "vessel": ("port_call",)}


CAST_OFF = ServerAction(
    title="Cast off",
    question="Record that the vessel leaves its berth now?",
    guard="status = 'berthed'",
    unmet="Only a vessel that is berthed can cast off; this call is {status}.",
    statements=(
        "UPDATE port_call SET status = 'departed', etd = CURRENT_TIMESTAMP WHERE id = :id;\n"
        "INSERT INTO gate_log (passed_at, direction, note) VALUES (CURRENT_TIMESTAMP, 'out', 'Cast off');"
    ),
    done="The vessel has left {berth_code}; the gate log has a line of it.",
)


def load(path: Path, server: Throwaway | None = None) -> Project:
    """The demo's people and project, made when they are not there yet. server: where it does not run on the file."""
    for username, name, role in PEOPLE:
        if not Person.objects.filter(username=username).exists():
            first, last = name.split(" ", 1)
            Person.objects.create_user(username, password=PASSWORD, role=role, first_name=first, last_name=last)
    name = NAME if server is None else f"{NAME} on {SERVER_KINDS[server.kind].label}"
    project, made = Project.objects.get_or_create(name=name)
    if made:
        connection = _connection(project, path, server)
        for table in TABLES:
            spec = make_dataset(connection.to_spec(), table)
            form = Form.make(Dataset.make(connection, spec, label_of(table)), label_of(table))
            _settle(form, table)
    return project


def _connection(project: Project, path: Path, server: Throwaway | None) -> Connection:
    if server is None:
        return Connection.objects.create(project=project, name="Harbour office", parameters={"path": str(path)})
    source = Connection.PasswordFrom.KEPT
    found = Connection(project=project, name="Harbour office", kind=server.kind, parameters=server.parameters)
    found.password_from, found.password = source, seal(server.password)
    found.save()
    return found


def _settle(form: Form, table: str) -> None:
    """What a builder has settled in the demo: details, and how some forms save."""
    for name in DETAILS.get(table, ()):
        for reference in possible_details(form):
            if reference.table == name:
                add_detail(form, reference)
    if table == "vessel":
        Dataset.objects.filter(pk=form.dataset_id).update(compare=Dataset.Compare.VERSION, version="version")
        form.dataset.touch()
    if table == "port_call":
        CAST_OFF.pk, CAST_OFF.form = None, form
        CAST_OFF.save(force_insert=True)
    if table in ("port_call", "vessel"):
        Form.objects.filter(pk=form.pk).update(may_keep=True)
    if table == "dues_invoice":
        Form.objects.filter(pk=form.pk).update(whole=False)
