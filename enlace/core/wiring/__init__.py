"""What is wired wrongly on a form, and its repair. To add a check, write it in a file of its own and name it here."""

from __future__ import annotations

from .base import Check, Fault, Wired
from .expressions import expressions
from .links import charts, editable, links, lookups
from .names import conditions, labels, names, opening, shortcuts
from .reach import reach
from .reading import order, reading
from .required import required, twice
from .retyped import retyped
from .ties import ties
from .widths import widths

CHECKS: tuple[Check, ...] = (
    ties, retyped, required, twice, names, conditions, expressions, opening, shortcuts, labels, links, editable, lookups, charts,
    widths, reading, order, reach,
)  # fmt: skip


def faults_of(wired: Wired) -> list[Fault]:
    """All faults of a form, errors first."""
    faults = [fault for check in CHECKS for fault in check(wired)]
    return sorted(faults, key=lambda other: other.severity != "error")


__all__ = ["CHECKS", "Fault", "Wired", "faults_of"]
