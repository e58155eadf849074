"""Anchors of an order that no index serves, read range by range.

Whatever puts all rows of a large table in order does it on disk, and takes longer than a statement may. A sample of a few
thousand rows tells places that split the table into parts which are put in order one after the other, each in memory; where
one of them still takes too long, what is left is split further. The places of a sample need not be anchors: how many rows
lie before each comes out by going through them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement, and_, func, or_, select, true

from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import reading
from .anchor_part import Part
from .order import order_by, segments
from .ordered import Ordered

SAMPLED = 200  # rows of each range: how many of the table they are is off by a tenth, then
FETCHED = 20_000  # rows that are held together
MOST_RANGES = 256


def next_range(rows: Ordered, part: Part, count: int, size: int) -> None:
    """Go through one range more. count: about how many rows there are. size: of a range. Raises Problem."""
    if part.ahead is None:
        left = max(count - part.rows, 1)
        part.ahead = _split(rows, part.last, left, part.finer * -(-left // size))
    end = part.ahead[0] if part.ahead else None
    read = _read_here if server_kind(rows.spec.kind).in_process else _read_there
    try:
        found, seen = read(rows, part, _from(rows, part.last, end))
    except Problem as problem:
        if problem.code != "slow" or part.finer * -(-count // size) >= MOST_RANGES:
            raise
        part.finer, part.ahead = part.finer * 4, None
        return
    part.anchors += found
    part.rows, part.last, part.ahead, part.whole = part.rows + seen, end, part.ahead[1:], end is None


def _split(rows: Ordered, begin: Sequence[Any] | None, left: int, ranges: int) -> list[tuple[Any, ...]]:
    """Places that split the rows from a place on into so many ranges. left: about how many rows those are."""
    if ranges < 2:
        return []
    chance = server_kind(rows.spec.kind).one_in(max(1, left // (ranges * SAMPLED)))
    asked = select(*_columns(rows)).select_from(rows.base()).where(_from(rows, begin, None), chance)
    with reading(rows.spec) as connection:
        asked = asked.order_by(*order_by(rows.source, rows.order))
        several = [tuple(row) for row in connection.execute(asked, dict(rows.values))]
    places = [several[i * len(several) // ranges] for i in range(1, ranges)] if several else []
    # Of few rows several may be the same; arrays of PostgreSQL can be compared, and not hashed.
    return [place for i, place in enumerate(places) if not i or place != places[i - 1]]


def _columns(rows: Ordered) -> list[ColumnElement[Any]]:
    return [rows.source.c[part.column] for part in rows.order]


def _from(rows: Ordered, begin: Sequence[Any] | None, end: Sequence[Any] | None) -> ColumnElement[bool]:
    """The condition of what comes at a place or after it, and before another."""
    kind = server_kind(rows.spec.kind)

    def after(place: Sequence[Any]) -> ColumnElement[bool]:
        return or_(*segments(rows.source, rows.order, place, kind.nulls_first, None, kind.seeks_rows))

    conditions = [true() if rows.where is None else rows.where()]
    if begin is not None:
        conditions.append(after(begin))
    if end is not None:
        conditions.append(after(end).is_not(true()))  # what compares with NULL is neither true nor false
    return and_(*conditions)


Found = tuple[list[tuple[Any, ...]], int]


def _read_here(rows: Ordered, part: Part, condition: ColumnElement[bool]) -> Found:
    """The anchors of a range and how many rows it has. They need not travel, and are counted off here."""
    asked = select(*_columns(rows)).select_from(rows.base()).where(condition)
    return counted_off(rows, part, asked.order_by(*order_by(rows.source, rows.order)))[:2]


def counted_off(rows: Ordered, part: Part, asked: Any) -> tuple[list[tuple[Any, ...]], int, tuple[Any, ...] | None]:
    """The anchors among the rows that a statement gives behind those of a part, how many rows there are, and the last one."""
    found, seen, last = [], 0, None
    with reading(rows.spec) as connection:
        cursor: Any = connection.execute(asked, dict(rows.values)).cursor
        while several := cursor.fetchmany(FETCHED):
            found += several[-(part.rows + seen) % part.step :: part.step]
            seen, last = seen + len(several), tuple(several[-1])
    return found, seen, last


def _read_there(rows: Ordered, part: Part, condition: ColumnElement[bool]) -> Found:
    """The same where the server counts them off."""
    columns = [column.label(f"o{i}") for i, column in enumerate(_columns(rows))]
    number = func.row_number().over(order_by=order_by(rows.source, rows.order)).label("n")
    inner = select(*columns, number, func.count().over().label("many")).select_from(rows.base()).where(condition)
    numbered = inner.subquery()
    place, last = numbered.c.n - 1, numbered.c.n == numbered.c.many
    wanted = or_((place + part.rows) % part.step == 0, last)
    asked = select(*(numbered.c[column.name] for column in columns), numbered.c.n).where(wanted).order_by(numbered.c.n)
    with reading(rows.spec) as connection:
        several = [tuple(row) for row in connection.execute(asked, dict(rows.values))]
    found = [row[:-1] for row in several if (row[-1] - 1 + part.rows) % part.step == 0]
    return found, several[-1][-1] if several else 0
