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
        return ""

    return _clause(tree.unnest(), term)


def _clause(node: exp.Expr, term: Callable[[exp.Expr], str]) -> str:
    if isinstance(node, exp.And):
        parts = [_clause(side.unnest(), term) for side in (node.this, node.expression)]
        return " and ".join(parts) if all(parts) else ""
    if isinstance(node, exp.Or):
        # "x IS NULL OR condition": a value that is left out is fine, so the condition alone says it.
        for side, other in ((node.this, node.expression), (node.expression, node.this)):
            if isinstance(side.unnest(), exp.Is) and isinstance(side.unnest().expression, exp.Null):
                return _clause(other.unnest(), term)
        return ""
    if type(node) in _COMPARED:
        return _comparison(node, term)
    if isinstance(node, exp.Between):
        parts = [term(node.this), term(node.args["low"]), term(node.args["high"])]
        return f"{parts[0]} must be between {parts[1]} and {parts[2]}" if all(parts) else ""
    if isinstance(node, exp.In):
        subject, options = term(node.this), [term(one) for one in node.expressions]
        return f"{subject} must be one of {', '.join(options)}" if subject and options and all(options) else ""
    return ""


def _comparison(node: exp.Expr, term: Callable[[exp.Expr], str]) -> str:
    left, right = node.this.unnest(), node.expression.unnest()
    compared: Any = type(node)
    if isinstance(left, exp.Literal):
        left, right, compared = right, left, _TURNED[compared]
    subject, other = term(left), term(right)
    return f"{subject} must be {_COMPARED[compared]} {other}" if subject and other else ""
