"""Rows in groups: where each group begins among the rows, and which lines a grid has when some groups are open.

The rows come in an order that begins with the groups' fields, so that a group's rows stand together and a window of them is
read as any other. The server counts the groups once for a state of the database; after that a line at any place is found
by halving, whatever there is of rows and groups.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from .. import exact
from ..expression.own import OWN, OwnFunction
from ..model.dataset import DatasetSpec, FieldSpec
from ..model.values import record_id
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from .empty_order import MARK, with_made
from .order import OrderPart
from .source import SHOWN, UNSORTABLE, shown_first
from .totals import Total, as_number
from .window import Rows

MOST_TERMS = 5
VALUE = "value"
# What a field's values can be put together by, besides each value by itself: (what people call it, its formula).
WAYS: dict[str, dict[str, tuple[str, str]]] = {
    "date": {
        "year": ("year", "EXTRACT(YEAR FROM {})"),
        "month": ("month", "EXTRACT(YEAR FROM {}) * 100 + EXTRACT(MONTH FROM {})"),
    },
    "text": {"letter": ("first letter", "first_letter_of({})")},
    "whole": {str(n): (f"{n:,}s", f"FLOOR({{}} / {n}.0) * {n}") for n in (10, 100, 1000, 10_000)},
}
WAYS["datetime"] = {"day": ("day", "CAST({} AS DATE)"), **WAYS["date"]}
WAYS["decimal"] = WAYS["whole"]


def first_letter(text: str) -> str:
    """What people look for a text under: its first letter without capitals and accents, as a capital."""
    return str(folded(text))[:1].upper()


def _first_letter(server: str, arguments: Sequence[str]) -> str:
    """The same in the SQL of a server."""
    [text] = arguments
    return server_kind(server).first_letter(text)


def as_called(terms: Sequence[GroupTerm], values: Sequence[Any]) -> tuple[Any, ...]:
    """The values of a group as a server tells them, letters as people call them: of those that its collation takes for one
    MariaDB tells any."""
    return tuple(
        first_letter(value) if term.by == "letter" and isinstance(value, str) else value
        for term, value in zip(terms, values, strict=False)
    )


OWN["first_letter_of"] = OwnFunction("first_letter_of", ("text",), "text", first_letter, _first_letter)


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
    fields = [field_of(rows.dataset, term) for term in terms]
    made = tuple(made for term, field in zip(terms, fields, strict=True) if (made := _made(term, field)))
    dataset = with_made(rows.dataset, made) if made else rows.dataset
    front = [part for term, field in zip(terms, fields, strict=True) for part in _parts(term, field)]
    seen = {part.column for part in front}
    return replace(rows, dataset=dataset, order=(*front, *(part for part in rows.order if part.column not in seen)))


def field_of(dataset: DatasetSpec, term: GroupTerm) -> FieldSpec:
    field = dataset.any_name.get(term.field)
    if field is None or field.hidden or term.by not in ways_of(field):
        raise Problem("Rows can't be put into groups by that.", "Choose another field.", code="bad")
    return field


def name_of(term: GroupTerm) -> str:
    return f"{MARK}{term.field}:{term.by}"


def _made(term: GroupTerm, field: FieldSpec) -> FieldSpec | None:
    """The calculated field that holds what a term makes of a value; None for the value itself."""
    if term.by == VALUE:
        return None
    quoted = '"' + field.name.replace('"', '""') + '"'
    kind = "text" if term.by == "letter" else "date" if term.by == "day" else "decimal"
    formula = WAYS[field.kind][term.by][1].replace("{}", quoted)
    return FieldSpec(name_of(term), field.label, kind, formula=formula, hidden=True, read_only=True)


def _parts(term: GroupTerm, field: FieldSpec) -> list[OrderPart]:
    """What keeps a group's rows together. Years, months and hundreds stand together in their field's own order, which an
    index may serve; letters don't, where a server sorts by another collation than it folds by."""
    if term.by == "letter":
        return [OrderPart(name_of(term), term.descending), OrderPart(field.name, term.descending, field.nullable)]
    return [OrderPart(column_of(field), term.descending, True)]


def column_of(field: FieldSpec) -> str:
    """The column of an order by a field: of what its list shows, where it has one."""
    return SHOWN + field.name if shown_first(field) else field.name


@dataclass(frozen=True)
class Leaf:
    """A group of the innermost level: the values of all levels, how many rows, and what is added up of them, such that
    groups can be put together: of an average its sum and its count. new: the ids of records that a draft adds to it."""

    values: tuple[Any, ...]
    count: int
    added: tuple[Any, ...] = ()
    new: tuple[str, ...] = ()


@dataclass(frozen=True)
class Numbers:
    """What is told of a group: how many records are in it, and each total over them."""

    count: int
    added: tuple[Any, ...] = ()


@dataclass(frozen=True)
class GroupLine:
    """A line that stands for a group. key: tells it from others. count: of the rows inside. level: from 0.

    numbers: what the line tells, which a draft may have laid itself over.
    """

    key: str
    level: int
    values: tuple[Any, ...]
    open: bool
    count: int
    numbers: Numbers
    first: int  # the place of its first row among the rows


@dataclass(frozen=True)
class NewLines:
    """Lines of new records, which stand behind the rows of their group. ids: theirs."""

    ids: tuple[str, ...]


