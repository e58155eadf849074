"""Cards: a record each, with a few of its fields."""

from .base import ControlKind, Setting

CARDS = ControlKind(
    "cards",
    "Cards",
    "A record each, with a few of its fields",
    source=True,
    size=(12, 8),
    settings=(
        Setting(
            "fields", "Fields", "fields", [], help="Names of fields with commas between. Left empty, the first five."
        ),
    ),
)
