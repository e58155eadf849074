"""Conditions that the server is asked about rows, those of a dataset's own rows among them."""

from __future__ import annotations

from typing import Any

from sqlalchemy import literal_column

from ..expression import Expression, Unsupported
from ..expression.push import condition
from ..model.dataset import DatasetSpec
from ..problem import Problem
from .compiled import derived
from .source import Source, names_for, source_of


@derived
def own_rows(dataset: DatasetSpec, server: str) -> tuple[Any, list[str]]:
    """`asked` of the condition that all rows of a dataset fulfil, made once: every window asks it. Raises Problem."""
    try:
        expression = Expression(dataset.row_condition, names_for(dataset))
    except Unsupported as error:
        hint = "A builder can mend it on the dataset's page."
        raise Problem(f"The condition for the rows is not understood: {error}", hint, code="bad") from None
    return asked(source_of(dataset, server), expression)


@derived
def written_rows(dataset: DatasetSpec, server: str, sql: str) -> tuple[Any, list[str]]:
    """`asked` of a condition that a person wrote, made once as long as it is in use. Raises Problem."""
    try:
        expression = Expression(sql, names_for(dataset))
    except Unsupported as error:
        raise Problem(f"The condition is not understood: {error}", "Write it otherwise.", code="bad") from None
    return asked(source_of(dataset, server), expression)


def asked(source: Source, expression: Expression) -> tuple[Any, list[str]]:
    """A condition over the rows of a source, and the names that the statement has to join. Raises Problem."""
    needs: set[str] = set()
    try:
        sql = condition(expression, source.server, lambda name: source.part(name, needs))
    except Unsupported as error:
        raise Problem(
            f"The condition can't be asked of the server: {error}", "Write it otherwise.", code="bad"
        ) from None
    joins = [name for name in expression.names if "(" not in name]
    return literal_column(sql), [*joins, *(f"{lookup}.{_any_column(source, lookup)}" for lookup in needs)]


def _any_column(source: Source, lookup: str) -> str:
    return source.dataset.looked_up[lookup][1].target
