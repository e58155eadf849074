"""What a window reads of each row, the statement that reads it, and the rows that are made of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Integer, Select, and_, bindparam, select

from ..model.dataset import DatasetSpec
from ..server.dialects import server_kind
from .compiled import derived
from .order import OrderPart, order_by
from .source import SHOWN, source_of

CUT = 200  # characters of a text that a window reads


class Row(NamedTuple):
    """One row of a window: its record id, its position counted from 0, its values in the order of the fields.

    extra: the values of the extra fields. shown: by lookup in a table, what its first shown columns hold.
    """

    id: str
    position: int
    values: tuple[Any, ...]
    extra: tuple[Any, ...] = ()
    shown: tuple[tuple[Any, ...], ...] = ()


@derived
def beside(dataset: DatasetSpec) -> tuple[str, ...]:
    """What a window reads beside the fields themselves, as names of the source."""
    shown = [SHOWN + field.name for field, lookup in dataset.looked_up.values() if lookup.shows]
    return (*(f.name for f in dataset.extra), *shown)


@derived
def window_columns(dataset: DatasetSpec, server: str) -> tuple[ColumnElement[Any], ...]:
    """What a window reads: each field (text cut after CUT characters, the length in place of bytes), the extra ones,
    and what lookups show."""
    kind, source = server_kind(server), source_of(dataset, server)
    made: list[ColumnElement[Any]] = []
    for i, field in enumerate(dataset.all):
        column: ColumnElement[Any] = source.column(field.name)
        if field.kind in ("picture", "binary"):
            column = kind.size_of(column)
        elif field.kind in ("text", "longtext") and field.storage != "inet":  # cut, PostgreSQL tells its mask as well
            column = kind.shortened_computed(column, CUT) if field.formula else kind.shortened(column, CUT)
        made.append(column.label(f"f{i}"))
    for i, (name, (_, lookup)) in enumerate(dataset.looked_up.items()):
        made += [source.lookup_column(name, read).label(f"s{i}_{j}") for j, read in enumerate(lookup.reads)]
    return tuple(made)


@derived
def row_maker(dataset: DatasetSpec, keys: int) -> Callable[[str, int, tuple[Any, ...]], Row]:
    """A function that makes a Row of what a window's statement gave, its first `keys` columns left out."""
    fields = keys + len(dataset.fields)
    extra = fields + len(dataset.extra)
    ends, last = [], extra
    for _, lookup in dataset.looked_up.values():
        ends.append((last, last + len(lookup.reads)))
        last += len(lookup.reads)
    if last == fields:
        return lambda identifier, position, row: Row(identifier, position, row[keys:])

    def make(identifier: str, position: int, bound_values: tuple[Any, ...]) -> Row:
        shown = tuple([bound_values[a:b] for a, b in ends])
        return Row(identifier, position, bound_values[keys:fields], bound_values[fields:extra], shown)

    return make


def identity_of(dataset: DatasetSpec) -> tuple[str, ...]:
    """The columns that tell rows apart; none where nothing does, as where a procedure gives other ones each time."""
    return dataset.key or ((dataset.locator,) if dataset.locator and not dataset.query else ())


def window_statement(
    dataset: DatasetSpec,
    server: str,
    order: tuple[OrderPart, ...],
    condition: ColumnElement[bool] | None,
    filters_need: Iterable[str] = (),
) -> Select[Any]:
    """The statement of a window: `most_rows` rows that fulfil a condition, after `passed_rows` others. filters_need: names that
    the condition asks for beside the fields."""
    source, names, more = source_of(dataset, server), identity_of(dataset), tuple(filters_need)
    direct = [p.column for p in order] == list(names)
    most, passed = bindparam("most_rows", type_=Integer), bindparam("passed_rows", type_=Integer)
    base = source.base
    keys = [base.c[n].label(f"k{i}") for i, n in enumerate(names)]
    columns = [*keys, *window_columns(dataset, server)]
    sorted_by = [p.column for p in order]
    needed = [*beside(dataset), *sorted_by]
    if direct:
        statement = select(*columns).select_from(source.joined([*needed, *more]))
        if condition is not None:
            statement = statement.where(condition)
        return statement.order_by(*order_by(source, order)).limit(most).offset(passed)
    sought = select(*keys).select_from(source.joined([*sorted_by, *more])).order_by(*order_by(source, order))
    sought = sought.limit(most).offset(passed)
    if condition is not None:
        sought = sought.where(condition)
    # Only keys are sought and skipped, which an index may serve alone; whole rows are fetched for the window's few.
    few = sought.subquery("sought")
    met = ((base.c[n], few.c[f"k{i}"]) for i, n in enumerate(names))
    # A unique constraint may let NULL in, and NULL = NULL would lose such a row here.
    joined = base.join(few, and_(*(a.is_not_distinct_from(b) if dataset.loose_key else a == b for a, b in met)))
    return select(*columns).select_from(source.with_joins(joined, needed)).order_by(*order_by(source, order))
