"""Try a rule on all rows that exist: which of them break it. The server does the work."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, literal_column, select
from sqlglot import exp

from ..dataset.spec import DatasetSpec, RuleSpec
from ..dataset.values import record_id
from ..dataset.window import source_table
from ..expression import Expression, Unsupported
from ..problem import Problem
from ..server.engine import ConnectionSpec, reading

# The names that sqlglot has for the servers' SQL.
WRITES = {"sqlite": "sqlite", "postgresql": "postgres", "mariadb": "mysql", "sqlserver": "tsql", "oracle": "oracle"}


@dataclass(frozen=True)
class Trial:
    """How many rows break a rule, and the first of them: (record id, values of the rule's fields)."""

    count: int
    names: tuple[str, ...]
    rows: tuple[tuple[str, tuple[Any, ...]], ...]


def checked(dataset: DatasetSpec, rule: RuleSpec) -> Expression:
    """The rule's expression. Raises Problem with a sentence that says what is wrong with it."""
    if not rule.expression.strip():
        raise Problem("The rule has no expression.", "Type one, such as length_m > beam_m.", code="bad")
    try:
        expression = Expression(rule.expression, [f.name for f in dataset.fields])
    except Unsupported as error:
        hint = "Use the names of this dataset's fields, numbers, texts in single quotes, and SQL's operators."
        raise Problem(f"The rule can't be understood: {str(error).splitlines()[0]}", hint, code="bad") from None
    if not expression.names:
        raise Problem("The rule names no field.", "A rule says something about a record's fields.", code="bad")
    return expression


def broken_rows(spec: ConnectionSpec, dataset: DatasetSpec, rule: RuleSpec, most: int = 100) -> Trial:
    """The rows for which a rule is false. As in a CHECK, unknown is not broken. Raises Problem."""
    expression = checked(dataset, rule)
    table = source_table(dataset)
    names = tuple(sorted(expression.names))

    def quoted(node: exp.Expr) -> exp.Expr:
        return exp.column(expression.field(node.name), quoted=True) if isinstance(node, exp.Column) else node

    tree = expression.tree.transform(quoted)
    condition: Any = literal_column(exp.not_(exp.paren(tree)).sql(dialect=WRITES[spec.kind]))
    key = [table.c[n].label(f"k{i}") for i, n in enumerate(dataset.key)]
    shown = [table.c[n].label(f"f{i}") for i, n in enumerate(names)]
    with reading(spec) as connection:
        count = int(connection.execute(select(func.count()).select_from(table).where(condition)).scalar() or 0)
        found = (
            connection.execute(select(*key, *shown).where(condition).order_by(*key).limit(most)).all() if count else []
        )
    rows = tuple((record_id(tuple(row[: len(key)])) if key else "", tuple(row[len(key) :])) for row in found)
    return Trial(count, names, rows)
