"""A group box: controls that belong together, under a title."""

from .base import ControlKind, Setting

GROUP = ControlKind(
    "group",
    "Group box",
    "Controls that belong together",
    holds=True,
    size=(6, 6),
    settings=(Setting("title", "Title", default="Group"),),
)
