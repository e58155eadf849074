"""A button that runs an act."""

from .base import SHOWN_WHEN, ControlKind, Setting

ACTS = (
    ("first", "Go to the first record"),
    ("next", "Go to the next record"),
    ("back", "Go to the record before"),
    ("last", "Go to the last record"),
    ("new", "New record"),
    ("remove", "Remove the record"),
    ("save", "Save"),
    ("discard", "Discard the draft"),
    ("undo", "Undo"),
    ("redo", "Redo"),
    ("rehearse", "Rehearse the save"),
    ("refresh", "Refresh"),
    ("print", "Print the page"),
    ("form", "Open another form"),
    ("action", "Run a server action"),
)
BUTTON = ControlKind(
    "button",
    "Button",
    "Runs an act: moves, saves, opens another form, runs a server action",
    source=True,
    size=(2, 1),
    settings=(
        Setting("label", "Label", help="Left empty, the act's own words."),
        Setting("act", "Act", "choice", "refresh", ACTS),
        Setting("to", "Which form or action", help="Its title."),
        Setting("shortcut", "Shortcut", help="A letter, pressed with Alt and Shift."),
        SHOWN_WHEN,
    ),
)
