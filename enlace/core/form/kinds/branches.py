"""Rows that open: each shows the rows of its details inside it, to any depth."""

from .base import LABEL, ControlKind, Setting

BRANCHES = ControlKind(
    "branches",
    "Rows that open",
    "Rows with the rows of their details inside them, to any depth",
    source=True,
    size=(12, 8),
    settings=(
        LABEL,
        Setting("fields", "Fields", "fields", [], help="Of its own rows; where nobody says which, the first six."),
    ),
)
