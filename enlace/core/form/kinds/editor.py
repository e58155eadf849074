"""An editor of one field."""

from ..columns import EDITORS
from .base import HELP, LABEL, SHOWN_WHEN, USABLE_WHEN, ControlKind, Setting

CHOICES = tuple((value, words.capitalize()) for value, words in EDITORS)

EDITOR = ControlKind(
    "editor",
    "Editor",
    "One field of the current record, to be typed",
    source=True,
    field=True,
    size=(4, 2),
    edits=True,
    settings=(
        LABEL,
        HELP,
        Setting("editor", "Typed in", "choice", "", CHOICES, help="Of a text: one line, or several."),
        Setting("read_only", "Read only", "yes or no", False),
        SHOWN_WHEN,
        USABLE_WHEN,
    ),
)
