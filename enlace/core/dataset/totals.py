"""Count, different values, sum, average, least and greatest over the rows of a dataset, with a draft laid over them.

The server adds up all rows; the rows that a draft touches are taken out of that and its own values put in. So the
work on this side is proportional to the draft, never to the table.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Protocol

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.engine import Connection

from .. import exact
from ..kinds import KINDS, TEXTS, Nonconforming
from ..model.dataset import FieldSpec
from ..model.values import key_of
from ..server.dialects import ServerKind, server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.engine import reading
from .keys import KEYS_A_STATEMENT, in_parts, key_in, not_among
from .window import Rows

FUNCTIONS = {
    "count": "Count",
    "distinct": "Different",
    "sum": "Sum",
    "avg": "Average",
    "min": "Least",
    "max": "Greatest",
}
# The first and the last one are of the order in which rows stand, so that the server alone can't tell them.
NAMES = {**FUNCTIONS, "first": "First", "last": "Last"}
NUMBERS = ("whole", "decimal")
CENTS = 2  # digits behind the point that even a large sum shows
ORDERED = (*NUMBERS, "date", "time", "datetime")


class Pending(Protocol):
    """What totals need to know of a pending record."""

    @property
    def id(self) -> str: ...

    @property
    def state(self) -> str: ...

    @property
    def now(self) -> Mapping[str, Any]: ...


@dataclass(frozen=True)
class Total:
    """One wanted total: a function of FUNCTIONS over a field's values."""

    field: str
    function: str


def offered(field: FieldSpec) -> tuple[str, ...]:
    """The functions of NAMES that make sense for a field."""
    if field.kind in ("picture", "binary"):
        return ("count",)
    if field.kind in NUMBERS:
        return tuple(NAMES)
    return ("count", "distinct", *(("min", "max") if field.kind in ORDERED else ()), "first", "last")


def totals(rows: Rows, wanted: Sequence[Total], pending: Iterable[Pending] = ()) -> list[Any]:
    """The value of each total, in order: NULLs are left out, as in SQL; None where there is no value at all.

    pending: the draft's records among these rows. Sums are whole numbers or Decimals. Raises Problem.
    """
    drafted = list(pending)
    touched = [pending.id for pending in drafted if pending.state != "new"]
    fields = {total.field: rows.dataset.by_name[total.field] for total in wanted}
    with reading(rows.spec) as connection:
        there = present(connection, rows, touched, list(fields))
        tallies = {name: _tally(connection, rows, name, wanted, there) for name in fields}
        for total in wanted:
            if total.function == "distinct":
                tallies[total.field].different = _different(connection, rows, total.field, drafted, there)
    for name, tally in tallies.items():
        tally.lay_over(name, drafted, there)
    return [tallies[total.field].result(total.function) for total in wanted]


def present(connection: Connection, rows: Rows, ids: Sequence[str], names: Sequence[str]) -> dict[str, dict[str, Any]]:
    """What the server has now of the rows that a draft touches, the wanted fields only."""
    table, keys = rows.source.base, {key_of(identifier): identifier for identifier in ids}
    identity = rows.dataset.key
    by_field: dict[str, dict[str, Any]] = {}
    for part in in_parts(list(keys), KEYS_A_STATEMENT):
        columns = [table.c[n].label(f"k{i}") for i, n in enumerate(identity)]
        values = [table.c[n].label(f"f{i}") for i, n in enumerate(names)]
        wanted = select(*columns, *values).select_from(rows.source_with())
        wanted = wanted.where(key_in([table.c[n] for n in identity], part), rows.belonging())
        for row in connection.execute(wanted, rows.bound_values):
            if (key := tuple(row[: len(identity)])) in keys:
                by_field[keys[key]] = dict(zip(names, row[len(identity) :], strict=True))
    return by_field


