"""Evaluate an SQL scalar expression over a record.

The text is parsed by sqlglot and turned into nested functions once; each record is then a plain call.
Logic is three-valued as in ISO/IEC 9075-2, 8.1 ff.: None stands for UNKNOWN and NULL. What is not
supported raises `Unsupported` when the expression is made, never while a record is checked: then the
server alone checks it.
"""

from __future__ import annotations

import re
import string
from collections.abc import Callable, Mapping
from decimal import Decimal, DivisionByZero
from typing import Any

import sqlglot
from sqlglot import exp

from .logic import both, comparable, either, negation, plain, truth
from .patterns import glob_pattern, pattern_of

Record = Mapping[str, Any]
Function = Callable[[Record], Any]
MOST_CHARACTERS = 10_000
MOST_NODES = 1_000


class Unsupported(ValueError):
    """The expression uses something that is not evaluated here, or is no expression at all."""


class Expression:
    """An expression over named fields.

    names: the field names it uses, in the spelling of `fields`. Calling it with a record (a mapping of
    every name to a value: None, str, int, float, Decimal, bool, bytes, date, time or datetime) gives a
    value, True, False or None.
    """

    def __init__(self, text: str, fields: Mapping[str, str] | list[str], dialect: str = "sqlite") -> None:
        """`fields`: the names that may be used, capitals apart. Raises Unsupported."""
        self.text = text
        if len(text) > MOST_CHARACTERS:
            raise Unsupported("The expression is too long.")
        try:
            self.tree = sqlglot.parse_one(text, read=dialect)
        except (sqlglot.errors.SqlglotError, RecursionError) as error:
            raise Unsupported(str(error)) from None
        if sum(1 for _ in self.tree.walk()) > MOST_NODES:
            raise Unsupported("The expression has too many parts.")
        self._spelling = {name.lower(): name for name in fields}
        self.names: set[str] = set()
        self._run = self._made(self.tree)

    def __call__(self, record: Record) -> Any:
        try:
            return self._run(record)
        except (ArithmeticError, TypeError, ValueError):
            return None  # Servers differ here; what can't be decided is left to the server.

    def _made(self, node: exp.Expr) -> Function:
        maker = _MAKERS.get(type(node))
        if maker is None:
            raise Unsupported(f"{type(node).__name__} is not evaluated here.")
        return maker(self, node)

    def field(self, name: str) -> str:
        """The field that a column name means."""
        if name.lower() not in self._spelling:
            raise Unsupported(f"There is no field {name}.")
        found = self._spelling[name.lower()]
        self.names.add(found)
        return found


# -- makers: one for each kind of node --------------------------------------------------------------------


def _column(e: Expression, node: exp.Expr) -> Function:
    name = e.field(node.name)
    return lambda r: r[name]


def _literal(e: Expression, node: exp.Expr) -> Function:
    value: Any = node.this
    if not node.args.get("is_string"):
        value = int(value) if re.fullmatch(r"\d+", value) else Decimal(value)
    return lambda r: value


def _constant(value: Any) -> Callable[[Expression, exp.Expr], Function]:
    return lambda e, node: lambda r: value


def _boolean(e: Expression, node: exp.Expr) -> Function:
    value = bool(node.this)
    return lambda r: value


