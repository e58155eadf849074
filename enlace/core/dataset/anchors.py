"""Counts and anchors: what lets any place of a large table be reached by a seek.

Anchors are the order values of every n-th row (`anchor_building` reads them) and kept until
somebody commits a change to the database. At most MOST_ANCHORS are kept for an order, whatever the size
of the table.

Of a large table what was known before a change goes on as a hint: on a busy server nothing else would ever stand. A place
by a hint is off by what others entered and removed before it since then; it is put right in the background.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.engine import Connection

from ..model.connection import ConnectionSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import engine_for, reading
from ..server.names import quoted_table
from . import shared_hints
from .anchor_building import every, forget_parts
from .order import OrderPart
from .ordered import Key, Ordered, Stretch

MOST_ANCHORS = 16_384
MOST_TOGETHER = 500_000  # of all orders
LEAST_STEP = 256
FILTERED_STEP = 16  # of rows that pass a filter: between two of them may be many that do not
MOST_KEPT = 48
LARGE = 2_000_000  # rows, from which on counts and anchors are hints after a change
IN_VAIN = 20  # seconds
REST = 10  # times as long as it took, before the background reads the same once more


@dataclass
class Anchors:
    """What is known of one table in one order: how many rows it has, and anchors once they were needed."""

    stamp: Hashable
    count: int | None = None
    step: int = 0
    anchors: list[tuple[Any, ...]] | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)


_kept: OrderedDict[Key, Anchors] = OrderedDict()
_hints: OrderedDict[Key, Anchors] = OrderedDict()  # of large tables, the newest that was read, whatever changed since
_vain: dict[Key, float] = {}  # orders off which nobody can count in time, and until when that is not tried (monotonic)
_busy: dict[Key, float] = {}  # what the background reads, and until when it rests afterwards (monotonic)
_lock = threading.Lock()


def anchors_of(spec: ConnectionSpec, table: Hashable, order: tuple[OrderPart, ...]) -> Anchors:
    """The anchors of a table (or what else the rows are of) in an order, empty ones when the data changed since they were read."""
    stamp = server_kind(spec.kind).change_stamp(spec, engine_for(spec))
    key = (spec, table, order)
    with _lock:
        anchors = _kept.get(key)
        # A server that can't tell whether anything changed gives no stamp: nothing is taken for still true there.
        if anchors is None or anchors.stamp is None or anchors.stamp != stamp:
            anchors = _kept[key] = Anchors(stamp)
        _kept.move_to_end(key)
        while len(_kept) > 1 and (len(_kept) > MOST_KEPT or _together(_kept) > MOST_TOGETHER):
            _kept.popitem(last=False)
        return anchors


def forget_anchors() -> None:
    """Drop all counts and anchors."""
    with _lock:
        _kept.clear()
        _hints.clear()
        _busy.clear()
        _vain.clear()
    forget_parts()


def _remember(key: Key, marks: Anchors, large: bool) -> None:
    """Keep what was read of a large table as a hint for later, and for other processes."""
    if large:
        shared_hints.keep(key, marks.count, marks.step, marks.anchors)
    else:
        shared_hints.drop(key)
    with _lock:
        if large:
            _hints[key] = marks
            _hints.move_to_end(key)
        else:
            _hints.pop(key, None)
        while len(_hints) > 1 and (len(_hints) > MOST_KEPT or _together(_hints) > MOST_TOGETHER):
            _hints.popitem(last=False)


def _hinted(key: Key) -> Anchors | None:
    """What was known of a large table before something changed, here or in another process."""
    with _lock:
        hint = _hints.get(key)
    if hint is not None or (told := shared_hints.known(key)) is None:
        return hint
    count, step, places = told
    hint = Anchors(None, count, step, places)
    with _lock:
        return _hints.setdefault(key, hint)


def _together(several: Mapping[Key, Anchors]) -> int:
    return sum(len(marks.anchors or ()) for marks in several.values())


def is_large(spec: ConnectionSpec, table: str) -> bool:
    """Whether a table has been found to have LARGE rows or more."""
    key: Key = (spec, table, ())
    known = [
        marks.count for marks in (_kept.get(key), _hints.get(key)) if marks is not None and marks.count is not None
    ]
    return bool(known) and max(known) >= LARGE


def large(rows: Ordered) -> bool:
    """Whether what was known before a change goes on as a hint: by the table, as far as it has been counted, since it is all of
    that which has to be read anew."""
    return is_large(rows.spec, rows.source.dataset.table)


def in_background(key: Key, act: Callable[[], object]) -> None:
    """Do something that nobody waits for, unless it is under way, or was done a short while ago for how long it takes."""
    now = time.monotonic()
    with _lock:
        if _busy.get(key, 0) > now:
            return
        for rested in [other for other, until in _busy.items() if until <= now]:
            del _busy[rested]
        _busy[key] = float("inf")

    def run() -> None:
        began = time.monotonic()
        try:
            act()
        except Problem:
            pass  # who asks next meets the same problem and tells it
        finally:
            ended = time.monotonic()
            with _lock:
                _busy[key] = ended + REST * (ended - began)

    threading.Thread(target=run, daemon=True, name="anchors").start()


def took_too_long(key: Key) -> None:
    """Note that nobody can count off an order in time, while its anchors are being read, here or in another process."""
    now = time.monotonic()
    with _lock:
        for tried in [other for other, until in _vain.items() if until <= now]:
            del _vain[tried]
        _vain[key] = now + IN_VAIN


def in_vain(key: Key) -> bool:
    """Whether counting off an order would only take time from what reads its anchors."""
    with _lock:
        return _vain.get(key, 0) > time.monotonic()


def counted(spec: ConnectionSpec, what: Hashable, count: Callable[[], int], table: str = "") -> int:
    """How many rows there are of something, asked with `count` only when something was committed since the last time.

    Of so many that counting takes long the last count serves meanwhile, and the background counts anew. table: of which they
    are a part.
    """
    key: Key = (spec, what, ())
    marks = anchors_of(*key)

    def ask() -> int:
        with marks.lock:  # one counts, the others wait for its answer
            if marks.count is None:
                marks.count = count()
                _remember(key, marks, marks.count >= LARGE or bool(table and is_large(spec, table)))
            return marks.count

    hint = _hinted(key) if marks.count is None else None
    if hint is not None and hint.count is not None:
        in_background(key, ask)
        return hint.count
    return ask()


def count_of(spec: ConnectionSpec, table: str) -> int:
    """How many rows a table has; see `counted`."""

    def count() -> int:
        with reading(spec) as connection:
            return count_on(connection, table)

    return counted(spec, table, count)


def count_on(connection: Connection, table: str) -> int:
    """How many rows a table has, asked on an open connection."""
    return int(connection.execute(select(func.count()).select_from(quoted_table(table, ()))).scalar() or 0)


def known_count(spec: ConnectionSpec, table: str) -> int | None:
    """The count if it is known and still true, without asking the server."""
    return anchors_of(spec, table, ()).count


def build_in_background(rows: Ordered) -> None:
    """Begin to build the anchors of an order, unless somebody did already, here or in another process; nobody waits for it."""

    def build() -> None:
        with shared_hints.alone(rows.key) as alone:
            if alone:
                stretch_around(rows, 0, 1, build=True)

    in_background(rows.key, build)


def stretch_around(rows: Ordered, start: int, size: int, build: bool) -> Stretch | None:
    """Where positions start to start + size lie. None when there are no anchors and `build` does not ask for them."""
    marks = anchors_of(*rows.key)
    if marks.anchors is None and not build:
        return None
    with marks.lock:
        if marks.anchors is None:
            count = rows.count()
            marks.step = max(LEAST_STEP if rows.where is None else FILTERED_STEP, -(-count // MOST_ANCHORS))
            read = every(rows, marks.step, count, marks.stamp, large(rows))
            # Of several states it is a hint, as it is after a change.
            known = marks if read.stamp == marks.stamp else Anchors(None, marks.count, marks.step)
            known.anchors = read.anchors
            _remember(rows.key, known, large(rows))
    return _stretch(marks, start, size) if marks.anchors else None


def hinted_around(rows: Ordered, start: int, size: int) -> Stretch | None:
    """Where positions of a large table lay before others changed it; begins to find out where they lie now. None where
    nothing is known of before."""
    hint = _hinted(rows.key)
    if hint is None or not hint.anchors:
        return None
    build_in_background(rows)
    # Rows may have gone: a bound further off keeps the window from ending early.
    return _stretch(hint, start, size + hint.step)


def _stretch(marks: Anchors, start: int, size: int) -> Stretch:
    assert marks.anchors is not None
    # Past the last anchor the last one serves: rows may have come since it was made.
    number = min(start // marks.step, len(marks.anchors) - 1)
    # The first anchor past the window: it bounds the statement from above.
    after = (start + size) // marks.step + 1
    end = marks.anchors[after] if after < len(marks.anchors) else None
    return Stretch(number * marks.step, marks.anchors[number], end)
