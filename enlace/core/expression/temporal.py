"""Arithmetic of dates: moved by an interval, their difference, their parts.

A month later is the same day of the month, or the month's last where it has no such day. A difference of two dates is
a whole number of days; one with times a decimal number of days.
"""

from __future__ import annotations

import calendar
import datetime
from decimal import Decimal
from functools import lru_cache
from typing import Any

MICROSECONDS_A_DAY = 86_400_000_000


def moved(at: Any, count: int, unit: str) -> Any:
    """A date or datetime moved by so many of a unit (year, month, week, day, hour, minute, second).

    A date moved by hours, minutes or seconds becomes a datetime. Raises ValueError outside of the years 1 to 9999.
    """
    if unit in ("year", "month"):
        months = at.year * 12 + at.month - 1 + count * (12 if unit == "year" else 1)
        year, month = divmod(months, 12)
        if not 1 <= year <= 9999:
            raise ValueError("out of the calendar")
        return at.replace(year=year, month=month + 1, day=min(at.day, calendar.monthrange(year, month + 1)[1]))
    if unit in ("hour", "minute", "second"):
        at = as_datetime(at)
    try:
        return at + datetime.timedelta(**{f"{unit}s": count})
    except OverflowError:
        raise ValueError("out of the calendar") from None


def difference(a: Any, b: Any) -> int | Decimal:
    """The days from the second to the first."""
    if not isinstance(a, datetime.datetime) and not isinstance(b, datetime.datetime):
        return int((a - b).days)
    span = as_datetime(a) - as_datetime(b)
    micro = (span.days * 86_400 + span.seconds) * 1_000_000 + span.microseconds
    return Decimal(micro) / MICROSECONDS_A_DAY


def as_date(value: Any) -> datetime.date:
    """A date, datetime or ISO 8601 text as a date. Raises ValueError, TypeError."""
    if isinstance(value, datetime.datetime):
        return value.date()
    if isinstance(value, datetime.date):
        return value
    if isinstance(value, str):
        return as_datetime(value).date()
    raise TypeError("no date")


def as_datetime(value: Any) -> datetime.datetime:
    """A date (its first moment), datetime or ISO 8601 text as a datetime, in UTC where it has a zone.

    Raises ValueError, TypeError.
    """
    if isinstance(value, str):
        value = _read(value)
    if isinstance(value, datetime.datetime):
        return value if value.tzinfo is None else value.astimezone(datetime.UTC).replace(tzinfo=None)
    if isinstance(value, datetime.date):
        return datetime.datetime(value.year, value.month, value.day)
    raise TypeError("no date")


@lru_cache(maxsize=2_000)
def _read(text: str) -> datetime.datetime:
    """A text read once: what a rule compares with stands in the rule."""
    return datetime.datetime.fromisoformat(text.strip())


def part_of(value: Any, unit: str) -> int:
    """YEAR, MONTH, DAY, HOUR, MINUTE or SECOND of a date, time or datetime; a date's hour is 0."""
    if isinstance(value, str):
        value = as_datetime(value)
    if not hasattr(value, unit):
        if unit in ("year", "month", "day") or not hasattr(value, "year"):
            raise TypeError("no such part")
        return 0
    return int(getattr(value, unit))
