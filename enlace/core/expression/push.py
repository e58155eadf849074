"""Write an expression in a server's SQL, so that it gives there what `Expression` gives here.

Each part is written together with its type, since servers disagree most where types meet: a text against a number is
refused here instead of failing, or meaning something else, there. Where a server can't do the same, docs/how-it-works
names the difference.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from .division import surely
from .evaluate import Expression
from .own import OwnFunction, own_function
from .parse import AGGREGATES, Unsupported
from .push_servers import SERVERS, Server
from .temporal import as_date, as_datetime

NUMBERS = ("whole", "decimal")
TEMPORAL = ("date", "datetime")
MOST_SQL = 50_000  # characters; some functions need an argument more than once


@dataclass(frozen=True)
class Sql:
    """A part of an expression as SQL, and its type: whole, decimal, text, yesno, date, datetime, time, bytes or null."""

    text: str
    type: str


Column = Callable[[str], Sql]


def pushed(expression: Expression, server: str, column: Column) -> Sql:
    """The expression in the server's SQL. column: what each of its names is there. Raises Unsupported."""
    if server not in SERVERS:
        raise Unsupported("Expressions are not written for this kind of server yet.")
    writer = _Writer(expression, SERVERS[server], column)
    sql = writer.write(expression.tree)
    return Sql(writer.server.out(sql.text, sql.type), sql.type)


def condition(expression: Expression, server: str, column: Column) -> str:
    """The expression as a condition in the server's SQL. Raises Unsupported."""
    if server not in SERVERS:
        raise Unsupported("Expressions are not written for this kind of server yet.")
    return _Writer(expression, SERVERS[server], column).truth(expression.tree)


