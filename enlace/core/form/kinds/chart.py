"""A chart of the rows of a source: values by groups."""

from .base import LABEL, ControlKind, Setting

FUNCTIONS = (("count", "Number of rows"), ("sum", "Sum"), ("avg", "Average"), ("min", "Least"), ("max", "Greatest"))
ADDED = tuple(name for name, _ in FUNCTIONS if name != "count")
CHART = ControlKind(
    "chart",
    "Chart",
    "Values by groups, as bars, a line or points, and as a table",
    source=True,
    size=(6, 8),
    settings=(
        LABEL,
        Setting("shape", "Drawn as", "choice", "bars", (("bars", "Bars"), ("line", "Line"), ("points", "Points"))),
        Setting("by", "Groups by the field", "field"),
        Setting("function", "Shows", "choice", "count", FUNCTIONS),
        Setting("of", "Of the field", "field", help="A number.", needs=("function", ADDED)),
    ),
)
