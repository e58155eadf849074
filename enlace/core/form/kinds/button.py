"""A button that runs an act."""

from .base import SHOWN_WHEN, USABLE_WHEN, ControlKind, Setting

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
    ("go", "Go to a control"),
    ("form", "Open another form"),
    ("close", "Close the form: back to where one came from"),
    ("action", "Run a server action"),
)
OPENS = (
    ("plain", "As it opens by itself"),
    ("record", "At the record that a field of this one names"),
    ("rows", "With the rows that name this record"),
    ("given", "With what its query asks for, from the fields of the same names"),
    ("new", "To enter a new one, and come back with it"),
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
        Setting("to", "Which one", "target", needs=("act", ("form", "action", "go"))),
        Setting("opens", "Opens it", "choice", "plain", OPENS, needs=("act", ("form",))),
        Setting(
            "by",
            "By the field",
            "field",
            help="A field with a list: that leads to the record, or gets the new one.",
            needs=("opens", ("record", "rows", "new")),
        ),
        Setting("shortcut", "Shortcut", "letter", help="A letter, pressed with Alt and Shift."),
        SHOWN_WHEN,
        USABLE_WHEN,
    ),
)