class _Writer:
    def __init__(self, expression: Expression, server: Server, column: Column) -> None:
        self.expression, self.server, self.column = expression, server, column
        # By a node's id, with the node: while it is held nothing else has its id.
        self._written: dict[int, tuple[exp.Expr, Sql]] = {}

    # -- coercion -------------------------------------------------------------------------------------

    def write(self, node: exp.Expr) -> Sql:
        """A node in SQL. Once for each: who asks for an operand's type asks for its text again, at every level."""
        if id(node) not in self._written:
            self._written[id(node)] = node, self._write(node)
        return self._written[id(node)][1]

    def _write(self, node: exp.Expr) -> Sql:
        # An aggregate over details is one value of the record, joined like a column.
        if type(node) in AGGREGATES:
            return self.leaf(self.column(self.expression.known.of_details(node)))
        maker = _WRITERS.get(type(node))
        own = own_function(node) if maker is None else None
        if maker is None and (own is None or own.sql is None):
            raise Unsupported(f"“{node.sql()[:40]}” can't be asked of this server.")
        made = maker(self, node) if maker else self.own(own, node)  # type: ignore[arg-type]
        # Checked at each node: functions that take an argument twice double the text at every level.
        if len(made.text) > MOST_SQL:
            raise Unsupported("The expression is too involved for a server.")
        return made

    def own(self, own: OwnFunction, node: exp.Expr) -> Sql:
        """A function that a developer added, strict as its Python side is."""
        assert own.sql is not None
        nodes = node.expressions
        arguments = [self._as(self.write(n), kind, n) for n, kind in zip(nodes, own.takes, strict=True)]
        none = " OR ".join(f"{argument} IS NULL" for argument in arguments) or "1 = 0"
        return Sql(f"(CASE WHEN {none} THEN NULL ELSE {own.sql(self.server.name, arguments)} END)", own.gives)

    def leaf(self, sql: Sql) -> Sql:
        return Sql(self.server.leaf(sql.text, sql.type), sql.type)

    def truth(self, node: exp.Expr) -> str:
        made = self.write(node)
        if made.type == "yesno":
            return self.server.truth(made.text)
        # PostgreSQL knows no number as a condition; `Expression` takes all but 0 for true.
        if made.type in NUMBERS:
            return f"({made.text} <> 0)"
        if made.type == "null":
            return "(NULL)"
        raise Unsupported("A condition is needed here, not a value.")

    def number(self, node: exp.Expr) -> Sql:
        """An operand of arithmetic: cast so that it does not overflow."""
        made = self.write(node)
        if made.type == "null":
            # A bare NULL has no type, and PostgreSQL then finds no operator that fits.
            return Sql(self.server.null("decimal"), "whole")
        if made.type == "yesno":
            return Sql(self.server.as_whole(made.text), "whole")
        if made.type not in NUMBERS:
            raise Unsupported(f"“{node.sql()[:40]}” is no number.")
        return Sql(self.server.wide(made.text, made.type), made.type)

    def text(self, node: exp.Expr) -> str:
        made = self.write(node)
        if made.type == "null":
            return self.server.null("text")
        return made.text if made.type == "text" else self.server.as_text(made.text, made.type)

    def plain_whole(self, node: exp.Expr) -> str:
        made = self.write(node)
        if made.type not in ("whole", "null"):
            raise Unsupported(f"“{node.sql()[:40]}” must be a whole number.")
        return self.server.null("whole") if made.type == "null" else self.server.as_whole(made.text)

    def together(self, nodes: Sequence[exp.Expr]) -> tuple[list[str], str]:
        """Several values as one type."""
        made = [self.write(node) for node in nodes]
        kind = _common([sql.type for sql in made])
        return [self._as(sql, kind, node) for sql, node in zip(made, nodes, strict=True)], kind

    def _as(self, made: Sql, kind: str, node: exp.Expr) -> str:
        if made.type == "null":
            return self.server.null("text" if kind == "null" else kind)
        if made.type == kind:
            return made.text
        if kind in TEMPORAL:
            return self._moment(made, kind, node)
        if kind == "whole":
            return self.server.as_whole(made.text)
        return made.text if kind == "decimal" else self.server.as_text(made.text, made.type)

    def _moment(self, made: Sql, kind: str, node: exp.Expr) -> str:
        if made.type == "text":
            node = node.unnest()
            if not isinstance(node, exp.Literal):
                raise Unsupported(f"“{node.sql()[:40]}” is no date. Write CAST(… AS DATE).")
            try:
                value: Any = (as_date if kind == "date" else as_datetime)(str(node.this))
            except ValueError:
                raise Unsupported(f"“{node.this}” is no date. Write one such as '2026-03-31'.") from None
            return self.server.moment(self.server.quoted(str(value)), kind)
        return self.server.moment(made.text, kind)

    def compared(self, left: exp.Expr, sign: str, right: exp.Expr) -> str:
        """A comparison; texts by their code points, dates by what they stand for."""
        sql, other = self.write(left), self.write(right)
        kinds = {sql.type, other.type}
        if kinds & set(TEMPORAL) and kinds <= {*TEMPORAL, "text", "null"}:
            # A text may hold a time of day, which a comparison of dates would cut off.
            kind = "datetime" if "datetime" in kinds or len(kinds & {"text"}) else "date"
            first, second = self._as(sql, kind, left), self._as(other, kind, right)
        else:
            kind = _common([sql.type, other.type])
            first, second = self._as(sql, kind, left), self._as(other, kind, right)
            # Collations differ from server to server; code points don't, and Python compares by them.
            if kind in ("text", "null"):
                first = self.server.binary(first)
        return f"({first} {sign} {second})"


def _common(kinds: Sequence[str]) -> str:
    """The type that several have in common. Raises Unsupported."""
    kinds_met = {kind for kind in kinds if kind != "null"}
    if len(kinds_met) <= 1:
        return next(iter(kinds_met), "null")
    if kinds_met <= set(NUMBERS):
        return "decimal"
    if kinds_met <= {*NUMBERS, "yesno"}:
        return "whole" if kinds_met == {"whole", "yesno"} else "decimal"
    if kinds_met <= set(TEMPORAL):
        return "datetime"
    names = {"whole": "number", "decimal": "number", "yesno": "yes or no", "datetime": "date and time"}
    raise Unsupported(f"A {' and a '.join(sorted({names.get(k, k) for k in kinds_met}))} do not go together.")


# -- writers: one for each kind of node --------------------------------------------------------------------

Writer = Callable[[_Writer, Any], Sql]


def _column(w: _Writer, node: exp.Expr) -> Sql:
    return w.leaf(w.column(w.expression.known.of(node)))


def _literal(w: _Writer, node: exp.Expr) -> Sql:
    if node.args.get("is_string"):
        return Sql(w.server.quoted(str(node.this)), "text")
    return Sql(w.server.literal(str(node.this)), "whole" if str(node.this).isdecimal() else "decimal")


def _boolean(w: _Writer, node: exp.Expr) -> Sql:
    return Sql(w.server.boolean(bool(node.this)), "yesno")


def _null(w: _Writer, node: exp.Expr) -> Sql:
    return Sql("NULL", "null")


def _paren(w: _Writer, node: exp.Expr) -> Sql:
    return w.write(node.this)


