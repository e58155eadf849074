"""Decimal arithmetic that keeps every digit, and goes on with what is no finite number.

Decimals of servers have more digits than Python's usual context keeps (MariaDB 65, PostgreSQL thousands); there a sum would be
rounded, and a sum of enough digits be refused. NaN and infinity, which PostgreSQL keeps and SQLite in part, are added up as
there: a sum with NaN in it is NaN, and NaN stands after all other numbers (PostgreSQL, "Numeric Types", 8.1.2).
"""

from __future__ import annotations

from collections.abc import Iterable
from decimal import MAX_EMAX, MIN_EMIN, Context, Decimal
from typing import Any

WIDE = Context(prec=20_000, Emax=MAX_EMAX, Emin=MIN_EMIN)
_QUIET = Context(prec=20_000, Emax=MAX_EMAX, Emin=MIN_EMIN, traps=[])
PLACES = 20  # digits of a quotient beyond those of what is divided


def plus(a: Decimal, b: Decimal) -> Decimal:
    """The sum of two numbers."""
    return _QUIET.add(a, b)


def minus(a: Decimal, b: Decimal) -> Decimal:
    """The difference of two numbers."""
    return _QUIET.subtract(a, b)


def total(numbers: Iterable[Decimal]) -> Decimal:
    """The sum of numbers; nought of none."""
    added = Decimal(0)
    for number in numbers:
        added = _QUIET.add(added, number)
    return added


def divided(number: Decimal, count: int) -> Decimal:
    """A number divided by a whole number other than nought, to more digits than anybody is shown."""
    digits = len(number.as_tuple().digits) + PLACES
    return Context(prec=digits, Emax=MAX_EMAX, Emin=MIN_EMIN, traps=[]).divide(number, Decimal(count))


def rounded(number: Decimal, places: int) -> Decimal:
    """A number with so many digits behind the point, halves to the even one; what is not finite as it is."""
    return _QUIET.quantize(number, Decimal(1).scaleb(-places)) if number.is_finite() else number


def rank(value: Any) -> tuple[bool, Any]:
    """What orders values of one kind: NaN, which is no number, after all numbers."""
    return (True, 0) if value != value else (False, value)
