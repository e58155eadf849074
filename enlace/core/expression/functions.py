"""SQL's functions over values, as far as the servers share them.

Each maker gets what turns a node into a function of the record, and the node. All but COALESCE, CONCAT and NULLIF give
NULL when an argument is NULL.
"""

from __future__ import annotations

import datetime
import math
import re
import string
from collections.abc import Callable, Mapping
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal
from typing import Any

from sqlglot import exp

from .logic import comparable, plain
from .parse import Unsupported
from .temporal import as_date, as_datetime, part_of

Function = Callable[[Mapping[str, Any]], Any]
Make = Callable[[exp.Expr], Function]
# What one function may make: with the bounds of an expression's size (see `parse`) it bounds what one evaluation does.
LONGEST = 200_000
MOST_EXPONENT = 400  # beyond what any server computes with; a whole number of that size is still quickly written out
# SQLite's upper and lower know the 26 ASCII letters only.
_UPPER = str.maketrans(string.ascii_lowercase, string.ascii_uppercase)
_LOWER = str.maketrans(string.ascii_uppercase, string.ascii_lowercase)


class ExpressionError(ValueError):
    """An expression has no value for a record; its message is a sentence."""


def _strict(compute: Callable[..., Any], *names: str) -> Callable[[Make, exp.Expr], Function]:
    """A function that gives NULL when an argument is NULL. `names`: where sqlglot keeps further arguments."""

    def make(made: Make, node: exp.Expr) -> Function:
        arguments = [made(node.this)] + [made(node.args[n]) for n in names if node.args.get(n) is not None]

        def run(r: Mapping[str, Any]) -> Any:
            values = [argument(r) for argument in arguments]
            return None if None in values else compute(*values)

        def run_one(r: Mapping[str, Any]) -> Any:
            value = only(r)
            return None if value is None else compute(value)

        only = arguments[0]
        return run if len(arguments) > 1 else run_one

    return make


def _coalesce(made: Make, node: exp.Expr) -> Function:
    arguments = [made(node.this)] + [made(expression) for expression in node.expressions]
    return lambda r: next((value for a in arguments if (value := a(r)) is not None), None)


def _nullif(made: Make, node: exp.Expr) -> Function:
    left, right = made(node.this), made(node.expression)

    def run(r: Mapping[str, Any]) -> Any:
        a, b = left(r), right(r)
        if a is None or b is None:
            return a
        first, second = comparable(a, b)
        return None if first == second else a

    return run


