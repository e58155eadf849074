"""Anchors are read in stretches where an index serves the order: what a stretch has found stays, whatever ends the next one.

Without an index each stretch would put all rows in order anew, so that they are gone through at once.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from itertools import islice
from typing import Any

from sqlalchemy import Integer, bindparam, func, or_, select, true

from ..problem import Problem
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.engine import reading
from .order import order_by, segments
from .ordered import Key, Ordered, Stretch

STRETCH = 1_000_000  # rows that one statement goes through
FETCHED = 20_000  # of them that are held together
MOST_PARTS = 8


@dataclass
class Part:
    """The anchors of the rows that were gone through so far. last: the place of the last of these."""

    step: int
    anchors: list[tuple[Any, ...]] = field(default_factory=list)
    rows: int = 0
    last: tuple[Any, ...] | None = None


_parts: OrderedDict[Key, Part] = OrderedDict()
_lock = threading.Lock()


def every(rows: Ordered, step: int, count: int) -> list[tuple[Any, ...]]:
    """The places of every step-th row; count: about how many rows there are. Raises Problem: what was found until then is where
    the next call goes on."""
    if count <= STRETCH or not _index_serves(rows):
        return _at_once(rows, step)
    with _lock:
        part = _parts.get(rows.key)
        if part is None or part.step != step:
            part = _parts[rows.key] = Part(step)
        _parts.move_to_end(rows.key)
        while len(_parts) > MOST_PARTS:
            _parts.popitem(last=False)
    go_on = _go_on_here if server_kind(rows.spec.kind).in_process else _go_on_there
    while go_on(rows, part):
        pass
    with _lock:
        _parts.pop(rows.key, None)
    return part.anchors


def forget_parts() -> None:
    """Drop what was begun."""
    with _lock:
        _parts.clear()


def gone_through(rows: Ordered) -> int:
    """How many rows were gone through of anchors that are being read."""
    part = _parts.get(rows.key)
    return part.rows if part else 0


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
    [after] = segments(rows.source, rows.order, part.last, kind.nulls_first, None, kind.seeks_rows)
    return after & passing


def _go_on_here(rows: Ordered, part: Part) -> bool:
    """Go through the next stretch; whether there may be more. The rows need not travel, and are counted off here."""
    columns, skip = [rows.source.c[one.column] for one in rows.order], int(part.last is not None)
    most, passed = bindparam("most_rows", type_=Integer), bindparam("passed_rows", type_=Integer)
    asked = select(*columns).select_from(rows.base()).where(_after(rows, part))
    asked = asked.order_by(*order_by(rows.source, rows.order)).limit(most).offset(passed)
    found, seen, last = [], 0, part.last
    with reading(rows.spec) as connection:
        cursor: Any = connection.execute(asked, {**rows.values, "most_rows": STRETCH, "passed_rows": skip}).cursor
        while several := cursor.fetchmany(FETCHED):
            found += several[-(part.rows + seen) % part.step :: part.step]
            seen, last = seen + len(several), tuple(several[-1])
    # All at once: a stretch that breaks off has found nothing.
    part.anchors += found
    part.rows, part.last = part.rows + seen, last
    return seen == STRETCH


def _go_on_there(rows: Ordered, part: Part) -> bool:
    """Go through the next stretch; whether there may be more. The server counts them off."""
    columns, skip = [rows.source.c[one.column] for one in rows.order], int(part.last is not None)
    ordered = order_by(rows.source, rows.order)
    number = func.row_number().over(order_by=ordered).label("n")
    inner: Any = select(*(c.label(f"o{i}") for i, c in enumerate(columns)), number).select_from(rows.base())
    inner = inner.where(_after(rows, part)).order_by(*ordered).limit(STRETCH + skip).subquery()
    place = inner.c.n - 1 - skip  # among the rows of this stretch
    wanted = or_((place + part.rows) % part.step == 0, place == STRETCH - 1)
    asked = select(*(inner.c[f"o{i}"] for i in range(len(columns))), place.label("at")).where(place >= 0, wanted)
    with reading(rows.spec) as connection:
        several = [tuple(row) for row in connection.execute(asked.order_by(inner.c.n), dict(rows.values))]
    part.anchors += [row[:-1] for row in several if (row[-1] + part.rows) % part.step == 0]
    if not several or several[-1][-1] != STRETCH - 1:
        return False
    part.rows, part.last = part.rows + STRETCH, several[-1][:-1]
    return True


def _at_once(rows: Ordered, step: int) -> list[tuple[Any, ...]]:
    """The same in one pass."""
    columns = [rows.source.c[part.column] for part in rows.order]
    ordered = order_by(rows.source, rows.order)
    base, passing = rows.base(), true() if rows.where is None else rows.where()
    with reading(rows.spec) as connection:
        if server_kind(rows.spec.kind).in_process:
            # The rows need not travel, so skipping them in the driver's C code beats a window function.
            plain = select(*columns).select_from(base).where(passing).order_by(*ordered)
            cursor: Any = connection.execute(plain, dict(rows.values)).cursor
            return list(islice(cursor, 0, None, step))
        number = func.row_number().over(order_by=ordered).label("n")
        numbered: Any = select(*(c.label(f"o{i}") for i, c in enumerate(columns)), number)
        numbered = numbered.select_from(base).where(passing).subquery()
        statement = select(*(numbered.c[f"o{i}"] for i in range(len(columns)))).where((numbered.c.n - 1) % step == 0)
        return [tuple(row) for row in connection.execute(statement.order_by(numbered.c.n), dict(rows.values))]
