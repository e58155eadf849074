"""A condition in words, for the person whose value does not meet it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from sqlglot import exp

_COMPARED: dict[Any, str] = {
    exp.GT: "greater than",
    exp.GTE: "at least",
    exp.LT: "less than",
    exp.LTE: "at most",
    exp.EQ: "equal to",
    exp.NEQ: "different from",
}
_TOTALS: dict[Any, str] = {
    exp.Sum: "sum of",
    exp.Avg: "average of",
    exp.Min: "least",
    exp.Max: "greatest",
    exp.Count: "",
}
_SIGNS: dict[Any, str] = {exp.Add: "+", exp.Sub: "−", exp.Mul: "×", exp.Div: "÷"}
_DENIED: dict[Any, Any] = {
    exp.GT: exp.LTE, exp.GTE: exp.LT, exp.LT: exp.GTE, exp.LTE: exp.GT, exp.EQ: exp.NEQ, exp.NEQ: exp.EQ,
}  # fmt: skip
_TURNED: dict[Any, Any] = {
    exp.GT: exp.LT,
    exp.GTE: exp.LTE,
    exp.LT: exp.GT,
    exp.LTE: exp.GTE,
    exp.EQ: exp.EQ,
    exp.NEQ: exp.NEQ,
}


def in_words(tree: exp.Expr, labels: Mapping[str, str]) -> str:
    """What a condition demands, as a clause such as "Length must be greater than 0"; "" where there are no words.

    labels: what to call each column, by its name in lower case.
    """

    def term(node: exp.Expr) -> str:
        node = node.unnest()
        if isinstance(node, exp.Column):
            return labels.get(node.name.lower(), node.name)
        if isinstance(node, exp.Literal):
            return f"“{node.this}”" if node.is_string else str(node.this)
        if isinstance(node, exp.Neg) and isinstance(node.this, exp.Literal):
            return f"-{node.this.this}"
        if isinstance(node, exp.Length):
            return f"the length of {term(node.this)}"
        if isinstance(node, exp.ByteLength):
            return f"the length of {term(node.this)} in bytes"
        if type(node) in _TOTALS:
            return _total(node, labels)
        if type(node) in _SIGNS:
            left, right = term(node.this), term(node.expression)
            return f"{left} {_SIGNS[type(node)]} {right}" if left and right else ""
        return ""

    return _clause(tree.unnest(), term)


Term = Callable[[exp.Expr], str]


def _total(node: exp.Expr, labels: Mapping[str, str]) -> str:
    """An aggregate over a detail: "the sum of tonnes in cargo line"."""
    of = node.this
    if not isinstance(of, exp.Column):
        return "the number of rows" if isinstance(node, exp.Count) else ""
    table = of.table.replace("_", " ")
    column = labels.get(f"{of.table}.{of.name}".lower(), of.name.replace("_", " "))
    if isinstance(node, exp.Count):
        return f"the number of {table or column}"
    return f"the {_TOTALS[type(node)]} {column}{f' in {table}' if table else ''}"


def _clause(node: exp.Expr, term: Term) -> str:
    if isinstance(node, exp.And | exp.Or):
        return _joined(node, term)
    if isinstance(node, exp.Not):
        inner = node.this.unnest()
        if isinstance(inner, exp.Not):
            return _clause(inner.this.unnest(), term)
        return _denied(inner, term)
    if isinstance(node, exp.Is):
        return _is(node, term, False)
    if type(node) in _COMPARED:
        return _comparison(node, term)
    if isinstance(node, exp.Between):
        parts = [term(node.this), term(node.args["low"]), term(node.args["high"])]
        return f"{parts[0]} must be between {parts[1]} and {parts[2]}" if all(parts) else ""
    if isinstance(node, exp.In):
        return _one_of(node, term, "one")
    return ""


def _sides(node: exp.Expr, kind: type[exp.Expr]) -> list[exp.Expr]:
    """What a chain of AND or of OR joins."""
    if not isinstance(node, kind):
        return [node]
    return [*_sides(node.this.unnest(), kind), *_sides(node.expression.unnest(), kind)]


def _joined(node: exp.Expr, term: Term) -> str:
    """Clauses joined by "and" or "or"; those that say the same of several fields say it once."""
    word, kind = ("and", exp.And) if isinstance(node, exp.And) else ("or", exp.Or)
    sides = _sides(node, kind)
    if kind is exp.Or:
        sides = [side for side in sides if not _left_out(side, sides)]
    said: dict[str, list[str]] = {}
    for side in sides:
        clause = _clause(side, term)
        if not clause:
            return ""
        if isinstance(side, exp.And | exp.Or) and len(sides) > 1:
            clause = f"({clause})" if " or " in clause or " and " in clause else clause
        subject, must, what = clause.partition(" must ")
        same = said.setdefault(what, []) if must and not clause.startswith("(") and f" {word} " not in what else None
        if same is None:
            said[f"\0{clause}"] = [clause]
        else:
            same.append(subject)
    made = [who[0] if what.startswith("\0") else f"{_listed(who, word)} must {what}" for what, who in said.items()]
    return f" {word} ".join(_shortened(made))


def _shortened(clauses: list[str]) -> list[str]:
    """Clauses of one subject that follow each other, without saying it again."""
    made: list[str] = []
    before = ""
    for clause in clauses:
        subject, must, what = clause.partition(" must be ")
        again = bool(must) and subject == before and not clause.startswith("(")
        made.append(what if again else clause)
        before = subject if must else ""
    return made


def _left_out(other: exp.Expr, sides: list[exp.Expr]) -> bool:
    """Whether it is the "x IS NULL" of "x IS NULL OR condition on x": leaving a value out goes without saying."""
    if not isinstance(other, exp.Is) or not isinstance(other.expression, exp.Null):
        return False
    others = [side for side in sides if side is not other]
    name = other.this.unnest().name
    return bool(others) and all(
        any(column.name == name for column in side.find_all(exp.Column)) and not side.find(exp.Null) for side in others
    )


def _listed(names: list[str], word: str) -> str:
    return f" {word} ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else names[0]


def _denied(node: exp.Expr, term: Term) -> str:
    if type(node) in _DENIED:
        return _comparison(_DENIED[type(node)](this=node.this.copy(), expression=node.expression.copy()), term)
    if isinstance(node, exp.And | exp.Or):
        # De Morgan's laws, which hold with NULL as well.
        sides = [exp.Not(this=side.copy()) for side in _sides(node, type(node))]
        joined: exp.Expr = sides[0]
        for other in sides[1:]:
            joined = (exp.Or if isinstance(node, exp.And) else exp.And)(this=joined, expression=other)
        return _joined(joined, term)
    if isinstance(node, exp.In):
        return _one_of(node, term, "none")
    if isinstance(node, exp.Is):
        return _is(node, term, True)
    return ""


def _one_of(node: exp.In, term: Term, how: str) -> str:
    subject, options = term(node.this), [term(expression) for expression in node.expressions]
    return f"{subject} must be {how} of {', '.join(options)}" if subject and options and all(options) else ""


def _is(node: exp.Is, term: Term, denied: bool) -> str:
    subject, what = term(node.this), node.expression
    if not subject:
        return ""
    if isinstance(what, exp.Null):
        return f"{subject} must have a value" if denied else f"{subject} must be empty"
    if isinstance(what, exp.Boolean):
        return f"{subject} must {'not ' if denied else ''}be {'yes' if what.this else 'no'}"
    return ""


def _comparison(node: exp.Expr, term: Callable[[exp.Expr], str]) -> str:
    left, right = node.this.unnest(), node.expression.unnest()
    compared: Any = type(node)
    if isinstance(right, exp.Boolean) and compared in (exp.EQ, exp.NEQ):
        return _is(exp.Is(this=left.copy(), expression=right.copy()), term, compared is exp.NEQ)
    if isinstance(right, exp.Literal) and right.is_string and not right.this and compared is exp.NEQ:
        return f"{term(left)} must not be an empty text" if term(left) else ""
    if isinstance(left, exp.Literal):
        left, right, compared = right, left, _TURNED[compared]
    subject, other = term(left), term(right)
    return f"{subject} must be {_COMPARED[compared]} {other}" if subject and other else ""