def _tally(connection: Connection, rows: Rows, name: str, wanted: Sequence[Total], there: Mapping[str, Any]) -> Tally:
    """One field's totals over the server's rows that no draft touches."""
    functions = {total.function for total in wanted if total.field == name}
    column = rows.source.base.c[name]
    adding = bool(functions & {"sum", "avg"})
    asked: list[ColumnElement[Any]] = [func.count(column), *([func.sum(column)] if adding else [])]
    count, *sums = connection.execute(
        select(*asked).select_from(rows.source_with()).where(rows.belonging()), rows.bound_values
    ).one()
    gone = [item[name] for item in there.values()]
    tally = Tally(rows.dataset.by_name[name], int(count), sums[0] if sums else None, gone)
    if there and not tally.sum.is_finite():  # no subtraction brings back what NaN was added to
        keys = [rows.source.base.c[n] for n in rows.dataset.key]
        left = not_among(keys, [key_of(identifier) for identifier in there])
        statement = select(func.sum(column)).select_from(rows.source_with()).where(rows.belonging(), *left)
        tally.sum = as_number(connection.execute(statement, rows.bound_values).scalar())
    tally.ends = {end: _end(connection, rows, column, end, there) for end in ("min", "max") if end in functions}
    return tally


def _different(
    connection: Connection, rows: Rows, name: str, drafted: Iterable[Pending], there: Mapping[str, Mapping[str, Any]]
) -> int:
    """How many different values a field has, the draft laid over the rows.

    What the server counts changes only with the values that the draft takes away or brings: each is looked at by itself.
    """
    column = rows.source.base.c[name]
    source = rows.source_with()
    field, kind = rows.dataset.by_name[name], server_kind(connection.dialect.name)
    apart, shown = to_the_letter(kind, field, column)
    some = select(func.count(apart.distinct())).select_from(source).where(rows.belonging())
    count = int(connection.execute(some, rows.bound_values).scalar() or 0)
    same = alike(field)
    changes: dict[Any, int] = defaultdict(int)
    wanted = {}  # by what tells values apart, one of them
    for pending in {p.id: p for p in drafted}.values():
        if pending.state != "new" and pending.id not in there:
            continue
        before = there.get(pending.id, {}).get(name)
        after = None if pending.state == "removed" else pending.now.get(name, before)
        for value, by in ((before, -1), (after, 1)):
            if value is not None:
                changes[same(value)] += by
                wanted[same(value)] = value
    stored: dict[Any, int] = defaultdict(int)
    for part in in_parts([kind.bound(value) for value in wanted.values()], KEYS_A_STATEMENT):
        counted = select(shown, func.count()).select_from(source).where(column.in_(part), rows.belonging())
        for value, several in connection.execute(counted.group_by(apart), rows.bound_values):
            stored[same(value)] += int(several)
    return count + sum((stored[v] + by > 0) - (stored[v] > 0) for v, by in changes.items())


def to_the_letter(kind: ServerKind, field: FieldSpec, column: ColumnElement[Any]) -> tuple[ColumnElement[Any], ...]:
    """What tells the values of a field apart, to group by, and the value of such a group: a column's collation may take two
    texts for one, which people see as two."""
    return kind.apart(column) if field.kind in TEXTS and field.storage in ("", "text") else (column, column)


def alike(field: FieldSpec, dialect: str = "") -> Callable[[Any], Any]:
    """What makes values of a field equal: a draft may hold 0.5 as another type than a row does. dialect: equal as the
    collations of a server have it, "" to the letter."""
    kind = KINDS[field.kind]

    def same(raw: Any) -> Any:
        read = kind.read(raw, field)
        value = raw if isinstance(read, Nonconforming) else read
        if isinstance(value, Decimal) and value.is_nan():
            return "NaN"  # one is like another here, if not to Python
        # MariaDB's collations take texts for one that differ in capitals, accents or blanks at the end.
        return folded(value).rstrip() if dialect == "mariadb" and isinstance(value, str) else value

    return same


