"""Cards: a record each, with a few of its fields."""

from .base import ControlKind, Setting

CARDS = ControlKind(
    "cards",
    "Cards",
    "A record each, with a few of its fields, edited in place",
    source=True,
    size=(12, 8),
    edits=True,
    settings=(
        Setting("fields", "Fields", "fields", [], help="Where nobody says which, the first five."),
        Setting("layout", "Shows", "choice", "flow", (("flow", "Many records"), ("one", "One record at a time"))),
        Setting("picture", "Picture of the field", "field", help="Stands on each card. Left empty, none."),
        Setting(
            "labels", "Labels", "choice", "above", (("above", "Above"), ("beside", "Beside"), ("none", "Left out"))
        ),
        Setting("width", "Width of a card", "number", 200, help="In pixels, at the least.", least=120, most=800),
    ),
)
