"""How many rows there are of each value of a field. The server counts, by the value and not by what is shown for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import reading
from .source import SHOWN
from .window import Rows

MOST = 200


@dataclass(frozen=True)
class Group:
    """A value, what its lookup in a table shows for it, and how many rows have it."""

    value: Any
    shown: tuple[Any, ...]
    count: int


def grouped(
    rows: Rows, name: str, start: int = 0, most: int = MOST, only: Sequence[Any] | None = None
) -> tuple[list[Group], bool]:
    """The groups of the rows by a field from a place on, the largest first, and whether there are more.

    only: those of some values. Raises Problem.
    """
    dataset, source = rows.dataset, rows.source
    field = dataset.any_name.get(name)
    if field is None or field.kind in ("longtext", "picture", "binary"):
        raise Problem("Rows can't be counted by this field.", "Choose another one.", code="bad")
    value = source.column(name)
    needed, shown = [name], []
    for lookup, (other_field, spec) in dataset.looked_up.items():
        if other_field.name == name and spec.shows:
            needed.append(SHOWN + name)
            shown = [source.lookup_column(lookup, column) for column in spec.reads]
    count = func.count().label("n")
    statement = select(value.label("v"), *shown, count).select_from(rows.source_with(needed)).where(rows.belonging())
    if only is not None:
        bound = server_kind(rows.spec.kind).bound
        statement = statement.where(value.in_([bound(item) for item in only]))
    statement = statement.group_by(value, *shown).order_by(count.desc(), value).limit(most + 1).offset(start)
    with reading(rows.spec) as connection:
        lines = [tuple(row) for row in connection.execute(statement, rows.bound_values)]
    groups = [Group(row[0], row[1:-1], int(row[-1])) for row in lines[:most]]
    return groups, len(lines) > most
