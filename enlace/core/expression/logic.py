"""Comparison and three-valued logic as in SQL: None stands for UNKNOWN and NULL (ISO/IEC 9075-2, 8.1 ff.)."""

from __future__ import annotations

import datetime
from decimal import Decimal
from typing import Any

from .temporal import as_datetime

EXACT = frozenset({int, Decimal})


def comparable(one: Any, other: Any) -> tuple[Any, Any]:
    """Two values in forms that Python compares as SQL does. Raises TypeError where they don't compare."""
    first, second = type(one), type(other)
    if (first in EXACT and second in EXACT) or (first is str and second is str):
        return one, other  # most comparisons
    if hasattr(one, "year") or hasattr(other, "year"):
        one, other = _moments(one, other)
    one, other = plain(one), plain(other)
    if isinstance(one, float) and isinstance(other, Decimal):
        one = Decimal(repr(one))
    elif isinstance(other, float) and isinstance(one, Decimal):
        other = Decimal(repr(other))
    numbers = isinstance(one, int | float | Decimal), isinstance(other, int | float | Decimal)
    if numbers[0] != numbers[1] or (not numbers[0] and type(one) is not type(other)):
        raise TypeError("not comparable")
    return one, other


def _moments(one: Any, other: Any) -> tuple[Any, Any]:
    """Dates and datetimes among each other, or against ISO texts; left as they are where one of them is neither."""
    if type(one) is type(other) and not isinstance(one, datetime.datetime):
        return one, other
    try:
        return as_datetime(one), as_datetime(other)
    except (TypeError, ValueError):
        return one, other


def plain(value: Any) -> Any:
    """A value as SQL compares it: dates and times as ISO text, truth as a number."""
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, datetime.datetime):
        return value.isoformat(sep=" ")
    if isinstance(value, datetime.date | datetime.time):
        return value.isoformat()
    return value


def truth(value: Any) -> bool | None:
    """A value as a truth value."""
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, int | float | Decimal):
        return value != 0
    raise TypeError("not a truth value")


def both(one: bool | None, other: bool | None) -> bool | None:
    """AND."""
    if one is False or other is False:
        return False
    return None if one is None or other is None else True


def either(one: bool | None, other: bool | None) -> bool | None:
    """OR."""
    if one is True or other is True:
        return True
    return None if one is None or other is None else False


def negation(item: bool | None) -> bool | None:
    """NOT."""
    return None if item is None else not item
