"""Rows in groups: where each group begins among the rows, and which lines a grid has when some groups are open.

The rows come in an order that begins with the groups' fields, so that a group's rows stand together and a window of them is
read as any other. The server counts the groups once for a state of the database; after that a line at any place is found
by halving, whatever there is of rows and groups.
"""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from sqlalchemy import func, select

from ..model.dataset import DatasetSpec, FieldSpec
from ..model.values import record_id
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import engine_for, reading
from .compiled import derived
from .order import UNSORTABLE, OrderPart
from .source import SHOWN
from .totals import Total
from .window import Rows

MOST_TERMS = 5
MOST_GROUPS = 200_000  # more can't be looked through by anybody
MOST_KEPT, MOST_LEAVES = 12, 400_000  # layouts, and groups in all of them
MARK = "\2"  # in front of the name of a field that only groups have
VALUE = "value"
# What a field's values can be put together by, besides each value by itself: (what people call it, its formula).
WAYS: dict[str, dict[str, tuple[str, str]]] = {
    "date": {
        "year": ("year", "EXTRACT(YEAR FROM {})"),
        "month": ("month", "EXTRACT(YEAR FROM {}) * 100 + EXTRACT(MONTH FROM {})"),
    },
    "text": {"letter": ("first letter", "UPPER(SUBSTR({}, 1, 1))")},
    "whole": {str(n): (f"{n:,}s", f"FLOOR({{}} / {n}.0) * {n}") for n in (10, 100, 1000, 10_000)},
}
WAYS["datetime"] = {"day": ("day", "CAST({} AS DATE)"), **WAYS["date"]}
WAYS["decimal"] = WAYS["whole"]


@dataclass(frozen=True)
class GroupTerm:
    """One level of groups: by the values of a field, or by what WAYS makes of them."""

    field: str
    by: str = VALUE
    descending: bool = False


def ways_of(field: FieldSpec) -> dict[str, str]:
    """How rows can be put together by a field: by name, what people call it. None for one that can't be sorted by."""
    if field.kind in UNSORTABLE:
        return {}
    more = {} if field.lookup else WAYS.get(field.kind, {})
    return {VALUE: "", **{name: words for name, (words, _) in more.items()}}


def grouped_rows(rows: Rows, terms: Sequence[GroupTerm]) -> Rows:
    """The same rows in an order in which each group's rows stand together. Raises Problem."""
    fields = [_field(rows.dataset, term) for term in terms]
    made = tuple(made for term, field in zip(terms, fields, strict=True) if (made := _made(term, field)))
    dataset = rows.dataset
    if made:
        dataset = _with_fields(dataset, made)
        # Put back on: the definition with its groups is kept for all requests, what a request asks for is not.
        if rows.dataset.parameter_values:
            dataset = dataset.with_parameters(rows.dataset.parameter_values)
    front = [part for term, field in zip(terms, fields, strict=True) for part in _parts(term, field)]
    seen = {part.column for part in front}
    return replace(rows, dataset=dataset, order=(*front, *(part for part in rows.order if part.column not in seen)))


@derived
def _with_fields(dataset: DatasetSpec, made: tuple[FieldSpec, ...]) -> DatasetSpec:
    """The definition with the fields that groups have, kept with it; values of a request are none of it."""
    return replace(dataset, extra=(*dataset.extra, *made), parameter_values=())


def _field(dataset: DatasetSpec, term: GroupTerm) -> FieldSpec:
    field = dataset.any_name.get(term.field)
    if field is None or field.hidden or term.by not in ways_of(field):
        raise Problem("Rows can't be put into groups by that.", "Choose another field.", code="bad")
    return field


def _name(term: GroupTerm) -> str:
    return f"{MARK}{term.field}:{term.by}"


def _made(term: GroupTerm, field: FieldSpec) -> FieldSpec | None:
    """The calculated field that holds what a term makes of a value; None for the value itself."""
    if term.by == VALUE:
        return None
    quoted = '"' + field.name.replace('"', '""') + '"'
    kind = "text" if term.by == "letter" else "date" if term.by == "day" else "decimal"
    formula = WAYS[field.kind][term.by][1].replace("{}", quoted)
    return FieldSpec(_name(term), field.label, kind, formula=formula, hidden=True, read_only=True)


def _parts(term: GroupTerm, field: FieldSpec) -> list[OrderPart]:
    """What keeps a group's rows together. Years, months and hundreds stand together in their field's own order, which an
    index may serve; letters don't, where a server sorts by another collation than it folds by."""
    if term.by == "letter":
        return [OrderPart(_name(term), term.descending), OrderPart(field.name, term.descending, field.nullable)]
    return [OrderPart(_column(field), term.descending, True)]


