"""Comparison and three-valued logic as in SQL: None stands for UNKNOWN and NULL (ISO/IEC 9075-2, 8.1 ff.)."""

from __future__ import annotations

import datetime
from decimal import Decimal
from typing import Any

from .temporal import as_datetime

EXACT = frozenset({int, Decimal})
MOMENTS = frozenset({datetime.date, datetime.datetime})


def comparable(a: Any, b: Any) -> tuple[Any, Any]:
    """Two values in forms that Python compares as SQL does. Raises TypeError where they don't compare."""
    first, second = type(a), type(b)
    if (first in EXACT and second in EXACT) or (first is str and second is str):
        return a, b  # most comparisons
    if hasattr(a, "year") or hasattr(b, "year"):
        a, b = _moments(a, b)
        if type(a) is type(b) and type(a) in MOMENTS:
            return a, b  # which compare as their texts do
    a, b = plain(a), plain(b)
    if isinstance(a, float) and isinstance(b, Decimal):
        a = Decimal(repr(a))
    elif isinstance(b, float) and isinstance(a, Decimal):
        b = Decimal(repr(b))
    numbers = isinstance(a, int | float | Decimal), isinstance(b, int | float | Decimal)
    if numbers[0] != numbers[1] or (not numbers[0] and type(a) is not type(b)):
        raise TypeError("not comparable")
    return a, b


def _moments(a: Any, b: Any) -> tuple[Any, Any]:
    """Dates and datetimes among each other, or against ISO texts; left as they are where one of them is neither."""
    if type(a) is type(b) and not isinstance(a, datetime.datetime):
        return a, b
    try:
        return as_datetime(a), as_datetime(b)
    except (TypeError, ValueError):
        return a, b


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


def both(a: bool | None, b: bool | None) -> bool | None:
    """AND."""
    if a is False or b is False:
        return False
    return None if a is None or b is None else True


def either(a: bool | None, b: bool | None) -> bool | None:
    """OR."""
    if a is True or b is True:
        return True
    return None if a is None or b is None else False


def negation(item: bool | None) -> bool | None:
    """NOT."""
    return None if item is None else not item
