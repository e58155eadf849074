"""A shown value: one field of the current record, to be read."""

from .base import LABEL, SHOWN_WHEN, ControlKind, Setting

VALUE = ControlKind(
    "value",
    "Shown value",
    "One field of the current record, to be read",
    source=True,
    field=True,
    size=(3, 2),
    settings=(
        LABEL,
        Setting("format", "Format", help="As the formats of the dataset are written. Left empty, that of the field."),
        Setting("large", "In large letters", "yes or no", False),
        SHOWN_WHEN,
    ),
)