def _end(connection: Connection, rows: Rows, column: ColumnElement[Any], end: str, there: Mapping[str, Any]) -> Any:
    """The least or greatest value among the rows that no draft touches."""
    table, source = rows.source.base, rows.source_with()
    if not there:
        function = func.min(column) if end == "min" else func.max(column)
        return connection.execute(
            select(function).select_from(source).where(rows.belonging()), rows.bound_values
        ).scalar()
    keys = {key_of(name) for name in there}
    order = column.asc() if end == "min" else column.desc()
    identity = [table.c[n].label(f"k{i}") for i, n in enumerate(rows.dataset.key)]
    some = select(*identity, column.label("v")).select_from(source).where(column.is_not(None), rows.belonging())
    # As many rows more as the draft touches: one of them is not touched, or there is none.
    for row in connection.execute(some.order_by(order).limit(len(keys) + 1), rows.bound_values):
        if tuple(row[:-1]) not in keys:
            return row[-1]
    return None


class Tally:
    """One field's totals: what the server adds up, without the rows that a draft touches, then what is taken in.

    count, added: over all rows of the server. gone: the values of those that the draft touches. ends: the least and the
    greatest among the others, as far as they are wanted.
    """

    def __init__(self, field: FieldSpec, count: int, added: Any, gone: Iterable[Any]) -> None:
        self.field = field
        values = [item for item in gone if item is not None]
        self.count, self.unknown = count - len(values), 0
        self.sum = Decimal(0) if added is None else exact.minus(as_number(added), exact.total(map(as_number, values)))
        self.ends: dict[str, Any] = {}
        self.different = 0

    def lay_over(self, name: str, drafted: Iterable[Pending], there: Mapping[str, Mapping[str, Any]]) -> None:
        """Take in what a draft makes of its records. there: what the server has of them."""
        for pending in {p.id: p for p in drafted}.values():
            if pending.state == "removed" or (pending.state != "new" and pending.id not in there):
                continue
            self.take_in(pending.now[name] if name in pending.now else there.get(pending.id, {}).get(name))

    def take_in(self, raw: Any) -> None:
        """Add the value of a pending record."""
        if raw is None:
            # The number that the server will give a new record is not known yet, but there will be one.
            self.unknown += self.field.numbered
            return
        self.count += 1
        self.sum = exact.plus(self.sum, as_number(raw))
        for end, best in self.ends.items():
            if best is None or beyond(self.field, raw, best, end):
                self.ends[end] = raw

    def result(self, function: str) -> Any:
        if function == "count":
            return self.count + self.unknown
        if function == "distinct":
            return self.different + self.unknown
        if function in self.ends:
            return self.ends[function]
        if not self.count:
            return None
        return tidied(self.field, self.sum if function == "sum" else exact.divided(self.sum, self.count), function)


def as_number(raw: Any) -> Decimal:
    """A value as a number to add up; a text in a column of numbers counts as nothing, as SQLite has it."""
    if isinstance(raw, float):
        return Decimal(repr(raw))
    return Decimal(raw) if isinstance(raw, int | Decimal) else Decimal(0)


def beyond(field: FieldSpec, raw: Any, best: Any, end: str) -> bool:
    """Whether a value is less ("min") or greater than another one; what is of no kind to compare by is not."""
    kind = KINDS[field.kind]
    a, b = kind.read(raw, field), kind.read(best, field)
    if isinstance(a, Nonconforming) or isinstance(b, Nonconforming):
        return False
    return exact.rank(a) < exact.rank(b) if end == "min" else exact.rank(a) > exact.rank(b)


def tidied(field: FieldSpec, value: Decimal, function: str) -> Any:
    """A sum or an average without the digits that binary fractions add; an average with two digits more than its values."""
    if not value.is_finite():
        return value
    if field.kind == "whole" and function == "sum":
        return int(value)
    scale = 0 if field.kind == "whole" else field.scale
    if scale is None:
        # Of what a binary fraction holds fifteen digits are right, and no more than twelve are wanted where there is no need.
        digits = max(12, value.adjusted() + 1 + CENTS)
        if field.storage.startswith("float") or field.storage == "numeric15":
            return Decimal(f"{value:.{min(digits, 15)}g}")
        return value if function == "sum" else Decimal(f"{value:.{digits + CENTS}g}")
    return exact.rounded(value, scale + (2 if function == "avg" else 0))
