"""An editor of one field."""

from .base import HELP, LABEL, SHOWN_WHEN, USABLE_WHEN, ControlKind, Setting

EDITORS = (("", "What its field has"), ("line", "One line"), ("lines", "Several lines"))

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
        Setting("editor", "Typed in", "choice", "", EDITORS, help="Of a text: one line, or several."),
        Setting("read_only", "Read only", "yes or no", False),
        SHOWN_WHEN,
        USABLE_WHEN,
    ),
)