def _column(field: FieldSpec) -> str:
    """The column of an order by a field: of what its list shows, where it has one."""
    return SHOWN + field.name if field.lookup and field.lookup.table and field.lookup.shows else field.name


@dataclass(frozen=True)
class Leaf:
    """A group of the innermost level: the values of all levels, how many rows, and what is added up of them, such that
    groups can be put together: of an average its sum and its count."""

    values: tuple[Any, ...]
    count: int
    added: tuple[Any, ...] = ()


@dataclass(frozen=True)
class GroupLine:
    """A line that stands for a group. key: tells it from others. count, added: over all rows inside. level: from 0."""

    key: str
    level: int
    values: tuple[Any, ...]
    open: bool
    count: int
    added: tuple[Any, ...]
    first: int  # the place of its first row among the rows


@dataclass(frozen=True)
class Opened:
    """Which groups are open: all of them, or none, but for some keys."""

    all: bool = False
    but: frozenset[str] = frozenset()

    def holds(self, key: str) -> bool:
        return (key in self.but) != self.all

    def turned(self, key: str, is_open: bool) -> Opened:
        """With one group opened or closed."""
        return replace(self, but=self.but - {key} if is_open == self.all else self.but | {key})


@dataclass
class Layout:
    """The lines of a grid: those of groups, and those of the rows in open ones.

    heads: the lines of groups. starts: by each of them, the number of its line. rows_after: how many rows stand behind it
    before the next one.
    """

    heads: list[GroupLine] = field(default_factory=list)
    starts: list[int] = field(default_factory=list)
    rows_after: list[int] = field(default_factory=list)
    total: int = 0

    @property
    def rows(self) -> int:
        """How many rows there are, those in closed groups too."""
        return sum(head.count for head in self.heads if not head.level)

    def window(self, start: int, size: int) -> list[GroupLine | tuple[int, int]]:
        """What stands from a line on: groups, and stretches of rows as (first row, how many)."""
        pieces: list[GroupLine | tuple[int, int]] = []
        at = max(bisect_right(self.starts, start) - 1, 0)
        end = min(start + size, self.total)
        for i in range(at, len(self.heads)):
            line = self.starts[i]
            if line >= end:
                break
            if line >= start:
                pieces.append(self.heads[i])
            skip = max(start - line - 1, 0)
            count = min(self.rows_after[i], end - line - 1) - skip
            if count > 0:
                pieces.append((self.heads[i].first + skip, count))
        return pieces

    def line_of(self, row: int) -> int:
        """The line of a row by its place among the rows; that of the group that hides it, where it is closed."""
        at = bisect_right(self.heads, row, key=lambda head: head.first) - 1
        if at < 0:
            return 0
        # The last line that begins at or before it is the innermost group that is seen of those that hold it.
        inside = row - self.heads[at].first
        return self.starts[at] + 1 + inside if inside < self.rows_after[at] else self.starts[at]

    def row_at(self, line: int) -> int | None:
        """The place among the rows of a line; None for one of a group."""
        at = bisect_right(self.starts, line) - 1
        inside = line - self.starts[at] - 1 if at >= 0 else -1
        return self.heads[at].first + inside if 0 <= inside < self.rows_after[at] else None


def key_of_group(values: Sequence[Any]) -> str:
    """What tells a group from others, as a text."""
    return record_id(tuple(values))


def laid_out(leaves: Sequence[Leaf], levels: int, opened: Opened, adds: Sequence[Total] = ()) -> Layout:
    """The lines of some groups. adds: what was added up of the leaves."""
    layout, first, before = Layout(), 0, ()
    inside = _inside(leaves, levels, adds)
    for leaf in leaves:
        # The outermost level at which it differs from the leaf before: from there on new groups begin.
        level = next((i for i in range(levels) if not before or leaf.values[i] != before[i]), levels - 1)
        # Inside of a closed group nothing has a line.
        closed = any(not opened.holds(key_of_group(leaf.values[: i + 1])) for i in range(level))
        for depth in range(level, levels):
            if closed:
                break
            values = leaf.values[: depth + 1]
            key = key_of_group(values)
            is_open = opened.holds(key)
            count, added = inside[values]
            told = tuple(_value(total, state) for total, state in zip(adds, added, strict=True))
            layout.heads.append(GroupLine(key, depth, values, is_open, count, told, first))
            layout.starts.append(layout.total)
            shown = leaf.count if is_open and depth == levels - 1 else 0
            layout.rows_after.append(shown)
            layout.total += 1 + shown
            closed = not is_open
        first += leaf.count
        before = leaf.values
    return layout


