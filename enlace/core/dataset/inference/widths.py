"""Widths of grid columns from labels and values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any


def width_of(kind: str, label: str, values: Sequence[Any], length: int | None = None) -> int:
    """Pixels for a grid column: room for the label and for typical values, within reason."""
    fixed = {"date": 118, "time": 84, "datetime": 178, "yesno": 76, "picture": 96, "binary": 130, "longtext": 240}
    heading = 30 + 8 * len(label)
    if kind == "datetime" and values and (longest := max(len(str(v)) for v in values)) > 16:
        return max(heading, 205 if longest <= 19 else 262)  # with seconds, and with their fractions
    if kind in fixed:
        return min(max(fixed[kind], heading), 280)
    if kind in ("whole", "decimal") and values:
        # A number that is cut off is another number: there is room for the longest one, with its groups of digits.
        digits = max(len(f"{v:,}" if isinstance(v, int) else str(v)) for v in values)
        return min(max(26 + round(9 * min(digits, 28)), heading, 64), 300)
    typical = sorted(len(str(v)) for v in values)[int(len(values) * 0.9)] if values else min(length or 12, 20)
    return min(max(22 + round(8.6 * min(typical, 32)), heading, 64), 300)