def _logic(word: str) -> Writer:
    return lambda w, node: Sql(f"({w.truth(node.this)} {word} {w.truth(node.expression)})", "yesno")


def _not(w: _Writer, node: exp.Expr) -> Sql:
    return Sql(f"(NOT {w.truth(node.this)})", "yesno")


def _comparison(sign: str) -> Writer:
    return lambda w, node: Sql(w.compared(node.this, sign, node.expression), "yesno")


def _same(negated: bool) -> Writer:
    def write(w: _Writer, node: exp.Expr) -> Sql:
        comparison = w.compared(node.this, w.server.same, node.expression)
        return Sql(f"(NOT {comparison})" if negated else comparison, "yesno")

    return write


def _is(w: _Writer, node: exp.Expr) -> Sql:
    other = node.expression.unnest()
    if isinstance(other, exp.Null):
        return Sql(f"({w.write(node.this).text} IS NULL)", "yesno")
    if isinstance(other, exp.Boolean):
        return Sql(f"({w.truth(node.this)} IS {'TRUE' if other.this else 'FALSE'})", "yesno")
    return _same(False)(w, node)


def _in(w: _Writer, node: exp.Expr) -> Sql:
    if not node.expressions:
        raise Unsupported("IN needs a list of values.")
    return Sql(
        # Each is compared by itself, so that a text, a number and a date of one list are each told by their own
        # types.
        "(" + " OR ".join(w.compared(node.this, "=", expression) for expression in node.expressions) + ")",
        "yesno",
    )


def _between(w: _Writer, node: exp.Expr) -> Sql:
    low, high = (w.compared(node.this, s, node.args[n]) for s, n in ((">=", "low"), ("<=", "high")))
    return Sql(f"({low} AND {high})", "yesno")


def _like(w: _Writer, node: exp.Expr, escape: str = "") -> Sql:
    comparison = w.server.like(w.text(node.this), w.text(node.expression), w.server.quoted(escape) if escape else "")
    return Sql(f"(NOT {comparison})" if node.args.get("negate") else comparison, "yesno")


def _escape(w: _Writer, node: exp.Expr) -> Sql:
    return _like(w, node.this, str(node.expression.this))


def _negative(w: _Writer, node: exp.Expr) -> Sql:
    made = w.number(node.this)
    return Sql(f"(- {made.text})", made.type)


def _sum(sign: str) -> Writer:
    def write(w: _Writer, node: exp.Expr) -> Sql:
        if isinstance(node.expression, exp.Interval):
            return _moved(w, node.this, sign, node.expression)
        left, right = w.write(node.this), w.write(node.expression)
        if left.type in TEMPORAL:
            if right.type in TEMPORAL and sign == "-":
                both = "date" if left.type == right.type == "date" else "datetime"
                first, second = (w.server.moment(sql.text, both) for sql in (left, right))
                return Sql(w.server.difference(first, second, both), "whole" if both == "date" else "decimal")
            moment = w.server.moment(left.text, left.type)
            return Sql(w.server.moved(moment, left.type, sign, w.plain_whole(node.expression), "day"), left.type)
        return _arithmetic(sign)(w, node)

    return write


def _moved(w: _Writer, at: exp.Expr, sign: str, interval: exp.Expr) -> Sql:
    made = w.write(at)
    if made.type not in TEMPORAL:
        raise Unsupported(f"“{at.sql()[:40]}” is no date.")
    unit = str(interval.args.get("unit") or "").lower().removesuffix("s")
    count = str(interval.this.this) if isinstance(interval.this, exp.Literal) else w.plain_whole(interval.this)
    kind = "datetime" if unit in ("hour", "minute", "second") else made.type
    return Sql(w.server.moved(w.server.moment(made.text, kind), kind, sign, count, unit), kind)


def _arithmetic(sign: str) -> Writer:
    def write(w: _Writer, node: exp.Expr) -> Sql:
        left, right = w.number(node.this), w.number(node.expression)
        kind = "whole" if left.type == right.type == "whole" else "decimal"
        if sign == "/" and kind == "decimal" and not surely("decimal", node, lambda one: w.write(one).type):
            raise Unsupported(
                f"“{node.sql()[:40]}” divides numbers that are whole in some records, and whole ones divide to whole ones. Write"
                " CAST(… AS DECIMAL) around one of them."
            )
        return Sql(w.server.arithmetic(left.text, sign, right.text, kind), kind)

    return write


