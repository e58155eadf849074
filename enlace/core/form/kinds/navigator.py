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
        Setting("place", "Place among the records", "yes or no", True, help="The slider, and the number to type."),
        Setting("acts", "New, remove, filter and refresh", "yes or no", True),
        Setting("asks", "Filter and refresh", "yes or no", True, help="Beside New and Remove."),
    ),
)
