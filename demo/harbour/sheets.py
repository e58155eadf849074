"""How the harbour's builder has laid forms out."""

from __future__ import annotations

from enlace.core.form import FormDocument, Place, edit
from enlace.workshop import layout
from enlace.workshop.models import Form


def lay_out(form: Form) -> None:
    """The sheet of a form, where the demo has one of its own."""
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
        "id, vessel_id, berth_code, agent_id, pilot_id, status, eta, etd, cargo_t, dues",
    )
    for kind, settings in (
        ("button", {"act": "action", "to": "Cast off"}),
        ("button", {"act": "form", "to": "Vessel", "label": "Vessels"}),
        ("button", {"act": "print", "label": "Print", "shortcut": "p"}),
    ):
        document, made = edit.add(document, kind, "port_call")
        for name, text in settings.items():
            document = edit.setting(document, made, name, text)
    for place, one in enumerate(("button", "button_2", "button_3")):
        document = edit.lay(document, one, Place(1 + 2 * place, 2, 2, 1))
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


SHEETS = {"port_call": _port_call}
