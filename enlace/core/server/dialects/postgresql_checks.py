"""PostgreSQL's conditions as people write them.

What pg_get_expr gives has a cast at each constant, brackets around each comparison, and IN and NOT IN turned into
`= ANY (ARRAY[…])` and `<> ALL (ARRAY[…])`.
"""

from __future__ import annotations

import re

import sqlglot
from sqlglot import exp

NEEDLESS = re.compile(r"(text|varchar|char|numeric|decimal|double|bpchar)", re.I)
COMPARED = (exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Is, exp.In, exp.Like, exp.Column, exp.Not)


def as_written(condition: str) -> str:
    """A condition in the words of expressions; "" where it can't be read, and the server's word on save stands in."""
    try:
        tree = sqlglot.parse_one(condition, read="postgres").transform(_plain).transform(_fewer_brackets)
        return tree.unnest().sql(dialect="sqlite", normalize_functions=False)
    except (sqlglot.errors.SqlglotError, RecursionError):
        return ""


def _plain(node: exp.Expr) -> exp.Expr:
    listed = isinstance(node, exp.EQ | exp.NEQ) and _options(node)
    if listed:
        subject = node.this.transform(_plain).unnest()
        membership = exp.In(this=subject, expressions=[expr.transform(_plain) for expr in listed])
        return exp.Not(this=membership) if isinstance(node, exp.NEQ) else membership
    if isinstance(node, exp.Cast) and isinstance(node.this, exp.Literal) and re.fullmatch(r"-\d+", node.this.name):
        return exp.Neg(this=exp.Literal.number(node.this.name[1:]))
    if isinstance(node, exp.Cast) and NEEDLESS.match(node.to.sql()):
        inner = node.this.unnest()
        if isinstance(inner, exp.Column | exp.Literal | exp.Neg):
            return inner.transform(_plain)
    return node


def _options(node: exp.EQ | exp.NEQ) -> list[exp.Expr]:
    """The constants of `= ANY (ARRAY[…])` or `<> ALL (ARRAY[…])`."""
    side = node.expression
    if isinstance(node, exp.NEQ) and isinstance(side, exp.Anonymous) and side.name.upper() == "ALL":
        options = side.expressions[0]
    elif isinstance(side, exp.Any if isinstance(node, exp.EQ) else exp.All):
        options = side.this
    else:
        return []
    while isinstance(options, exp.Cast | exp.Paren):
        options = options.this
    return options.expressions if isinstance(options, exp.Array) else []


def _fewer_brackets(node: exp.Expr) -> exp.Expr:
    """Without brackets around comparisons that AND and OR join, which bind less than they do."""
    if isinstance(node, exp.Paren) and isinstance(node.parent, exp.And | exp.Or) and isinstance(node.this, COMPARED):
        return node.this
    return node