def _comparison(holds: Callable[[Any, Any], bool]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> bool | None:
            one, other = left(r), right(r)
            if one is None or other is None:
                return None
            return holds(*comparable(one, other))

        return run

    return make


def _logic(combine: Callable[[Any, Any], Any]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)
        return lambda r: combine(truth(left(r)), truth(right(r)))

    return make


def _not(e: Expression, node: exp.Expr) -> Function:
    inner = e._made(node.this)
    return lambda r: negation(truth(inner(r)))


def _paren(e: Expression, node: exp.Expr) -> Function:
    return e._made(node.this)


def _negative(e: Expression, node: exp.Expr) -> Function:
    inner = e._made(node.this)
    return lambda r: None if (value := inner(r)) is None else -value


def _arithmetic(compute: Callable[[Any, Any], Any]) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        left, right = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> Any:
            one, other = left(r), right(r)
            if one is None or other is None:
                return None
            one, other = comparable(one, other)
            if isinstance(one, str):
                raise TypeError("text in arithmetic")
            return compute(one, other)

        return run

    return make


def _divide(one: Any, other: Any) -> Any:
    if other == 0:
        raise DivisionByZero
    if isinstance(one, int) and isinstance(other, int):
        return abs(one) // abs(other) * (1 if (one < 0) == (other < 0) else -1)
    return one / other


def _remainder(one: Any, other: Any) -> Any:
    if other == 0:
        raise DivisionByZero
    return (abs(one) % abs(other)) * (-1 if one < 0 else 1)


def _is(e: Expression, node: exp.Expr) -> Function:
    left, right = e._made(node.this), e._made(node.expression)

    def run(r: Record) -> bool:
        one, other = left(r), right(r)
        if one is None or other is None:
            return one is None and other is None
        try:
            one, other = comparable(one, other)
        except TypeError:
            return False
        return bool(one == other)

    return run


def _is_not(e: Expression, node: exp.Expr) -> Function:
    same = _is(e, node)
    return lambda r: not same(r)


def _in(e: Expression, node: exp.Expr) -> Function:
    if node.args.get("query") or node.args.get("unnest"):
        raise Unsupported("A subquery is not evaluated here.")
    value, options = e._made(node.this), [e._made(option) for option in node.expressions]

    def run(r: Record) -> bool | None:
        one, unknown = value(r), False
        if one is None:
            return None
        for option in options:
            other = option(r)
            if other is None:
                unknown = True
                continue
            try:
                a, b = comparable(one, other)
            except TypeError:
                continue
            if a == b:
                return True
        return None if unknown else False

    return run


def _between(e: Expression, node: exp.Expr) -> Function:
    value, low, high = e._made(node.this), e._made(node.args["low"]), e._made(node.args["high"])

    def at_least(one: Any, other: Any) -> bool | None:
        if one is None or other is None:
            return None
        a, b = comparable(one, other)
        return bool(a >= b)

    return lambda r: both(at_least(value(r), low(r)), at_least(high(r), value(r)))


def _matching(translate: Callable[[str], str], flags: int) -> Callable[[Expression, exp.Expr], Function]:
    def make(e: Expression, node: exp.Expr) -> Function:
        value, pattern = e._made(node.this), e._made(node.expression)

        def run(r: Record) -> bool | None:
            one, like = value(r), pattern(r)
            if one is None or like is None:
                return None
            return re.fullmatch(translate(str(like)), str(plain(one)), flags | re.DOTALL) is not None

        return run

    return make


def _escape(e: Expression, node: exp.Expr) -> Function:
    if not isinstance(node.this, exp.Like):
        raise Unsupported("ESCAPE without LIKE")
    value, pattern, sign = e._made(node.this.this), e._made(node.this.expression), str(node.expression.this)

    def run(r: Record) -> bool | None:
        one, like = value(r), pattern(r)
        if one is None or like is None:
            return None
        found = re.fullmatch(pattern_of(str(like), sign), str(plain(one)), re.IGNORECASE | re.ASCII | re.DOTALL)
        return found is not None

    return run


def _case(e: Expression, node: exp.Expr) -> Function:
    subject = e._made(node.this) if node.this else None
    branches = [(e._made(one.this), e._made(one.args["true"])) for one in node.args["ifs"]]
    default = e._made(node.args["default"]) if node.args.get("default") else (lambda r: None)

    def run(r: Record) -> Any:
        for condition, result in branches:
            test = condition(r)
            if subject is not None:
                value = subject(r)
                if value is None or test is None:
                    continue
                a, b = comparable(value, test)
                test = a == b
            if truth(test):
                return result(r)
        return default(r)

    return run


def _strict(compute: Callable[..., Any], *names: str) -> Callable[[Expression, exp.Expr], Function]:
    """A function that gives NULL when an argument is NULL. `names`: where sqlglot keeps further arguments."""

    def make(e: Expression, node: exp.Expr) -> Function:
        arguments = [e._made(node.this)] + [e._made(node.args[n]) for n in names if node.args.get(n) is not None]

        def run(r: Record) -> Any:
            values = [argument(r) for argument in arguments]
            return None if any(v is None for v in values) else compute(*values)

        return run

    return make


def _coalesce(e: Expression, node: exp.Expr) -> Function:
    arguments = [e._made(node.this)] + [e._made(one) for one in node.expressions]
    return lambda r: next((value for a in arguments if (value := a(r)) is not None), None)


def _length(value: Any) -> int:
    return len(value) if isinstance(value, bytes) else len(str(plain(value)))


def _substring(value: Any, start: int, length: int | None = None) -> str:
    text = str(value)
    if start < 1 or (length is not None and length < 0):
        raise ValueError("servers differ")
    return text[start - 1 :] if length is None else text[start - 1 : start - 1 + length]


def _round(value: Any, digits: int = 0) -> Any:
    from decimal import ROUND_HALF_UP

    number = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
    return number.quantize(Decimal(1).scaleb(-int(digits)), ROUND_HALF_UP)


# SQLite's LIKE, upper and lower know the 26 ASCII letters only.
_LIKE = re.IGNORECASE | re.ASCII
_UPPER = str.maketrans(string.ascii_lowercase, string.ascii_uppercase)
_LOWER = str.maketrans(string.ascii_uppercase, string.ascii_lowercase)

_MAKERS: dict[type, Callable[[Expression, Any], Function]] = {
    exp.Column: _column,
    exp.Literal: _literal,
    exp.Boolean: _boolean,
    exp.Null: _constant(None),
    exp.Paren: _paren,
    exp.Not: _not,
    exp.And: _logic(both),
    exp.Or: _logic(either),
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
    exp.Like: _matching(pattern_of, _LIKE),
    exp.Glob: _matching(glob_pattern, 0),
    exp.Escape: _escape,
    exp.Neg: _negative,
    exp.Add: _arithmetic(lambda a, b: a + b),
    exp.Sub: _arithmetic(lambda a, b: a - b),
    exp.Mul: _arithmetic(lambda a, b: a * b),
    exp.Div: _arithmetic(_divide),
    exp.Mod: _arithmetic(_remainder),
    exp.Case: _case,
    exp.Coalesce: _coalesce,
    exp.Length: _strict(_length),
    exp.Upper: _strict(lambda v: str(v).translate(_UPPER)),
    exp.Lower: _strict(lambda v: str(v).translate(_LOWER)),
    exp.Trim: _strict(lambda v: str(v).strip(" ")),
    exp.Abs: _strict(abs),
    exp.Round: _strict(_round, "decimals"),
    exp.Substring: _strict(_substring, "start", "length"),
}