Piece = GroupLine | NewLines | tuple[int, int]  # the last: a stretch of rows as (first row, how many)


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
    before the next one. new_after: the new records that stand behind these. new_lines: by the id of a new record, its line,
    or that of the group that hides it. new_groups: the values of its groups.
    """

    heads: list[GroupLine] = field(default_factory=list)
    starts: list[int] = field(default_factory=list)
    rows_after: list[int] = field(default_factory=list)
    new_after: list[tuple[str, ...]] = field(default_factory=list)
    new_lines: dict[str, int] = field(default_factory=dict)
    new_groups: dict[str, tuple[Any, ...]] = field(default_factory=dict)
    total: int = 0

    @property
    def rows(self) -> int:
        """How many rows there are, those in closed groups too."""
        return sum(head.count for head in self.heads if not head.level)

    def window(self, start: int, size: int) -> list[Piece]:
        """What stands from a line on: groups, stretches of rows, and new records."""
        pieces: list[Piece] = []
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
            behind = line + 1 + self.rows_after[i]
            if new := self.new_after[i][max(start - behind, 0) : max(end - behind, 0)]:
                pieces.append(NewLines(new))
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

    def new_at(self, line: int) -> str | None:
        """The id of the new record of a line; None for a line of anything else."""
        at = bisect_right(self.starts, line) - 1
        inside = line - self.starts[at] - 1 - self.rows_after[at] if at >= 0 else -1
        return self.new_after[at][inside] if 0 <= inside < len(self.new_after[at]) else None


def read_together(pieces: Sequence[Piece], most: int) -> list[tuple[int, int]]:
    """The stretches to read for the rows among some pieces of a window: one for those that lie within `most` rows, with what
    closed groups hide between them, since to ask takes longer than to read a few rows more."""
    several: list[tuple[int, int]] = []
    for piece in pieces:
        if not isinstance(piece, tuple):
            continue
        first, count = piece
        if several and first + count - several[-1][0] <= most:
            several[-1] = (several[-1][0], first + count - several[-1][0])
        else:
            several.append(piece)
    return several


def key_of_group(values: Sequence[Any]) -> str:
    """What tells a group from others, as a text."""
    return record_id(tuple(values))


def laid_out(
    leaves: Sequence[Leaf], levels: int, opened: Opened, numbers: Mapping[tuple[Any, ...], Numbers] | None = None
) -> Layout:
    """The lines of some groups. numbers: what is told of each, by its values, where that is more than how many rows it has."""
    layout, first, before = Layout(), 0, ()
    inside = Counter[tuple[Any, ...]]()
    for leaf in leaves:
        for depth in range(levels):
            inside[leaf.values[: depth + 1]] += leaf.count
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
            count = inside[values]
            told = Numbers(count) if numbers is None else numbers.get(values, Numbers(0))
            layout.heads.append(GroupLine(key, depth, values, is_open, count, told, first))
            layout.starts.append(layout.total)
            innermost = is_open and depth == levels - 1
            shown, new = (leaf.count, leaf.new) if innermost else (0, ())
            layout.rows_after.append(shown)
            layout.new_after.append(new)
            layout.total += 1 + shown + len(new)
            closed = not is_open
        layout.new_groups |= dict.fromkeys(leaf.new, leaf.values)
        # In a closed group they are where that one is, whose line is the last one that there is by now.
        behind = layout.total - len(leaf.new)
        layout.new_lines |= {
            identifier: layout.starts[-1] if closed else behind + i for i, identifier in enumerate(leaf.new)
        }
        first += leaf.count
        before = leaf.values
    return layout


def numbers_of(
    leaves: Sequence[Leaf],
    levels: int,
    adds: Sequence[Total] = (),
    different: Mapping[tuple[int, tuple[Any, ...]], int] = MappingProxyType({}),
) -> dict[tuple[Any, ...], Numbers]:
    """What is told of each group, by its values. adds: what was added up of the leaves. different: how many different values
    outer groups have, by the number of the total and their values: that does not follow from what is inside."""
    known: dict[tuple[Any, ...], tuple[int, tuple[Any, ...]]] = {}
    for leaf in leaves:
        for depth in range(levels):
            values = leaf.values[: depth + 1]
            count, added = known.get(values, (0, ()))
            if added:
                pairs = zip(adds, added, leaf.added, strict=True)
                together = tuple(merged(total, a, b) for total, a, b in pairs)
            else:
                together = leaf.added
            known[values] = (count + leaf.count, together)
    return {
        values: Numbers(
            count,
            tuple(
                different.get((i, values), state) if total.function == "distinct" else _value(total, state)
                for i, (total, state) in enumerate(zip(adds, added, strict=True))
            ),
        )
        for values, (count, added) in known.items()
    }


def merged(total: Total, some: Any, more: Any) -> Any:
    """What is added up of two groups as of one; NULL adds nothing. Of different values nobody can tell: see `numbers_of`."""
    if some is None or more is None:
        return more if some is None else some
    if total.function == "avg":
        return (_sum(some[0], more[0]), some[1] + more[1])
    if total.function in ("sum", "count"):
        return _sum(some, more)
    if total.function == "distinct":
        return some
    try:
        return min(some, more, key=exact.rank) if total.function == "min" else max(some, more, key=exact.rank)
    except TypeError:  # a column without a type of its own holds both texts and numbers
        return some


def _sum(some: Any, more: Any) -> Any:
    if some is None or more is None:
        return more if some is None else some
    # A server's sum may be a binary fraction, and a draft's a decimal one.
    return some + more if type(some) is type(more) is int else exact.plus(as_number(some), as_number(more))


def _value(total: Total, state: Any) -> Any:
    """What a group row shows of what was added up: exact, as far as the server's sums are."""
    if total.function != "avg" or state is None:
        return state
    added, count = state
    return None if not count or added is None else exact.divided(as_number(added), count)
