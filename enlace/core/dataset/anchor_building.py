"""Anchors are read in stretches where an index serves the order: what a stretch has found stays, whatever ends the next one.

Without an index a statement that goes through all rows has to put them all in order. A server does that in one, if it does
it in time; else, and in a file, they are read range by range (`anchor_ranges`).
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Any

from sqlalchemy import func, or_, select, true

from ..problem import Problem
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.engine import reading
from . import shared_hints
from .anchor_part import Part
from .anchor_ranges import counted_off, next_range
from .order import order_by, segments
from .ordered import Key, Ordered, Stretch

STRETCH = 1_000_000  # rows that one statement goes through
MOST_PARTS = 8


_parts: OrderedDict[Key, Part] = OrderedDict()
_too_long: OrderedDict[Key, None] = OrderedDict()  # orders that can't be read in one
_lock = threading.Lock()


def every(rows: Ordered, step: int, count: int, stamp: Hashable = None, drifts: bool = False) -> Part:
    """The places of every step-th row. count: about how many rows there are. stamp: of the database's state. drifts: what was
    begun in another state is gone on with, so that all of it is of none. Raises Problem: what was found until then is where the
    next call goes on."""
    in_process, serves = server_kind(rows.spec.kind).in_process, _index_serves(rows)
    go_on = _go_on_here if in_process else _go_on_there
    if count <= STRETCH or not (serves or in_process or rows.key in _too_long):
        part = Part(step, stamp)
        try:
            go_on(rows, part, None)
            return part
        except Problem as problem:
            if problem.code != "slow" or count <= STRETCH:
                raise
            _note_too_long(rows.key)
    part = _begun(rows.key, step, stamp, drifts)
    with part.lock:  # one goes through the rows, others wait for what comes of it
        while not part.whole:
            if serves:
                part.whole = not go_on(rows, part, STRETCH)
            else:
                next_range(rows, part, count, STRETCH)
            shared_hints.tell(rows.key, part.rows)
    with _lock:
        if _parts.get(rows.key) is part:
            del _parts[rows.key]
    return part


def _note_too_long(key: Key) -> None:
    with _lock:
        _too_long[key] = None
        while len(_too_long) > MOST_PARTS:
            _too_long.popitem(last=False)


def _begun(key: Key, step: int, stamp: Hashable, drifts: bool) -> Part:
    """What was found of an order before; something new where that can't be gone on with."""
    with _lock:
        part = _parts.get(key)
        if part is not None and drifts and part.stamp != stamp:
            part.stamp = None
        if part is None or part.step != step or (part.stamp != stamp and not drifts):
            part = _parts[key] = Part(step, stamp)
        _parts.move_to_end(key)
        while len(_parts) > MOST_PARTS:
            _parts.popitem(last=False)
        return part


def forget_parts() -> None:
    """Drop what was begun."""
    with _lock:
        _parts.clear()
        _too_long.clear()


def gone_through(rows: Ordered) -> int:
    """How many rows were gone through of anchors that are being read, here or in another process."""
    part = _parts.get(rows.key)
    return part.rows if part else shared_hints.told(rows.key)


def nearest(rows: Ordered, start: int) -> Stretch | None:
    """The last place at or before a position that is known of anchors that are being read."""
    part = _parts.get(rows.key)
    several = part.anchors if part else []
    if part is None or not several:
        return None
    number = min(start // part.step, len(several) - 1)
    return Stretch(number * part.step, several[number], None)


def _index_serves(rows: Ordered) -> bool:
    """Whether going on from a place is a seek."""
    ways = {part.descending for part in rows.order}
    if not server_kind(rows.spec.kind).seeks_rows or len(ways) > 1 or any(part.nullable for part in rows.order):
        return False
    dataset, first = rows.source.dataset, rows.order[0].column
    if dataset.key[:1] == (first,):
        return True
    try:
        return any(index[:1] == (first,) for index in Catalog.of(rows.spec).indexes(dataset.table))
    except Problem:
        return False


def _after(rows: Ordered, part: Part) -> Any:
    """The condition of what comes at the last place or after it."""
    passing = true() if rows.where is None else rows.where()
    if part.last is None:
        return passing
    kind = server_kind(rows.spec.kind)
    several = segments(rows.source, rows.order, part.last, kind.nulls_first, None, kind.seeks_rows)
    return or_(*several) & passing


def _go_on_here(rows: Ordered, part: Part, size: int | None) -> bool:
    """Go through the next stretch of so many rows, or all; whether there may be more. The rows need not travel, and are counted
    off here."""
    columns, skip = [rows.source.c[one.column] for one in rows.order], int(part.last is not None)
    asked = select(*columns).select_from(rows.base()).where(_after(rows, part))
    asked = asked.order_by(*order_by(rows.source, rows.order)).limit(size).offset(skip or None)
    found, seen, last = counted_off(rows, part, asked)
    # All at once: a stretch that breaks off has found nothing.
    part.anchors += found
    part.rows, part.last = part.rows + seen, last or part.last
    return seen == size


def _go_on_there(rows: Ordered, part: Part, size: int | None) -> bool:
    """The same where the server counts them off."""
    columns, skip = [rows.source.c[one.column] for one in rows.order], int(part.last is not None)
    ordered = order_by(rows.source, rows.order)
    number = func.row_number().over(order_by=ordered).label("n")
    inner: Any = select(*(c.label(f"o{i}") for i, c in enumerate(columns)), number).select_from(rows.base())
    inner = inner.where(_after(rows, part))
    inner = (inner if size is None else inner.order_by(*ordered).limit(size + skip)).subquery()
    place = inner.c.n - 1 - skip  # among the rows of this stretch
    wanted = [(place + part.rows) % part.step == 0, *([] if size is None else [place == size - 1])]
    asked = select(*(inner.c[f"o{i}"] for i in range(len(columns))), place.label("at")).where(place >= 0, or_(*wanted))
    with reading(rows.spec) as connection:
        several = [tuple(row) for row in connection.execute(asked.order_by(inner.c.n), dict(rows.values))]
    part.anchors += [row[:-1] for row in several if (row[-1] + part.rows) % part.step == 0]
    if size is None or not several or several[-1][-1] != size - 1:
        return False
    part.rows, part.last = part.rows + size, several[-1][:-1]
    return True
