"""A list: a line for each record, by which one moves; in groups where it is given a field for them."""

from .base import LABEL, ControlKind, Setting

LIST = ControlKind(
    "list",
    "List",
    "A line for each record, in groups where wanted; choosing one goes there",
    source=True,
    size=(3, 8),
    settings=(
        LABEL,
        Setting("fields", "Fields of a line", "fields", [], help="Where nobody says which, the first that is a text."),
        Setting("by", "In groups by the field", "field", help="Left empty, no groups."),
    ),
)