def _case(w: _Writer, node: exp.Expr) -> Sql:
    branches, default = node.args["ifs"], node.args.get("default")
    results, kind = w.together([b.args["true"] for b in branches] + ([default] if default is not None else []))
    tests = [w.compared(node.this, "=", b.this) if node.this else w.truth(b.this) for b in branches]
    whens = " ".join(f"WHEN {test} THEN {result}" for test, result in zip(tests, results, strict=False))
    return Sql(f"(CASE {whens} ELSE {results[-1] if default is not None else 'NULL'} END)", kind)


def _if(w: _Writer, node: exp.Expr) -> Sql:
    false = node.args.get("false")
    results, kind = w.together([node.args["true"], *([false] if false is not None else [])])
    other = results[1] if len(results) > 1 else "NULL"
    return Sql(f"(CASE WHEN {w.truth(node.this)} THEN {results[0]} ELSE {other} END)", kind)


def _coalesce(w: _Writer, node: exp.Expr) -> Sql:
    values, kind = w.together([node.this, *node.expressions])
    return Sql(f"COALESCE({', '.join(values)})" if len(values) > 1 else values[0], kind)


def _nullif(w: _Writer, node: exp.Expr) -> Sql:
    made = w.write(node.this)
    if made.type == "null":
        return made
    return Sql(f"(CASE WHEN {w.compared(node.this, '=', node.expression)} THEN NULL ELSE {made.text} END)", made.type)


def _extreme(name: str) -> Writer:
    def write(w: _Writer, node: exp.Expr) -> Sql:
        values, kind = w.together([node.this, *node.expressions])
        if kind in TEMPORAL:
            values = [w.server.moment(value, kind) for value in values]
        if kind == "text":
            values = [w.server.binary(value) for value in values]
        # GREATEST leaves NULLs out on PostgreSQL and gives NULL elsewhere; said in full it is the same on all.
        any_null = " OR ".join(f"{value} IS NULL" for value in values)
        return Sql(f"(CASE WHEN {any_null} THEN NULL ELSE {w.server.extremes[name]}({', '.join(values)}) END)", kind)

    return write


def _of_numbers(write: Callable[[Server, Sql], str], kind: str = "") -> Writer:
    def make(w: _Writer, node: exp.Expr) -> Sql:
        made = w.number(node.this)
        return Sql(write(w.server, made), kind or made.type)

    return make


def _round(w: _Writer, node: exp.Expr) -> Sql:
    made, digits = w.number(node.this), node.args.get("decimals")
    places = "0" if digits is None else w.plain_whole(digits)
    return Sql(w.server.rounded(made.text, places), "whole" if made.type == "whole" and digits is None else "decimal")


def _of_text(write: Callable[..., str], kind: str, *more: str) -> Writer:
    """A function of a text; further arguments are whole numbers, those marked "=" texts."""

    def make(w: _Writer, node: exp.Expr) -> Sql:
        arguments = [w.text(node.this)]
        for name in more:
            argument = node.args.get(name.lstrip("="))
            if argument is not None:
                arguments.append(w.text(argument) if name.startswith("=") else w.plain_whole(argument))
        return Sql(write(w.server, *arguments), kind)

    return make


def _trim(w: _Writer, node: exp.Expr) -> Sql:
    name = {"LEADING": "LTRIM", "TRAILING": "RTRIM"}.get(str(node.args.get("position") or "").upper(), "TRIM")
    return Sql(f"{name}({w.text(node.this)})", "text")


def _joined(w: _Writer, node: exp.Expr) -> Sql:
    return Sql(w.server.joined([w.text(node.this), w.text(node.expression)]), "text")


def _concat(w: _Writer, node: exp.Expr) -> Sql:
    return Sql(w.server.joined([f"COALESCE({w.text(expression)}, '')" for expression in node.expressions]), "text")


def _extract(w: _Writer, node: exp.Expr) -> Sql:
    unit, made = str(node.this.this).lower(), w.write(node.expression)
    if made.type not in TEMPORAL:
        raise Unsupported(f"“{node.expression.sql()[:40]}” is no date.")
    if made.type == "date" and unit in ("hour", "minute", "second"):
        return Sql(f"(CASE WHEN {made.text} IS NULL THEN NULL ELSE 0 END)", "whole")
    return Sql(w.server.extracted(w.server.moment(made.text, made.type), unit), "whole")


