"""Total orders, and the parts of a table that lie at or after a place in one."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import BinaryExpression, ColumnElement, and_, true, tuple_
from sqlalchemy.sql.operators import is_

from ..listed import pieces, quoted, unquoted
from ..model.dataset import DatasetSpec, FieldSpec
from ..problem import Problem
from .source import SHOWN, UNSORTABLE, Source, shown_first


@dataclass(frozen=True)
class OrderPart:
    """One column of an order. nullable: whether NULLs have to be minded."""

    column: str
    descending: bool = False
    nullable: bool = True


def _part(field: FieldSpec, descending: bool) -> OrderPart:
    """The order by a field; one with a lookup in a table is ordered by what it shows."""
    if shown_first(field):
        return OrderPart(SHOWN + field.name, descending)
    return OrderPart(field.name, descending, field.nullable or bool(field.formula))


def total_order(dataset: DatasetSpec, wanted: Sequence[tuple[str, bool]] = ()) -> tuple[OrderPart, ...]:
    """The wanted order, (field, descending) pairs, else the dataset's own, made total by the key.

    The key follows the direction of the last wanted column, so that one index serves both. A table without
    key and locator, or a view, is ordered by all its columns: rows that tie then are alike.
    """
    parts = [
        _part(dataset.any_name[name], descending)
        for name, descending in wanted or dataset.sorted_by
        if name in dataset.any_name and dataset.any_name[name].kind not in UNSORTABLE
    ]
    down = parts[-1].descending if parts else False
    seen = {part.column for part in parts}
    if dataset.key:
        # The key's own columns may be hidden or missing from the fields, so their nullability is not known.
        rest = [OrderPart(c, down, c not in dataset.by_name or dataset.by_name[c].nullable) for c in dataset.key]
    elif dataset.locator:
        rest = [OrderPart(dataset.locator, down, False)]
    else:
        rest = [OrderPart(f.name, down, True) for f in dataset.fields if f.kind not in UNSORTABLE]
    return tuple(parts + [part for part in rest if part.column not in seen])


WAY = r" (asc|desc)$"


def sorted_terms(dataset: DatasetSpec, said: str) -> tuple[tuple[str, bool], ...]:
    """An order as people write it, fields with DESC behind those that go down: `eta DESC, vessel_id`. Raises Problem."""
    descending: dict[str, bool] = {}
    for term in pieces(said):
        name, _, way = term.rpartition(" ") if re.search(WAY, term, re.I) else (term, "", "")
        name = unquoted(name.strip())
        field = dataset.any_name.get(name) or next((f for f in dataset.all if f.name.lower() == name.lower()), None)
        if field is None:
            raise Problem(f"There is no field {name}.", "Name fields of this dataset, with commas between.", code="bad")
        if field.kind in UNSORTABLE:
            raise Problem(f"Rows can't be put in order by {field.label}.", "Choose another field.", code="bad")
        descending.setdefault(field.name, way.lower() == "desc")
    return tuple(descending.items())


def sorted_text(terms: Sequence[tuple[str, bool]]) -> str:
    """An order as people write it."""
    return ", ".join(quoted(name, WAY) + " DESC" * down for name, down in terms)


def reversed_order(order: Sequence[OrderPart]) -> tuple[OrderPart, ...]:
    """The same order from its end."""
    return tuple(OrderPart(p.column, not p.descending, p.nullable) for p in order)


def order_by(table: Source, order: Sequence[OrderPart]) -> list[ColumnElement[Any]]:
    """The ORDER BY list. NULLs stay where the server puts them, so that its indexes serve."""
    return [table.c[p.column].desc() if p.descending else table.c[p.column].asc() for p in order]


def segments(
    table: Source,
    order: Sequence[OrderPart],
    place: Sequence[Any],
    nulls_first: bool,
    end: Sequence[Any] | None = None,
    rows_compared: bool = False,
) -> list[ColumnElement[bool]]:
    """Conditions that, one after the other, give the rows at or after a place in an order.

    Each is equalities and at most one range, which an index over the order's columns answers by a seek;
    a single condition with OR would not be. place: a value for each part of the order. end: a place known to
    lie after all rows of interest; where no index serves, it keeps the server from sorting the rest of the table.
    rows_compared: whether the server seeks by a comparison of whole rows; one condition does where nothing of it is NULL.
    """
    ways = {part.descending for part in order}
    lacking = any(value is None for value in place)
    if rows_compared and len(ways) == 1 and not lacking and not any(part.nullable for part in order):
        columns, values = tuple_(*(table.c[part.column] for part in order)), tuple_(*place)
        after = columns <= values if order[0].descending else columns >= values
        return [and_(after, *_up_to(table.c[order[0].column], order[0], end[0], true()))] if end else [after]
    conditions: list[ColumnElement[bool]] = []
    for i in range(len(order) - 1, -1, -1):
        equal = [_equal(table.c[p.column], v) for p, v in zip(order[:i], place[:i], strict=True)]
        column, value = table.c[order[i].column], place[i]
        if i == len(order) - 1:
            conditions.append(and_(true(), *equal, _equal(column, value)))
        for after in _after(column, order[i], value, nulls_first):
            bound = [] if i or end is None else _up_to(column, order[0], end[0], after)
            conditions.append(and_(true(), *equal, after, *bound))
    return conditions


def _equal(column: ColumnElement[Any], value: Any) -> ColumnElement[bool]:
    return column.is_(None) if value is None else column == value


def _after(column: ColumnElement[Any], part: OrderPart, value: Any, nulls_first: bool) -> list[ColumnElement[bool]]:
    nulls_lead = nulls_first != part.descending
    if value is None:
        return [column.is_not(None)] if nulls_lead else []
    beyond = column < value if part.descending else column > value
    return [beyond, column.is_(None)] if part.nullable and not nulls_lead else [beyond]


def _up_to(
    column: ColumnElement[Any], part: OrderPart, value: Any, after: ColumnElement[bool]
) -> list[ColumnElement[bool]]:
    """The bound of a range that starts with `after`; none for the rows where the column is NULL."""
    if value is None or (isinstance(after, BinaryExpression) and after.operator is is_):
        return []
    return [column >= value if part.descending else column <= value]
