"""Try a rule on all rows that exist: which of them break it. The server does the work."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, func, select

from ..dataset.asked import asked, own_rows
from ..dataset.query import called_dataset
from ..dataset.source import given_values, names_for, source_of
from ..expression import Expression, Unsupported
from ..model.connection import ConnectionSpec, read_apart
from ..model.dataset import DatasetSpec, RuleSpec
from ..model.values import record_id
from ..problem import Problem
from ..server.engine import reading


@dataclass(frozen=True)
class Trial:
    """How many rows break a rule, and the first of them: (record id, values of the rule's names)."""

    count: int
    names: tuple[str, ...]
    rows: tuple[tuple[str, tuple[Any, ...]], ...]


def checked(dataset: DatasetSpec, rule: RuleSpec) -> Expression:
    """The rule's expression. Raises Problem with a sentence that says what is wrong with it."""
    if not rule.expression.strip():
        raise Problem("The rule has no expression.", "Type one, such as length_m > beam_m.", code="bad")
    try:
        expression = Expression(rule.expression, names_for(dataset))
    except Unsupported as error:
        hint = "Use the names of this dataset's fields, numbers, texts in single quotes, and SQL's operators."
        raise Problem(f"The rule can't be understood: {error}", hint, code="bad") from None
    if not expression.names:
        raise Problem("The rule names no field.", "A rule says something about a record's fields.", code="bad")
    return expression


def broken_rows(spec: ConnectionSpec, dataset: DatasetSpec, rule: RuleSpec, most: int = 100) -> Trial:
    """The rows for which a rule is false. As in a CHECK, unknown is not broken. Raises Problem."""
    expression = checked(dataset, rule)
    dataset = called_dataset(spec, dataset)
    source = source_of(dataset, spec.kind)
    bound_values = given_values(dataset, spec.kind)
    holds, joins = asked(source, expression)
    broken = ~holds.self_group() if hasattr(holds, "self_group") else ~holds
    if dataset.row_condition:
        mine, more = own_rows(dataset, spec.kind)
        broken, joins = and_(mine, broken), [*joins, *more]
    names = tuple(sorted(name for name in expression.names if "(" not in name))
    base = source.joined(joins)
    key = [source.base.c[n].label(f"k{i}") for i, n in enumerate(dataset.key)]
    shown = [source.column(n).label(f"f{i}") for i, n in enumerate(names)]
    with reading(read_apart(spec) if dataset.query else spec) as connection:
        counted = select(func.count()).select_from(base).where(broken)
        count = int(connection.execute(counted, bound_values).scalar() or 0)
        few = select(*key, *shown).select_from(base).where(broken).order_by(*key).limit(most)
        first_rows = connection.execute(few, bound_values).all() if count else []
    rows = tuple((record_id(tuple(row[: len(key)])) if key else "", tuple(row[len(key) :])) for row in first_rows)
    return Trial(count, names, rows)
