"""A panel of editors: one record, a field under another or beside it."""

from .base import ControlKind, Setting

PANEL = ControlKind(
    "panel",
    "Panel of editors",
    "One record, with an editor for each field",
    source=True,
    size=(4, 10),
    edits=True,
    settings=(
        Setting("fields", "Fields", "fields", []),
        Setting("columns", "Columns of editors", "number", 1, least=1, most=4),
        Setting("acts", "Buttons to add, remove and reset", "yes or no", False),
    ),
)
