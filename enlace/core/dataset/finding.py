"""The next row that passes a filter, looked for a stretch at a time: in a table of any size, with progress.

To ask for it at once may mean to read the whole table, and to answer nothing for minutes. A stretch is bounded by the places
of its first and its last row in the order, so that an index serves it, whatever of it passes.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, func, or_, select
from sqlalchemy.sql.elements import ColumnElement

from ..server.dialects import server_kind
from ..server.engine import reading
from .filters import AnyFilter
from .order import order_by, reversed_order, segments
from .window import Rows

STRETCH = 100_000  # rows that are looked at in one statement
SECONDS = 1.0  # after which the answer tells how far it is


@dataclass(frozen=True)
class Looked:
    """How far a search is. found: the position of the row, None where none was met. next: the position to go on from, or, of
    a search back, the one behind it."""

    found: int | None
    next: int


def look(rows: Rows, wanted: AnyFilter, start: int, end: int, seconds: float = SECONDS) -> Looked:
    """Look for the first row from one position on, and before another, that passes; backwards where end is before start.

    Raises Problem where a row can't be told from others, or the server does not answer.
    """
    back, at, until = end < start, start, time.monotonic() + seconds
    while at != end:
        low, high = (max(at - STRETCH, end), at) if back else (at, min(at + STRETCH, end))
        found = _within(rows, wanted, low, high, back)
        at = low if back else high
        if found is not None or time.monotonic() > until:
            return Looked(found, at)
    return Looked(None, end)


def _within(rows: Rows, wanted: AnyFilter, low: int, high: int, back: bool) -> int | None:
    """The first, or of a search back the last, row of a stretch that passes; its position."""
    ends = [_place_at(rows, position) for position in (low, high - 1)]
    if None in ends:
        return None  # somebody removed rows meanwhile: there are fewer than were counted
    first, last = ends
    narrowed = rows.narrowed(wanted)
    order = reversed_order(rows.order) if back else rows.order
    begin, stop = (last, first) if back else (first, last)
    assert begin is not None and stop is not None
    source, nulls_first = narrowed.source, server_kind(rows.spec.kind).nulls_first
    passes = and_(narrowed.belonging(), _up_to(narrowed, order, stop))
    columns = [source.c[part.column].label(f"p{i}") for i, part in enumerate(order)]
    from_all = narrowed.source_with(part.column for part in order)
    with reading(rows.spec) as connection:
        # One after the other, in the order of the rows: what the first of them gives comes before all of the next one.
        for condition in segments(source, order, begin, nulls_first, stop):
            asked = select(*columns).select_from(from_all).where(and_(condition, passes))
            row = connection.execute(asked.order_by(*order_by(source, order)).limit(1), rows.bound_values).first()
            if row is not None:
                place = tuple(row)
                break
        else:
            return None
        assert first is not None
        before = 0
        for condition in segments(source, rows.order, first, nulls_first, place):
            inner = and_(condition, rows.belonging(), _up_to(rows, rows.order, place))
            counted = select(func.count()).select_from(rows.source_with(p.column for p in rows.order)).where(inner)
            before += connection.execute(counted, rows.bound_values).scalar() or 0
    return low + before - 1


def _place_at(rows: Rows, position: int) -> tuple[Any, ...] | None:
    window = rows.window(position, 1)
    return rows.place_of(window[0].id) if window else None


def _up_to(rows: Rows, order: Sequence[Any], place: tuple[Any, ...]) -> ColumnElement[bool]:
    """The condition that a row stands at a place of an order, or before it."""
    nulls_first = server_kind(rows.spec.kind).nulls_first
    return or_(*segments(rows.source, reversed_order(tuple(order)), place, nulls_first))