def _inside(
    leaves: Sequence[Leaf], levels: int, adds: Sequence[Total]
) -> Mapping[tuple[Any, ...], tuple[int, tuple[Any, ...]]]:
    """By the values of each group, how many rows are inside, and what is added up of them."""
    known: dict[tuple[Any, ...], tuple[int, tuple[Any, ...]]] = {}
    for leaf in leaves:
        for depth in range(levels):
            values = leaf.values[: depth + 1]
            count, added = known.get(values, (0, ()))
            together = (
                [_together(total, a, b) for total, a, b in zip(adds, added, leaf.added, strict=True)]
                if added
                else leaf.added
            )
            known[values] = (count + leaf.count, tuple(together))
    return known


def _together(total: Total, some: Any, more: Any) -> Any:
    """What is added up of two groups as of one; NULL adds nothing."""
    if some is None or more is None:
        return more if some is None else some
    if total.function == "avg":
        return (_sum(some[0], more[0]), some[1] + more[1])
    if total.function in ("sum", "count"):
        return some + more
    try:
        return min(some, more) if total.function == "min" else max(some, more)
    except TypeError:  # a column without a type of its own holds both texts and numbers
        return some


def _sum(some: Any, more: Any) -> Any:
    return more if some is None else some if more is None else some + more


def _value(total: Total, state: Any) -> Any:
    """What a group row shows of what was added up: exact, as far as the server's sums are."""
    if total.function != "avg" or state is None:
        return state
    added, count = state
    return None if not count or added is None else Decimal(str(added)) / count


# -- counted by the server ----------------------------------------------------------------------------------

_kept: OrderedDict[Hashable, tuple[Hashable, list[Leaf]]] = OrderedDict()
_lock = threading.Lock()


ADDS = ("count", "sum", "avg", "min", "max")  # functions of a group that follow from those of the groups in it


def leaves_of(rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total] = ()) -> list[Leaf]:
    """The innermost groups in the order of the rows, which `grouped_rows` gave. adds: what is added up in each, by ADDS.

    Counted once for a state of the database, and again when anybody has changed something. Raises Problem.
    """
    stamp = server_kind(rows.spec.kind).change_stamp(rows.spec, engine_for(rows.spec))
    key = (rows.spec, rows.dataset.identity, rows.within, rows.filters, rows.order, tuple(terms), tuple(adds))
    with _lock:
        kept = _kept.get(key)
    if kept is not None and stamp is not None and kept[0] == stamp:
        return kept[1]
    leaves = _counted(rows, terms, adds)
    with _lock:
        _kept[key] = (stamp, leaves)
        _kept.move_to_end(key)
        while len(_kept) > 1 and (len(_kept) > MOST_KEPT or sum(len(kept) for _, kept in _kept.values()) > MOST_LEAVES):
            _kept.popitem(last=False)
    return leaves


def _counted(rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total]) -> list[Leaf]:
    source = rows.source
    fields = [_field(rows.dataset, term) for term in terms]
    names = [_name(term) if term.by != VALUE else _column(field) for term, field in zip(terms, fields, strict=True)]
    columns = [source.c[name].label(f"g{i}") for i, name in enumerate(names)]
    # An average takes two: its sum and its count.
    asked = [
        (name, total.field)
        for total in adds
        for name in (("sum", "count") if total.function == "avg" else (total.function,))
    ]
    added = [getattr(func, function)(source.c[name]).label(f"s{i}") for i, (function, name) in enumerate(asked)]
    needed = [*names, *(total.field for total in adds)]
    statement = select(*columns, func.count().label("n"), *added).select_from(rows.source_with(needed))
    statement = statement.where(rows.belonging()).group_by(*(source.c[name] for name in names))
    ordered = [
        source.c[name].desc() if term.descending else source.c[name].asc()
        for name, term in zip(names, terms, strict=True)
    ]
    with reading(rows.spec) as connection:
        # One more than may be, which tells that there are too many without counting them.
        told = connection.execute(statement.order_by(*ordered).limit(MOST_GROUPS + 1), rows.bound_values)
        lines = [tuple(row) for row in told]
    if len(lines) > MOST_GROUPS:
        raise Problem(
            f"These are more than {MOST_GROUPS:,} groups.",
            "Put the rows together by a month, a letter or hundreds.",
            code="bad",
        )
    levels = len(terms)
    return [Leaf(row[:levels], int(row[levels]), _states(adds, row[levels + 1 :])) for row in lines]


def _states(adds: Sequence[Total], told: Sequence[Any]) -> tuple[Any, ...]:
    values = iter(told)
    return tuple((next(values), next(values)) if total.function == "avg" else next(values) for total in adds)
