"""How the harbour's builder has laid forms out."""

from __future__ import annotations

from enlace.core.form import FormDocument, Place, edit
from enlace.workshop import layout
from enlace.workshop.models import Form


def lay_out(form: Form) -> None:
    """The sheet of a form, where the demo has one of its own."""
    if tile := TILES.get(form.dataset.table):
        form.section, form.place, form.about, form.counted = tile
        form.save(update_fields=["section", "place", "about", "counted"])
    made = SHEETS.get(form.dataset.table)
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
        ("button", {"act": "form", "to": "Vessel", "label": "Vessels"}),
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


# Section of the start page, place in it, a line under the title, and whether its records are counted.
TILES = {
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
SHEETS = {"port_call": _port_call}
