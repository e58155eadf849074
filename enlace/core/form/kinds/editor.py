"""An editor of one field."""

from .base import HELP, LABEL, SHOWN_WHEN, USABLE_WHEN, ControlKind, Setting

EDITOR = ControlKind(
    "editor",
    "Editor",
    "One field of the current record, to be typed",
    source=True,
    field=True,
    size=(4, 2),
    edits=True,
    settings=(LABEL, HELP, Setting("read_only", "Read only", "yes or no", False), SHOWN_WHEN, USABLE_WHEN),
)
