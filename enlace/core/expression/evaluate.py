"""Evaluate an SQL scalar expression over a record.

The text is parsed by sqlglot and turned into nested functions once; each record is then a plain call.
Logic is three-valued as in ISO/IEC 9075-2, 8.1 ff.: None stands for UNKNOWN and NULL. What is not
supported raises `Unsupported` when the expression is made, never while a record is checked: then the
server alone checks it.
"""

from __future__ import annotations

import decimal
import re
from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager
from decimal import Decimal
from operator import itemgetter
from typing import Any

from sqlglot import exp

from ..linear import BadPattern, fits
from .functions import FUNCTIONS, MOST_EXPONENT, ExpressionError, bounded
from .logic import EXACT, both, comparable, either, negation, plain, truth
from .own import computed, own_function
from .parse import AGGREGATES, Names, Unsupported, parsed
from .patterns import glob_pattern, pattern_of
from .temporal import difference, moved

Record = Mapping[str, Any]
Function = Callable[[Record], Any]
# Enough for what servers compute exactly; what is beyond LARGEST is told as too large.
ARITHMETIC = decimal.Context(prec=76, rounding=decimal.ROUND_HALF_UP, Emax=9_999, Emin=-9_999)
LARGEST = Decimal(10) ** 60
MOST_DIGITS = 100  # of a number as it is written
GREATEST_WHOLE = 2**63 - 1  # of the servers' widest integers


def arithmetic() -> AbstractContextManager[decimal.Context]:
    """The numbers that expressions compute with; entered once where many are evaluated."""
    return decimal.localcontext(ARITHMETIC)


class Expression:
    """An expression over named fields.

    names: the names it uses: fields in their own spelling, `lookup.column`, `sum(detail.column)`. Calling it with a
    record (a mapping of every name to a value: None, str, int, float, Decimal, bool, bytes, date, time or datetime)
    gives a value, True, False or None.

    >>> total = Expression("tonnes * rate", ["tonnes", "rate"])
    >>> total({"tonnes": Decimal("2.5"), "rate": 4})
    Decimal('10.0')
    >>> total({"tonnes": None, "rate": 4}) is None  # as SQL has it
    True
    >>> Expression("tonnes > nothing", ["tonnes"])
    Traceback (most recent call last):
        ...
    enlace.core.expression.parse.Unsupported: There is no field nothing.
    """

    def __init__(self, text: str, fields: Names | Iterable[str], dialect: str = "sqlite") -> None:
        """`fields`: the names that may be used, capitals apart. Raises Unsupported."""
        self.text = text
        self.tree = parsed(text, dialect)
        self.known = fields if isinstance(fields, Names) else Names(fields)
        self.names: set[str] = set()
        self._run = self._made(self.tree)
        # The same as `value` within `arithmetic`, but raises as Python does: for those who evaluate very many.
        self.run: Function = self._run

    def __call__(self, record: Record) -> Any:
        """The value; None also where there is none to tell (a division by zero): that is left to the server."""
        try:
            return self.value(record)
        except ExpressionError:
            return None

    def value(self, record: Record) -> Any:
        """The value. Raises ExpressionError with a sentence, such as that something is divided by zero."""
        try:
            # Entering a context costs more than most expressions; whoever evaluates a window of rows has entered it
            # once.
            if decimal.getcontext().prec == ARITHMETIC.prec:  # within another expression, or `arithmetic`
                result = self._run(record)
            else:
                with decimal.localcontext(ARITHMETIC):
                    result = self._run(record)
        except ExpressionError:
            raise
        except ArithmeticError:
            raise ExpressionError("A number gets too large to compute with.") from None
        except (TypeError, ValueError):
            raise ExpressionError("The values do not fit together.") from None
        # No server has such a number, so a rule over it would be told here and never there.
        if isinstance(result, int | Decimal) and not -LARGEST < result < LARGEST:
            raise ExpressionError("A number gets too large to compute with.")
        return result

    def _made(self, node: exp.Expr) -> Function:
        if type(node) in AGGREGATES:
            return self._leaf(self.known.of_details(node))
        maker = _MAKERS.get(type(node))
        if maker is not None:
            return maker(self, node)
        if type(node) in FUNCTIONS:
            return FUNCTIONS[type(node)](self._made, node)
        if own := own_function(node):
            return computed(own, [self._made(argument) for argument in node.expressions])
        raise Unsupported(f"{_name_of(node)} is not known here.")

    def _leaf(self, name: str) -> Function:
        self.names.add(name)
        return itemgetter(name)

    def field(self, name: str) -> str:
        """The field that a column name means."""
        return self.known.of(exp.column(name))


