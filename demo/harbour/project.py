"""The demo's project: connection, datasets and forms over the harbour's database, and two people."""

from __future__ import annotations

from pathlib import Path

from demo.harbour.sheets import lay_out
from enlace.accounts.models import Person
from enlace.core.dataset.inference.labels import label_of
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.query import query_dataset
from enlace.core.server.dialects import SERVER_KINDS
from enlace.workshop import sheet
from enlace.workshop.details import Above, add_detail, possible_details
from enlace.workshop.models import Connection, Dataset, Form, Project, ServerAction, place_of
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


# What the harbour's builder has settled about fields: (part of the field sheet, value) by table and column.
SETTLED = {
    "vessel": {
        "imo_no": [("text_check", "imo")],
        "flag": [("picture", "AA"), ("help", "Two letters, as in ISO 3166")],
        "length_m": [("format", "#,##0.0 'm'"), ("align", "end")],
        "gross_tonnage": [("format", "#,##0 'GT'")],
        "remarks": [("required_when", "in_service = 0")],
    },
    "port_call": {
        "berth_code": [
            ("lookup.shows", "code, quay"),
            ("lookup.narrowed", "depth_m > record.draught_m AND length_m >= vessel.length_m"),
            ("label", "Berth"),
        ],
        "draught_m": [
            ("format", "0.0 'm'"),
            ("conditional_formats", "alarm: draught_m >= berth.depth_m\nwatch: draught_m > berth.depth_m - 1"),
        ],
        "status": [("conditional_formats", "good: status = 'berthed'\nfaded: status = 'cancelled'")],
        "eta": [("initial", "CURRENT_TIMESTAMP"), ("format", "EEE d MMM y, HH:mm")],
        "purpose": [("lookup.choices", "cargo\nrepair\nbunkering\ncrew change"), ("lookup.others", "yes")],
    },
    "cargo_line": {"tonnes": [("format", "#,##0.000 't'")]},
    "container_move": {"container_no": [("text_check", "container")], "gross_kg": [("format", "#,##0 'kg'")]},
    "dues_invoice": {"paid_on": [("read_only_when", "paid_on < '2025-01-01'")]},
}  # fmt: skip
CALCULATED = {
    "port_call": [
        ("Days in port", "whole", "CAST(etd AS DATE) - CAST(eta AS DATE)"),
        ("Flag", "text", "vessel.flag"),
        ("Cargo (t)", "decimal", "sum(cargo_line.tonnes)"),
        ("Dues", "decimal", "sum(dues_invoice.amount)"),
    ],
    "cargo_line": [("Dues", "decimal", "tonnes * commodity.dues_per_tonne")],
    "vessel": [("Slimness", "decimal", "length_m / beam_m")],
}
FORMATS = {"dues": "{EUR} #,##0.00 ¤", "cargo_t": "#,##0.0"}
RULES = {
    "port_call": [
        (
            "draught_m < berth.depth_m",
            "{draught_m} m is too deep for berth {berth_code}: it has {berth.depth_m} m.",
            "error",
        ),
        (
            "sum(cargo_line.tonnes) <= vessel.gross_tonnage",
            "{sum(cargo_line.tonnes)} t of cargo are a lot for {vessel.name} of {vessel.gross_tonnage} GT.",
            "warning",
        ),
    ],
}
DUE = """SELECT d.invoice_no, d.issued_on, d.amount, d.currency, d.paid_on, v.name AS vessel, c.eta AS arrived
FROM dues_invoice d
JOIN port_call c ON c.id = d.port_call_id
JOIN vessel v ON v.id = c.vessel_id
WHERE d.currency = :currency"""


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
        connection = _connection(project, path, server)
        for table in TABLES:
            spec = make_dataset(connection.to_spec(), table)
            form = Form.make(Dataset.make(connection, spec, label_of(table)), label_of(table))
            _settle(form, table)
            _settle_fields(form.dataset, table)
            for detail in form.details.select_related("dataset__connection"):
                _settle_fields(detail.dataset, detail.dataset.table)
            lay_out(form)
        dues = query_dataset(connection.to_spec(), DUE, {"currency": "EUR"})
        by_currency = Form.make(Dataset.make(connection, dues, "Dues by currency"), "Dues by currency")
        Form.objects.filter(pk=by_currency.pk).update(section="Accounts", place=24, about="Invoices in one currency")
        _second_forms(project, connection)
    return project


def _second_forms(project: Project, connection: Connection) -> None:
    """Forms that were laid out for a purpose: over a table of their own, or over a dataset that another form has."""
    pilots = Form.make(Dataset.make(connection, make_dataset(connection.to_spec(), "pilot"), "Pilot"), "Pilots")
    for reference in possible_details(Above(pilots)):
        if reference.table == "pilot_shift":
            add_detail(Above(pilots), reference)
    calls = project.forms.get(title=label_of("port_call"))
    for form in (pilots, Form.make(calls.dataset, "Quay today")):
        lay_out(form)


def _settle_fields(dataset: Dataset, table: str) -> None:
    """What a builder has settled on the field sheet, and the rules that the table itself does not know."""
    for name, parts in SETTLED.get(table, {}).items():
        for part, text in parts:
            dataset.refresh_from_db()
            sheet.put(dataset, [dataset.fields.get(name=name)], part, text)
    for label, kind, formula in CALCULATED.get(table, ()):
        dataset.refresh_from_db()
        field = sheet.calculated(dataset, label, kind, formula)
        if field.name in FORMATS:
            dataset.refresh_from_db()
            sheet.put(dataset, [field], "format", FORMATS[field.name])
    for expression, message, severity in RULES.get(table, ()):
        dataset.rules.create(expression=expression, message=message, severity=severity, own=True)
    dataset.touch()


def _connection(project: Project, path: Path, server: Throwaway | None) -> Connection:
    if server is None:
        return Connection.objects.create(project=project, name="Harbour office", parameters={"path": str(path)})
    source = Connection.PasswordFrom.KEPT
    connection = Connection(project=project, name="Harbour office", kind=server.kind, parameters=server.parameters)
    connection.password_from, connection.password = source, seal(server.password, place_of(connection))
    connection.save()
    return connection


def _add_details(above: Above, table: str) -> None:
    """The details of a table, and theirs in turn."""
    for name in DETAILS.get(table, ()):
        for reference in possible_details(above):
            if reference.table == name:
                _add_details(Above(above.form, add_detail(above, reference)), name)


def _settle(form: Form, table: str) -> None:
    """What a builder has settled in the demo: details, and how some forms save."""
    _add_details(Above(form), table)
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
