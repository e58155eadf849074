"""Whether numbers divide to a whole one: in Python that is for the values to say, on a server for the types."""

from __future__ import annotations

from collections.abc import Callable

from sqlglot import exp

# Of these one operand that is no whole number makes the result none.
_BOTH = (exp.Add, exp.Sub, exp.Mul, exp.Div, exp.Mod)
_NUMBERS = ("whole", "decimal", "yesno", "null")
# These give what they are given.
_SAME = (exp.Paren, exp.Neg, exp.Abs, exp.Round, exp.Nullif)


def surely(kind: str, node: exp.Expr, type_of: Callable[[exp.Expr], str]) -> bool:
    """Whether the value of a node is of a kind ("decimal", "datetime") in each record: a branch of COALESCE or CASE may be a
    whole number, or a date, while the server takes all of them for what they have in common. type_of: the type that a node
    has on the server."""
    if isinstance(node, _BOTH) and type_of(node.this) in _NUMBERS:
        return any(surely(kind, side, type_of) for side in (node.this, node.expression))
    # From one moment to another there are parts of days, between dates whole days.
    if isinstance(node, _BOTH) and type_of(node) == "decimal":
        return any(surely("datetime", side, type_of) for side in (node.this, node.expression))
    if isinstance(node, (*_BOTH, *_SAME)) and node.args.get("decimals") is None:  # ROUND to some digits makes a decimal
        return surely(kind, node.this, type_of)
    if branches := _branches(node):
        several = [branch for branch in branches if type_of(branch) != "null"]
        return bool(several) and all(surely(kind, branch, type_of) for branch in several)
    return type_of(node) == kind


def _branches(node: exp.Expr) -> list[exp.Expr]:
    """The values of which a node gives one; none where it is not of that kind."""
    several: list[exp.Expr | None] = []
    if isinstance(node, exp.Coalesce | exp.Greatest | exp.Least):
        several = [node.this, *node.expressions]
    elif isinstance(node, exp.Case):
        several = [*(item.args["true"] for item in node.args["ifs"]), node.args.get("default")]
    elif isinstance(node, exp.If):
        several = [node.args["true"], node.args.get("false")]
    return [branch for branch in several if branch is not None]