def _name_of(node: exp.Expr) -> str:
    if isinstance(node, exp.Anonymous):
        return f"The function {node.name}"
    return f"“{node.sql()[:40]}”"


# -- makers: one for each kind of node --------------------------------------------------------------------


def _column(e: Expression, node: exp.Expr) -> Function:
    return e._leaf(e.known.of(node))


def _written(text: str) -> int | Decimal:
    """A number as it stands in an expression. Raises Unsupported for one that nothing could be computed with."""
    if len(text) <= MOST_DIGITS:
        try:
            number = int(text) if re.fullmatch(r"\d+", text) else Decimal(text)
        except decimal.InvalidOperation:
            raise Unsupported(f"“{text}” is no number.") from None  # such as 1e, on the way to 1e5
        if isinstance(number, int) or abs(number.adjusted()) <= MOST_EXPONENT:
            return number
    raise Unsupported("A number in it is too large or has too many digits.")


def _literal(e: Expression, node: exp.Expr) -> Function:
    value: Any = node.this
    if not node.args.get("is_string"):
        value = _written(value)
    return lambda r: value


def _constant(value: Any) -> Callable[[Expression, exp.Expr], Function]:
    return lambda e, node: lambda r: value


def _boolean(e: Expression, node: exp.Expr) -> Function:
    # Read off the tree once: the function that is made runs for each record.
    value = bool(node.this)
    return lambda r: value


