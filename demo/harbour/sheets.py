"""How the harbour's builder has laid forms out."""

from __future__ import annotations

from dataclasses import replace

from enlace.core.form import FormDocument, Place, edit
from enlace.core.form.opening import OpeningStep
from enlace.workshop import layout
from enlace.workshop.models import Form


def lay_out(form: Form) -> None:
    """The sheet of a form, where the demo has one of its own."""
    if tile := TILES.get(form.title) or TILES.get(form.dataset.table):
        form.section, form.place, form.about, form.counted = tile
        form.save(update_fields=["section", "place", "about", "counted"])
    made = SHEETS.get(form.title) or SHEETS.get(form.dataset.table)
    if made is not None and not form.dataset.query:
        form.document = made(layout.document(form)).to_json()
        form.save(update_fields=["document"])


def _port_call(document: FormDocument) -> FormDocument:
    """Calls with what is done with them at hand, their cargo with a chart beside it."""
    document = edit.setting(
        document,
        "port_call_grid",
        "columns",
        "id, vessel_id, berth_code, agent_id, pilot_id, status, eta, etd, purpose, cargo_t, dues",
    )
    for kind, settings in (
        ("button", {"act": "action", "to": "Cast off"}),
        ("button", {"act": "form", "to": "Vessel", "opens": "record", "by": "vessel_id", "label": "Open the vessel"}),
        ("button", {"act": "print", "label": "Print", "shortcut": "p"}),
    ):
        document, made = edit.add(document, kind, "port_call")
        for name, text in settings.items():
            document = edit.setting(document, made, name, text)
    for place, identifier in enumerate(("button", "button_2", "button_3")):
        document = edit.lay(document, identifier, Place(1 + 2 * place, 2, 2, 1))
    document = edit.lay(document, "port_call_panel", Place(9, 2, 4, 8))
    document = edit.lay(document, "cargo_line_grid", Place(1, 2, 6, 7))
    document = edit.lay(document, "cargo_line_panel", Place(7, 2, 3, 7))
    document, made = edit.add(document, "chart", "cargo_line", on="cargo_line_page", place=Place(10, 2, 3, 7))
    for name, text in {
        "by": "commodity_code",
        "function": "sum",
        "of": "tonnes",
        "label": "Tonnes by commodity",
    }.items():
        document = edit.setting(document, made, name, text)
    return document


def _with(
    document: FormDocument, kind: str, source: str, place: Place, field: str = "", **settings: str
) -> FormDocument:
    """The document with one more control at a place, its settings as typed."""
    document, made = edit.add(document, kind, source, field, place=place)
    for name, text in settings.items():
        document = edit.setting(document, made, name, text)
    return document


def _pilots(document: FormDocument) -> FormDocument:
    """Pilots as cards, one in editors, and everybody's shifts inside their row."""
    document = replace(document, controls=())
    document = _with(document, "navigator", "pilot", Place(1, 1, 12, 1))
    document = _with(document, "cards", "pilot", Place(1, 2, 8, 7), fields="name, licence_no, licensed_until, on_duty")
    document = _with(document, "panel", "pilot", Place(9, 2, 4, 7))
    return _with(
        document, "branches", "pilot", Place(1, 9, 12, 8), fields="name, licence_no", label="Pilots and their shifts"
    )


def _quay_today(document: FormDocument) -> FormDocument:
    """What lies at the quays now: to be looked at rather than edited."""
    document = replace(document, controls=())
    document = _with(document, "heading", "", Place(1, 1, 7, 1), text="At the quays now")
    buttons = (
        {"act": "form", "to": "Port call", "label": "All port calls"},
        {
            "act": "form",
            "to": "Vessel",
            "opens": "record",
            "by": "vessel_id",
            "label": "Open the vessel",
            "shortcut": "v",
        },
    )
    for i, settings in enumerate(buttons):
        document = _with(document, "button", "port_call", Place(8 + 2 * i, 1, 2, 1), **settings)
    document = _with(
        document,
        "list",
        "port_call",
        Place(1, 2, 4, 14),
        fields="vessel_id, eta",
        by="berth_code",
        label="Calls by berth",
    )
    for i, (field, large) in enumerate((("vessel_id", "yes"), ("berth_code", "yes"), ("status", ""), ("eta", ""))):
        document = _with(
            document, "value", "port_call", Place(5 + 4 * (i % 2), 2 + 2 * (i // 2), 4, 2), field, large=large
        )
    document = _with(document, "editor", "port_call", Place(5, 6, 8, 3), "notes")
    document = _with(document, "chart", "port_call", Place(5, 9, 8, 7), by="purpose", label="Calls by purpose")
    steps = (OpeningStep("filter", "status", "=berthed"), OpeningStep("order", "eta", "descending"))
    return replace(document, opening=steps)


# Section of the start page, place in it, a line under the title, and whether its records are counted.
TILES = {
    "Quay today": ("Harbour", 0, "Which ships lie where, and until when", False),
    "Pilots": ("Ships and people", 13, "Pilots, their licences and shifts", True),
    "port_call": ("Harbour", 1, "Who comes, when, to which berth, with what cargo", True),
    "berth": ("Harbour", 2, "Quays, depths and lengths", True),
    "tide_reading": ("Harbour", 3, "Heights of the water, hour by hour", False),
    "gate_log": ("Harbour", 4, "Who passed the gate", False),
    "vessel": ("Ships and people", 11, "The register of ships, with their calls", True),
    "pilot_shift": ("Ships and people", 12, "Who is on duty when", False),
    "cargo_line": ("Accounts", 21, "Everything loaded and unloaded", True),
    "dues_invoice": ("Accounts", 22, "What the harbour is owed", True),
    "unpaid_dues": ("Accounts", 23, "What is still open", False),
}
SHEETS = {"port_call": _port_call, "Pilots": _pilots, "Quay today": _quay_today}
