"""A navigator: moves through the records of a source."""

from .base import ControlKind, Setting

NAVIGATOR = ControlKind(
    "navigator",
    "Navigator",
    "Moves from record to record, makes and removes them",
    source=True,
    size=(12, 1),
    settings=(
        Setting("moves", "First, back, next and last", "yes or no", True),
        Setting("acts", "New, remove and refresh", "yes or no", True),
    ),
)