def _comparison(holds: Callable[[Any, Any], bool]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> bool | None:
            a, b = left(r), right(r)
            if a is None or b is None:
                return None
            return holds(*comparable(a, b))

        def against(r: Record) -> bool | None:
            other = left(r)
            if type(other) in EXACT:
                return holds(other, number)
            return None if other is None else holds(*comparable(other, number))

        number = _number(e, node.expression)
        return run if number is None else against

    return make


def _number(e: Expression, node: exp.Expr) -> int | Decimal | None:
    """A number that is written in the expression, with which most things are compared; None for anything else."""
    written = isinstance(node, exp.Literal) and not node.args.get("is_string")
    return e._made(node)({}) if written else None


def _logic(combine: Callable[[Any, Any], Any], decisive: bool) -> Callable[[Expression, exp.Expr], Function]:
    """AND and OR. decisive: the value of one side that settles it, whatever the other is."""

    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> bool | None:
            first = truth(left(r))
            # FALSE settles AND and TRUE settles OR, even beside UNKNOWN; so the other side, which may be dear, is not
            # asked.
            return first if first is decisive else combine(first, truth(right(r)))

        return run

    return make


def _not(e: Expression, node: exp.Expr) -> Function:
    inner = e._made(node.this)
    return lambda r: negation(truth(inner(r)))


def _paren(e: Expression, node: exp.Expr) -> Function:
    return e._made(node.this)


def _negative(e: Expression, node: exp.Expr) -> Function:
    inner = e._made(node.this)
    return lambda r: None if (value := inner(r)) is None else -value


def _sum(sign: int) -> Callable[[Expression, exp.Expr], Function]:
    """Addition and subtraction, of numbers and of dates."""

    def make(e: Expression, node: exp.Expr) -> Function:
        left = e._made(node.this)
        if isinstance(node.expression, exp.Interval):
            count, unit = _interval(e, node.expression)
            return lambda r: None if (at := left(r)) is None or (n := count(r)) is None else moved(at, sign * n, unit)
        right = e._made(node.expression)

        def run(r: Record) -> Any:
            a, b = left(r), right(r)
            if a is None or b is None:
                return None
            # A date, or a date and time; types of times have no common ancestor to ask for.
            if hasattr(a, "year"):
                return difference(a, b) if hasattr(b, "year") else moved(a, sign * _whole(b), "day")
            a, b = _numbers(a, b)
            return a + sign * b

        return run

    return make


def _interval(e: Expression, node: exp.Expr) -> tuple[Function, str]:
    unit = str(node.args.get("unit") or "").lower().removesuffix("s")
    if unit not in ("year", "month", "week", "day", "hour", "minute", "second"):
        raise Unsupported("An interval is a number of years, months, weeks, days, hours, minutes or seconds.")
    if isinstance(node.this, exp.Literal):
        # A million days lead out of the calendar; more digits than that would only be computed to be refused.
        if not re.fullmatch(r"[+-]?\d{1,6}", str(node.this.this)):
            raise Unsupported("An interval is a whole number of its unit, such as INTERVAL '3' DAY.")
        count = int(str(node.this.this))
        return (lambda r: count), unit
    made = e._made(node.this)
    return (lambda r: None if (n := made(r)) is None else _whole(n)), unit


def _whole(value: Any) -> int:
    value = bounded(value)
    if isinstance(value, bool) or not isinstance(value, int | Decimal) or value != int(value):
        raise ExpressionError("Dates move by whole numbers.")
    return int(value)


def _numbers(a: Any, b: Any) -> tuple[Any, Any]:
    a, b = comparable(a, b)
    if isinstance(a, str | bytes) or hasattr(a, "hour") or hasattr(a, "year"):
        raise TypeError("no number")
    return a, b


def _arithmetic(compute: Callable[[Any, Any], Any]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> Any:
            a, b = left(r), right(r)
            if a is None or b is None:
                return None
            made = compute(*_numbers(a, b))
            if type(made) is int and not -GREATEST_WHOLE < made < GREATEST_WHOLE:
                raise ExpressionError("A number gets too large to compute with.")
            return made

        return run

    return make


def _divide(a: Any, b: Any) -> Any:
    if b == 0:
        raise ExpressionError("Something is divided by zero.")
    # Whole numbers divide to a whole one, cut off towards zero, as the standard leaves it and the servers do
    # (Python's // goes down).
    if isinstance(a, int) and isinstance(b, int):
        return abs(a) // abs(b) * (1 if (a < 0) == (b < 0) else -1)
    return a / b


def _remainder(a: Any, b: Any) -> Any:
    if b == 0:
        raise ExpressionError("Something is divided by zero.")
    # The sign of what is divided, as servers have it; Python's is that of the divisor.
    return (abs(a) % abs(b)) * (-1 if a < 0 else 1)


def _is(e: Expression, node: exp.Expr) -> Function:
    left, right = e._made(node.this), e._made(node.expression)
    wanted = node.expression.unnest()
    # IS TRUE is FALSE for UNKNOWN and never UNKNOWN itself, which = TRUE would be.
    if isinstance(wanted, exp.Boolean):
        return lambda r: truth(left(r)) is bool(wanted.this)

    def run(r: Record) -> bool:
        a, b = left(r), right(r)
        if a is None or b is None:
            return a is None and b is None
        try:
            a, b = comparable(a, b)
        except TypeError:
            return False
        return bool(a == b)

    return run


def _is_not(e: Expression, node: exp.Expr) -> Function:
    same = _is(e, node)
    return lambda r: not same(r)


def _in(e: Expression, node: exp.Expr) -> Function:
    if node.args.get("query") or node.args.get("unnest"):
        raise Unsupported("A subquery is not evaluated here.")
    if not node.expressions:
        raise Unsupported("IN needs a list of values.")
    value, options = e._made(node.this), [e._made(option) for option in node.expressions]

    def run(r: Record) -> bool | None:
        left, unknown = value(r), False
        if left is None:
            return None
        for option in options:
            right = option(r)
            if right is None:
                # x IN (1, NULL) is TRUE for 1 and UNKNOWN for all else: the value that is missing might be it.
                unknown = True
                continue
            try:
                a, b = comparable(left, right)
            except TypeError:
                continue
            if a == b:
                return True
        return None if unknown else False

    return run


def _between(e: Expression, node: exp.Expr) -> Function:
    value, low, high = e._made(node.this), e._made(node.args["low"]), e._made(node.args["high"])

    def at_least(left: Any, right: Any) -> bool | None:
        if left is None or right is None:
            return None
        a, b = comparable(left, right)
        return bool(a >= b)

    def run(r: Record) -> bool | None:
        met = value(r)
        return both(at_least(met, low(r)), at_least(high(r), met))

    def within(r: Record) -> bool | None:
        met = value(r)
        return least <= met <= most if type(met) in EXACT else run(r)

    least, most = _number(e, node.args["low"]), _number(e, node.args["high"])
    return run if least is None or most is None else within


def _fits(pattern: str, value: Any) -> bool:
    try:
        return fits(pattern, str(plain(value)))
    except BadPattern as error:
        raise ExpressionError(str(error)) from None


def _matching(translate: Callable[[str], str]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        value, pattern = e._made(node.this), e._made(node.expression)
        negated = bool(node.args.get("negate"))

        def run(r: Record) -> bool | None:
            text, like = value(r), pattern(r)
            if text is None or like is None:
                return None
            return _fits(translate(str(like)), text) != negated

        return run

    return make


def _escape(e: Expression, node: exp.Expr) -> Function:
    if not isinstance(node.this, exp.Like):
        raise Unsupported("ESCAPE without LIKE")
    # ESCAPE stands around LIKE in the tree, since it changes how its pattern is read.
    value, pattern, sign = e._made(node.this.this), e._made(node.this.expression), str(node.expression.this)
    negated = bool(node.this.args.get("negate"))

    def run(r: Record) -> bool | None:
        text, like = value(r), pattern(r)
        if text is None or like is None:
            return None
        return _fits(pattern_of(str(like), sign), text) != negated

    return run


def _case(e: Expression, node: exp.Expr) -> Function:
    subject = e._made(node.this) if node.this else None
    branches = [(e._made(item.this), e._made(item.args["true"])) for item in node.args["ifs"]]
    default = e._made(node.args["default"]) if node.args.get("default") else (lambda r: None)

    def run(r: Record) -> Any:
        for condition, result in branches:
            test = condition(r)
            if subject is not None:
                value = subject(r)
                # CASE x WHEN NULL never holds: it compares by =, and that is UNKNOWN.
                if value is None or test is None:
                    continue
                a, b = comparable(value, test)
                test = a == b
            if truth(test):
                return result(r)
        return default(r)

    return run


def _if(e: Expression, node: exp.Expr) -> Function:
    condition, yes = e._made(node.this), e._made(node.args["true"])
    no = e._made(node.args["false"]) if node.args.get("false") is not None else (lambda r: None)
    return lambda r: yes(r) if truth(condition(r)) else no(r)


_MAKERS: dict[type, Callable[[Expression, Any], Function]] = {
    exp.Column: _column,
    exp.Literal: _literal,
    exp.Boolean: _boolean,
    exp.Null: _constant(None),
    exp.Paren: _paren,
    exp.Not: _not,
    exp.And: _logic(both, False),
    exp.Or: _logic(either, True),
    exp.EQ: _comparison(lambda a, b: a == b),
    exp.NEQ: _comparison(lambda a, b: a != b),
    exp.GT: _comparison(lambda a, b: a > b),
    exp.GTE: _comparison(lambda a, b: a >= b),
    exp.LT: _comparison(lambda a, b: a < b),
    exp.LTE: _comparison(lambda a, b: a <= b),
    exp.Is: _is,
    exp.NullSafeEQ: _is,
    exp.NullSafeNEQ: _is_not,
    exp.In: _in,
    exp.Between: _between,
    exp.Like: _matching(pattern_of),
    exp.Glob: _matching(glob_pattern),
    exp.Escape: _escape,
    exp.Neg: _negative,
    exp.Add: _sum(1),
    exp.Sub: _sum(-1),
    exp.Mul: _arithmetic(lambda a, b: a * b),
    exp.Div: _arithmetic(_divide),
    exp.Mod: _arithmetic(_remainder),
    exp.Case: _case,
    exp.If: _if,
}
