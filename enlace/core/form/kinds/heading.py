"""A heading, or a text, on the sheet."""

from .base import ControlKind, Setting

HEADING = ControlKind(
    "heading",
    "Heading or text",
    "Words on the sheet",
    size=(6, 1),
    settings=(
        Setting("text", "Words", "lines", "Heading"),
        Setting("as", "Written as", "choice", "heading", (("heading", "Heading"), ("text", "Text"))),
    ),
)
