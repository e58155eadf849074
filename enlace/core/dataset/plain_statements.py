"""Statements over plain rows, all of a table or those of one master, each made once for a dataset.

To put a statement together takes longer than a window by an index. What differs from one request to the next is bound:
`key_0` … a record's key, `within_0` … what links rows to their master, `place_0` … and `place_end` a place in an order.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, bindparam, func, select, true

from ..model.dataset import DatasetSpec
from ..server.dialects import server_kind
from .compiled import derived
from .order import OrderPart, reversed_order, segments
from .ordered import Stretch
from .source import Source, source_of
from .window_rows import window_statement

Nulls = tuple[bool, ...]  # of a place in an order, which of its values are NULL
Names = tuple[str, ...]
Part = tuple[ColumnElement[bool] | None, Select[Any]]  # a condition, and the statement of a window of what fulfils it


def bound(name: str, values: Iterable[Any]) -> dict[str, Any]:
    """Values under their names in a statement; NULL is a part of the statement."""
    return {f"{name}_{i}": value for i, value in enumerate(values) if value is not None}


def nulls_of(values: Sequence[Any]) -> Nulls:
    return tuple(value is None for value in values)


def _equal(source: Source, prefix: str, names: Names) -> ColumnElement[bool]:
    columns = [source.base.c[name] for name in names]
    same = (column == bindparam(f"{prefix}_{i}", type_=column.type) for i, column in enumerate(columns))
    return and_(true(), *same)


def _place(source: Source, order: tuple[OrderPart, ...], nulls: Nulls) -> list[Any]:
    columns = [source.c[part.column] for part in order]
    return [
        None if null else bindparam(f"place_{i}", type_=column.type)
        for i, (null, column) in enumerate(zip(nulls, columns, strict=True))
    ]


@derived
def windows(dataset: DatasetSpec, server: str, order: tuple[OrderPart, ...], within: Names) -> list[Part]:
    """A window of all rows, or of those of a master, from the first one on."""
    source = source_of(dataset, server)
    condition = _equal(source, "within", within) if within else None
    return [(condition, window_statement(dataset, server, order, condition))]


@derived
def stretches(dataset: DatasetSpec, server: str, order: tuple[OrderPart, ...], nulls: Nulls, ends: bool) -> list[Part]:
    """Windows of a stretch of all rows, which come one after the other. ends: whether it has an end."""
    source, kind = source_of(dataset, server), server_kind(server)
    end = [bindparam("place_end", type_=source.c[order[0].column].type)] if ends else None
    several = segments(source, order, _place(source, order, nulls), kind.nulls_first, end, kind.seeks_rows)
    return [(condition, window_statement(dataset, server, order, condition)) for condition in several]


def stretch(
    dataset: DatasetSpec, server: str, order: tuple[OrderPart, ...], around: Stretch
) -> tuple[list[Part], dict[str, Any]]:
    """The statements of a stretch of all rows, and what is bound in them."""
    end = around.end[0] if around.end is not None else None
    several = stretches(dataset, server, order, nulls_of(around.place), end is not None)
    return several, bound("place", around.place) | ({} if end is None else {"place_end": end})


@derived
def record(dataset: DatasetSpec, server: str, key: Names, within: Names) -> Select[Any]:
    """All values of one record, whole, in the order of the fields."""
    source = source_of(dataset, server)
    columns = [source.base.c[field.name] for field in dataset.fields]
    return (
        select(*columns)
        .select_from(source.joined([]))
        .where(_equal(source, "key", key), _equal(source, "within", within))
    )


@derived
def place(dataset: DatasetSpec, server: str, order: tuple[OrderPart, ...], key: Names, within: Names) -> Select[Any]:
    """The values by which a record stands in an order."""
    source = source_of(dataset, server)
    columns = [source.c[part.column] for part in order]
    asked = select(*columns).select_from(source.joined([part.column for part in order]))
    return asked.where(_equal(source, "key", key), _equal(source, "within", within))


@derived
def before(dataset: DatasetSpec, server: str, order: tuple[OrderPart, ...], nulls: Nulls, within: Names) -> Select[Any]:
    """How many rows stand at a place or before it."""
    source, mine = source_of(dataset, server), reversed_order(order)
    joined = source.joined([part.column for part in order])
    # Counted from the other end: the segments of the reversed order, each by a seek.
    several = segments(source, mine, _place(source, order, nulls), server_kind(server).nulls_first)
    own = _equal(source, "within", within)
    counts = [select(func.count()).select_from(joined).where(part, own).scalar_subquery() for part in several]
    return select(sum(counts[1:], counts[0]))
