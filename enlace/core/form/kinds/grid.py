"""A grid: rows of a source, one under another."""

from .base import ControlKind, Setting

GRID = ControlKind(
    "grid",
    "Grid",
    "Rows under one another, edited in place",
    source=True,
    size=(12, 10),
    edits=True,
    settings=(
        Setting(
            "columns", "Columns", "columns", [], help="What it shows, in order; what is not said is the dataset's."
        ),
        Setting(
            "blank_row",
            "Blank last row",
            "yes or no",
            True,
            help="Behind the last record stands a blank row: who types into it enters a new record.",
        ),
        Setting(
            "ruled",
            "Blank rows to the end",
            "yes or no",
            False,
            help="Where the records end before the view does, blank rows go on to its end.",
        ),
    ),
)