def as_text(value: Any) -> str:
    """A value as CAST to text writes it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return f"{bounded(value):f}"
    return value if isinstance(value, str) else str(plain(value))


def _joined(made: Make, node: exp.Expr) -> Function:
    """`||`: NULL when a part is NULL."""
    left, right = made(node.this), made(node.expression)

    def run(r: Mapping[str, Any]) -> str | None:
        a, b = left(r), right(r)
        return None if a is None or b is None else _short(as_text(a) + as_text(b))

    return run


def _concat(made: Make, node: exp.Expr) -> Function:
    """CONCAT: a NULL counts as an empty text, as PostgreSQL and SQLite have it."""
    arguments = [made(expression) for expression in node.expressions]
    return lambda r: _short("".join("" if (v := a(r)) is None else as_text(v) for a in arguments))


def _short(text: str) -> str:
    if len(text) > LONGEST:
        raise ExpressionError("A text gets too long.")
    return text


def _length(value: Any) -> int:
    return len(value) if isinstance(value, bytes) else len(as_text(value))


def _byte_length(value: Any) -> int:
    return len(value if isinstance(value, bytes) else as_text(value).encode("utf-8", "surrogatepass"))


def substring(value: Any, start: int, length: int | None = None) -> str:
    """SUBSTRING as in ISO/IEC 9075-2, 6.32: positions before the first count, and hold nothing."""
    text = as_text(value)
    if length is not None and length < 0:
        raise ExpressionError("A part of a text can't have fewer than no letters.")
    end = len(text) + 1 if length is None else start + length
    return text[max(start, 1) - 1 : max(end, 1) - 1]


def _left(value: Any, count: int) -> str:
    return as_text(value)[: max(count, 0)]


def _right(value: Any, count: int) -> str:
    text = as_text(value)
    return text[max(len(text) - count, 0) :] if count > 0 else ""


def _replaced(value: Any, old: Any, new: Any) -> str:
    text, wanted, other = as_text(value), as_text(old), as_text(new)
    if not wanted:
        return text
    if len(text) + text.count(wanted) * len(other) > 2 * LONGEST:
        raise ExpressionError("A text gets too long.")
    return _short(text.replace(wanted, other))


def _trim(made: Make, node: exp.Expr) -> Function:
    if node.expression is not None or node.args.get("collation"):
        raise Unsupported("TRIM takes spaces away, and nothing else.")
    inner, where = made(node.this), str(node.args.get("position") or "").upper()
    strip = {"LEADING": str.lstrip, "TRAILING": str.rstrip}.get(where, str.strip)
    return lambda r: None if (value := inner(r)) is None else strip(as_text(value), " ")


def _position(made: Make, node: exp.Expr) -> Function:
    if node.args.get("position") is not None or node.args.get("occurrence") is not None:
        raise Unsupported("POSITION looks from the first letter on.")
    inner, wanted = made(node.this), made(node.args["substr"])

    def run(r: Mapping[str, Any]) -> int | None:
        value, part = inner(r), wanted(r)
        return None if value is None or part is None else as_text(value).find(as_text(part)) + 1

    return run


def bounded(value: Any) -> Any:
    """A value, where it is not a number so large or so small that nothing can be computed with it."""
    if isinstance(value, Decimal) and (not value.is_finite() or abs(value.adjusted()) > MOST_EXPONENT):
        raise ExpressionError("A number is too large to compute with.")
    return value


LONGEST_NUMBER = 1_000  # characters of a text that stands for a number


def number(value: Any) -> int | Decimal:
    """A value as a number. Raises ExpressionError."""
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, int | Decimal):
        return bounded(value)
    if isinstance(value, float) and math.isfinite(value):
        return Decimal(repr(value))
    if isinstance(value, str):
        try:
            read = Decimal(value.strip()) if len(value) <= LONGEST_NUMBER else Decimal("NaN")
        except ArithmeticError:
            read = Decimal("NaN")
        if read.is_finite():
            return bounded(read)
    raise ExpressionError(f"“{str(value)[:40]}” is not a number.")


def rounded(value: Any, digits: Any = 0) -> Any:
    """A number with so many digits after the point; halves go away from zero."""
    places = int(number(digits))
    if abs(places) > 30:
        raise ExpressionError("At most 30 digits can be rounded to.")
    made = Decimal(number(value)).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    return int(made) if isinstance(value, int) and places <= 0 else made


def _whole(how: str) -> Callable[[Any], int]:
    return lambda value: int(Decimal(number(value)).to_integral_value(how))


def _extreme(pick: Callable[[Any, Any], bool]) -> Callable[[Make, exp.Expr], Function]:
    """GREATEST and LEAST; NULL when one of them is NULL (ISO/IEC 9075-2:2023, 6.33, from memory)."""

    def make(made: Make, node: exp.Expr) -> Function:
        arguments = [made(node.this)] + [made(expression) for expression in node.expressions]

        def run(r: Mapping[str, Any]) -> Any:
            values = [argument(r) for argument in arguments]
            if any(v is None for v in values):
                return None
            best = values[0]
            for value in values[1:]:
                if pick(*comparable(value, best)):
                    best = value
            return best

        return run

    return make


def _extract(made: Make, node: exp.Expr) -> Function:
    unit, inner = str(node.this.this).lower(), made(node.expression)
    if unit not in ("year", "month", "day", "hour", "minute", "second"):
        raise Unsupported("EXTRACT takes YEAR, MONTH, DAY, HOUR, MINUTE or SECOND from a date or time.")
    return lambda r: None if (value := inner(r)) is None else part_of(value, unit)


def _cast(made: Make, node: exp.Expr) -> Function:
    inner, convert = made(node.this), _conversion(node.args["to"])
    return lambda r: None if (value := inner(r)) is None else convert(value)


def _conversion(to: exp.Expr) -> Callable[[Any], Any]:
    kind = to.this
    if kind in exp.DataType.INTEGER_TYPES:
        return _whole(ROUND_HALF_UP)
    if kind in (exp.DataType.Type.DECIMAL, exp.DataType.Type.MONEY):
        digits = [_size(expression) for expression in to.expressions]
        scale = digits[1] if len(digits) > 1 else 0 if digits else None
        # A whole number too: whole ones divide to whole ones, and who casts one wants it otherwise.
        return lambda value: Decimal(number(value)) if scale is None else rounded(Decimal(number(value)), scale)
    if kind in exp.DataType.TEXT_TYPES:
        most = _size(to.expressions[0]) if to.expressions else None
        return lambda value: as_text(value)[:most]
    if kind == exp.DataType.Type.DATE:
        return _temporal(as_date)
    if kind in (exp.DataType.Type.TIMESTAMP, exp.DataType.Type.DATETIME):
        return _temporal(as_datetime)
    raise Unsupported(f"A value can't be cast to {to.sql()} here.")


def _size(node: exp.Expr) -> int:
    if not re.fullmatch(r"\d{1,6}", node.name):
        raise Unsupported("The size of a type is a whole number.")
    return int(node.name)


def _temporal(convert: Callable[[Any], Any]) -> Callable[[Any], Any]:
    def run(value: Any) -> Any:
        try:
            return convert(value)
        except (TypeError, ValueError):
            raise ExpressionError(f"“{str(value)[:40]}” is not a date.") from None

    return run


def _now(what: Callable[[], Any]) -> Callable[[Make, exp.Expr], Function]:
    return lambda made, node: lambda r: what()


FUNCTIONS: dict[type, Callable[[Make, Any], Function]] = {
    exp.Coalesce: _coalesce,
    exp.Nullif: _nullif,
    exp.DPipe: _joined,
    exp.Concat: _concat,
    exp.Length: _strict(_length),
    exp.ByteLength: _strict(_byte_length),
    exp.Upper: _strict(lambda v: as_text(v).translate(_UPPER)),
    exp.Lower: _strict(lambda v: as_text(v).translate(_LOWER)),
    exp.Trim: _trim,
    exp.Substring: _strict(substring, "start", "length"),
    exp.Left: _strict(_left, "expression"),
    exp.Right: _strict(_right, "expression"),
    exp.Replace: _strict(_replaced, "expression", "replacement"),
    exp.StrPosition: _position,
    exp.Abs: _strict(lambda v: abs(number(v))),
    exp.Sign: _strict(lambda v: (n > 0) - (n < 0) if (n := number(v)) is not None else None),
    exp.Round: _strict(rounded, "decimals"),
    exp.Floor: _strict(_whole(ROUND_FLOOR)),
    exp.Ceil: _strict(_whole(ROUND_CEILING)),
    exp.Greatest: _extreme(lambda value, best: value > best),
    exp.Least: _extreme(lambda value, best: value < best),
    exp.Extract: _extract,
    exp.Cast: _cast,
    exp.CurrentDate: _now(datetime.date.today),
    exp.CurrentTimestamp: _now(lambda: datetime.datetime.now().replace(microsecond=0)),
}