def _cast(w: _Writer, node: exp.Expr) -> Sql:
    to_type, made = node.args["to"], w.write(node.this)
    kind, sizes = to_type.this, [expression.name for expression in to_type.expressions]
    if kind in exp.DataType.TEXT_TYPES:
        text = w.text(node.this)
        return Sql(w.server.left(text, sizes[0]) if sizes else text, "text")
    if kind in (exp.DataType.Type.DATE, exp.DataType.Type.TIMESTAMP, exp.DataType.Type.DATETIME):
        to = "date" if kind == exp.DataType.Type.DATE else "datetime"
        if made.type == "text" and not isinstance(node.this.unnest(), exp.Literal):
            raise Unsupported("Only a text that is written here can be cast to a date.")
        if made.type not in (*TEMPORAL, "text", "null"):
            raise Unsupported(f"“{node.this.sql()[:40]}” is no date.")
        return Sql(w._as(made, to, node.this) if made.type != to else made.text, to)
    if made.type == "text":
        made = Sql(w.server.number(made.text), "decimal")
    elif made.type not in (*NUMBERS, "yesno", "null"):
        raise Unsupported(f"“{node.this.sql()[:40]}” can't be cast to a number.")
    else:
        made = w.number(node.this)
    if kind in exp.DataType.INTEGER_TYPES:
        return Sql(made.text if made.type == "whole" else w.server.rounded(made.text, "0"), "whole")
    scale = sizes[1] if len(sizes) > 1 else "0" if sizes else ""
    return Sql(w.server.rounded(made.text, scale) if scale else made.text, "decimal")


_WRITERS: Mapping[type, Writer] = {
    exp.Column: _column,
    exp.Literal: _literal,
    exp.Boolean: _boolean,
    exp.Null: _null,
    exp.Paren: _paren,
    exp.Not: _not,
    exp.And: _logic("AND"),
    exp.Or: _logic("OR"),
    exp.EQ: _comparison("="),
    exp.NEQ: _comparison("<>"),
    exp.GT: _comparison(">"),
    exp.GTE: _comparison(">="),
    exp.LT: _comparison("<"),
    exp.LTE: _comparison("<="),
    exp.Is: _is,
    exp.NullSafeEQ: _same(False),
    exp.NullSafeNEQ: _same(True),
    exp.In: _in,
    exp.Between: _between,
    exp.Like: _like,
    exp.Escape: _escape,
    exp.Neg: _negative,
    exp.Add: _sum("+"),
    exp.Sub: _sum("-"),
    exp.Mul: _arithmetic("*"),
    exp.Div: _arithmetic("/"),
    exp.Mod: _arithmetic("%"),
    exp.Case: _case,
    exp.If: _if,
    exp.Coalesce: _coalesce,
    exp.Nullif: _nullif,
    exp.Greatest: _extreme("greatest"),
    exp.Least: _extreme("least"),
    exp.Abs: _of_numbers(lambda s, n: f"ABS({n.text})"),
    exp.Sign: _of_numbers(
        lambda s, n: f"(CASE WHEN {n.text} > 0 THEN 1 WHEN {n.text} < 0 THEN -1 WHEN {n.text} = 0 THEN 0 END)", "whole"
    ),
    exp.Floor: _of_numbers(lambda s, n: s.floor(n.text), "whole"),
    exp.Ceil: _of_numbers(lambda s, n: s.ceiling(n.text), "whole"),
    exp.Round: _round,
    exp.Length: _of_text(lambda s, t: s.length(t), "whole"),
    exp.ByteLength: _of_text(lambda s, t: s.byte_length(t), "whole"),
    exp.Upper: _of_text(lambda s, t: f"UPPER({t})", "text"),
    exp.Lower: _of_text(lambda s, t: f"LOWER({t})", "text"),
    exp.Trim: _trim,
    exp.Substring: _of_text(lambda s, *a: s.substring(*a), "text", "start", "length"),
    exp.Left: _of_text(lambda s, t, n: s.left(t, n), "text", "expression"),
    exp.Right: _of_text(lambda s, t, n: s.right(t, n), "text", "expression"),
    exp.Replace: _of_text(lambda s, *a: s.replaced(*a), "text", "=expression", "=replacement"),
    exp.StrPosition: _of_text(lambda s, t, p: s.position(t, p), "whole", "=substr"),
    exp.DPipe: _joined,
    exp.Concat: _concat,
    exp.Extract: _extract,
    exp.Cast: _cast,
    exp.CurrentDate: lambda w, node: Sql(w.server.today, "date"),
    exp.CurrentTimestamp: lambda w, node: Sql(w.server.now, "datetime"),
}
