"""Read the rows of a dataset: by position, by key, a window at a time.

A window costs what it shows. Rows near either end are read from that end; rows in the middle from the
nearest anchor. The order's columns and the key are sought first, in an index where there is one, and only
the rows of the window are then fetched whole; long text is cut and of bytes only the length is read.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, replace
from itertools import count
from typing import Any

from sqlalchemy import (
    ColumnElement,
    FromClause,
    Select,
    and_,
    false,
    func,
    select,
    true,
)
from sqlalchemy.engine import Connection

from .. import hooks
from ..model.connection import ConnectionSpec, read_apart
from ..model.dataset import DatasetSpec
from ..model.values import key_of, record_id, record_ids
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import reading
from . import plain_statements
from .anchor_building import gone_through, nearest
from .anchors import (
    anchors_of,
    build_in_background,
    count_of,
    counted,
    hinted_around,
    in_vain,
    known_count,
    large,
    stretch_around,
    took_too_long,
)
from .filter_conditions import condition_of, needed_by
from .filters import WHEN, AnyFilter
from .keys import KEYS_A_STATEMENT, in_parts, key_in
from .order import OrderPart, order_by, reversed_order, segments, total_order
from .ordered import Ordered, Stretch
from .query import called_dataset
from .source import Source, given_values, source_of, source_table
from .window_rows import CUT, Row, beside, identity_of, row_maker, window_columns, window_statement

NEAR = 1500
WAIT_FOR_ANCHORS = 2_000_000  # rows; larger tables get their anchors in the background
WORTH_COUNTING_OFF = 100_000  # rows from a place that is known, where counting off took too long before
SECONDS_TO_COUNT_OFF = 3.0  # after that whoever asked is told to wait for the anchors


@dataclass(frozen=True)
class Rows:
    """The rows of a dataset in one order. A value: make it anew for each request.

    within: (column, value) pairs that narrow the rows to those of one master. filters: what else narrows them. bare: see
    `bare_window`.
    """

    spec: ConnectionSpec
    dataset: DatasetSpec
    order: tuple[OrderPart, ...]
    within: tuple[tuple[str, Any], ...] | None = None
    filters: tuple[AnyFilter, ...] = ()
    bare: bool = False

    @classmethod
    def of(
        cls,
        spec: ConnectionSpec,
        dataset: DatasetSpec,
        wanted: Sequence[tuple[str, bool]] = (),
        within: Sequence[tuple[str, Any]] | None = None,
        filters: Sequence[AnyFilter] = (),
    ) -> Rows:
        """The rows in a wanted order of (field, descending) pairs; those of one master only, and of some filters."""
        # The dataset's own condition is a filter like others, so that counts, windows and totals can't forget it.
        own = (WHEN,) if dataset.row_condition else ()
        # A builder's query may be slow or never end: over an SQLite file it runs in a process of its own.
        if dataset.query:
            spec, dataset = read_apart(spec), called_dataset(spec, dataset)
        return cls(
            spec, dataset, total_order(dataset, wanted), None if within is None else tuple(within), (*own, *filters)
        )

    @property
    def whole(self) -> bool:
        """Whether these are all rows of a table."""
        return self.within is None and not self.dataset.query and not self.filters

    @property
    def plain(self) -> bool:
        """Whether these are all rows of a table, or all of one master that has values: `plain_statements` has theirs."""
        return not self.dataset.query and not self.filters and all(value is not None for _, value in self.within or ())

    @property
    def _within_names(self) -> tuple[str, ...]:
        return tuple(name for name, _ in self.within or ())

    @property
    def _within_values(self) -> dict[str, Any]:
        return plain_statements.bound("within", (value for _, value in self.within or ()))

    def narrowed(self, wanted: AnyFilter) -> Rows:
        """Those of the rows that pass one more filter."""
        return replace(self, filters=(*self.filters, wanted))

    def count(self) -> int:
        """How many rows there are."""
        if self.whole:
            return count_of(self.spec, self.dataset.table)
        if not self.filters:
            return self._counted()
        return counted(self.spec, self._what, self._counted, self.dataset.table)

    @property
    def bound_values(self) -> dict[str, Any]:
        """What has to be given with every statement over the source."""
        return given_values(self.dataset, self.spec.kind) if self.dataset.parameter_values else {}

    @property
    def _what(self) -> Hashable:
        """What tells filtered rows from others."""
        return (self.dataset.identity, self.within, self.filters)

    def _counted(self) -> int:
        with reading(self.spec) as connection:
            counted = select(func.count()).select_from(self.source_with()).where(self.belonging())
            return int(connection.execute(counted, self.bound_values).scalar() or 0)

    @property
    def source(self) -> Source:
        """What the rows are selected from."""
        return source_of(self.dataset, self.spec.kind)

    def known_count(self) -> int | None:
        """The count if it is known and still true, or quickly found."""
        if self.whole:
            return known_count(self.spec, self.dataset.table)
        if self.filters:
            return anchors_of(self.spec, self._what, ()).count
        return self.count()

    def belonging(self) -> ColumnElement[bool]:
        """The condition that a row belongs to the master, where there is one, and passes the filters.

        A master without a value has no rows. Select it from `source_with`.
        """
        table = self.source.base
        linked = (table.c[name] == value if value is not None else false() for name, value in self.within or ())
        return and_(true(), *linked, *(condition_of(item, self.source) for item in self.filters))

    def source_with(self, names: Iterable[str] = ()) -> FromClause:
        """The source with all joined that the filters need, and some names."""
        return self.source.joined([*names, *needed_by(self.filters, self.source)])

    def window(self, start: int, size: int) -> list[Row]:
        """The rows at positions start, start + 1 ... of the order; fewer at the end. Raises Problem."""
        rows = self._window(start, size)
        if hooks.wanted(hooks.READ):
            hooks.tell(hooks.READ, dataset=self.dataset, rows=rows)
        return rows

    def bare_window(self, start: int, size: int) -> list[Sequence[Any]] | None:
        """A window as the server gives it, behind the columns of `identity_of`: to write rows nobody asks which they are. None
        where they have to be made all the same."""
        if hooks.wanted(hooks.READ) or not self._identity():
            return None
        bare: Any = replace(self, bare=True)._window(start, size)
        return list(bare)

    def _window(self, start: int, size: int) -> list[Row]:
        if not identity_of(self.dataset):
            with reading(self.spec) as connection:
                return self._plain_window(connection, start, size)
        if not self.whole and (not self.filters or self.within is not None or self.dataset.query):
            return self._read(self.order, None, start, size, start)
        order, rows = self.order, self._as_ordered()
        # Where anchors stand they bound the rows from both sides, which helps even near the ends.
        around = stretch_around(rows, start, size, build=False)
        if around is None and start <= NEAR:
            return self._read(order, None, start, size, start)
        count = known_count(self.spec, self.dataset.table) if self.whole else None
        count = self.count() if count is None else count
        size = min(size, count - start)
        if size <= 0:
            return []
        from_end = count - start - size
        if around is None and from_end > NEAR:
            around = hinted_around(rows, start, size)
        if around is None and from_end > NEAR and (count > WAIT_FOR_ANCHORS or (not self.whole and large(rows))):
            # Anchors of so many rows take seconds: count the rows off this time, and have anchors the next time.
            build_in_background(rows)
            return self._counted_off(rows, count, start, size)
        elif around is None and from_end > NEAR:
            around = stretch_around(rows, start, size, build=True)
        if around is None:
            return self._from_nearer_end(start, size, from_end)
        return self._read(order, around, start - around.position, size, start)

    def _as_ordered(self) -> Ordered:
        """These rows for anchors: all of a table, or those of it that pass the filters."""
        what = self.source.identity(part.column for part in self.order)
        what, where = (what, None) if self.whole else ((what, self.filters), self.belonging)
        return Ordered(
            self.spec, self.source, self.order, what, self.count, self._ordered_from, where, self.bound_values
        )

    def _from_nearer_end(self, start: int, size: int, from_end: int, seconds: float | None = None) -> list[Row]:
        """A window read from the end that is nearer: from the far one backwards, and its rows turned round."""
        if from_end >= start:
            return self._read(self.order, None, start, size, start, seconds)
        rows = self._read(reversed_order(self.order), None, from_end, size, 0, seconds)[::-1]
        return rows if self.bare else [row._replace(position=start + i) for i, row in enumerate(rows)]

    def _counted_off(self, rows: Ordered, count: int, start: int, size: int) -> list[Row]:
        """A place of a large table before its anchors stand. Raises Problem, "coming" when that takes too long to wait for."""
        from_end, near = count - start - size, nearest(rows, start)
        try:
            if in_vain(rows.key) and (near is None or start - near.position > WORTH_COUNTING_OFF):
                raise Problem("", code="slow")
            if near is not None and start - near.position < min(start, from_end):
                return self._read(self.order, near, start - near.position, size, start, SECONDS_TO_COUNT_OFF)
            return self._from_nearer_end(start, size, from_end, SECONDS_TO_COUNT_OFF)
        except Problem as problem:
            if problem.code != "slow":
                raise
            took_too_long(rows.key)
            done = 100 * gone_through(rows) // count
            what = "So many rows are put in this order for the first time" + (f": {done} % so far." if done else ".")
            raise Problem(what, "They come by themselves in a moment.", code="coming") from None

    def row(self, identifier: str, anywhere: bool = False) -> tuple[Any, ...] | None:
        """All values of one record, whole, in the order of the fields; None when there is no such record.

        Raises ValueError when the id is none of this dataset.
        """
        key, names = key_of(identifier), self._identity()
        mine = replace(self, within=None) if anywhere else self
        if not mine.plain or None in key or len(key) != len(names) or not names:
            return self.whole_rows([identifier], anywhere).get(identifier)
        asked = plain_statements.record(self.dataset, self.spec.kind, names, mine._within_names)
        with reading(self.spec) as connection:
            row = connection.execute(asked, {**mine._within_values, **plain_statements.bound("key", key)}).first()
        return None if row is None else tuple(row)

    def whole_rows(self, identifiers: Sequence[str], anywhere: bool = False) -> dict[str, tuple[Any, ...]]:
        """All values of several records by their ids; ids that are not there are left out, and so are rows that are none
        of the dataset's own, or of another master. anywhere: of whichever master."""
        keys, wanted = {key_of(identifier): identifier for identifier in identifiers}, set(identifiers)
        names = self._identity()
        if any(len(key) != len(names) for key in keys) or not names:
            raise ValueError("not a record of this dataset")
        table = self.source.base
        columns = [table.c[f.name] for f in self.dataset.fields]
        by_id: dict[str, tuple[Any, ...]] = {}
        own = Rows(
            self.spec,
            self.dataset,
            (),
            None if anywhere else self.within,
            self.filters[:1] if self.dataset.row_condition else (),
        )
        base, mine = own.source_with(), own.belonging()
        with reading(self.spec) as connection:
            for part in in_parts(list(keys), KEYS_A_STATEMENT):
                statement = select(*(table.c[n].label(f"k{i}") for i, n in enumerate(names)), *columns)
                statement = statement.select_from(base).where(mine)
                asked = statement.where(key_in([table.c[n] for n in names], part))
                for row in connection.execute(asked, self.bound_values).all():
                    key = row[: len(names)]
                    # What is not equal to itself, a NaN, is known by its id.
                    identifier = keys.get(key) or (same if (same := record_id(key)) in wanted else None)
                    if identifier is not None:
                        by_id[identifier] = row[len(names) :]
        return by_id

    def position(self, identifier: str) -> int | None:
        """The position of a record, counted by the server; None when there is no such record."""
        place = self.place_of(identifier)
        if place is None:
            return None
        if self.plain:
            nulls = plain_statements.nulls_of(place)
            asked = plain_statements.before(self.dataset, self.spec.kind, self.order, nulls, self._within_names)
            given = {**self._within_values, **plain_statements.bound("place", place)}
            with reading(self.spec) as connection:
                return int(connection.execute(asked, given).scalar() or 0) - 1
        table, joined = self.source, self._ordered_from()
        nulls_first = server_kind(self.spec.kind).nulls_first
        before = 0
        with reading(self.spec) as connection:
            # Rows at or before, counted from the other end: the segments of the reversed order.
            for condition in segments(table, reversed_order(self.order), place, nulls_first):
                counted = select(func.count()).select_from(joined).where(and_(condition, self.belonging()))
                before += connection.execute(counted, self.bound_values).scalar() or 0
        return before - 1

    # -- how ------------------------------------------------------------------------------------------

    @property
    def told_apart(self) -> bool:
        """Whether a row can be told from all others, and so be found again."""
        return bool(self._identity())

    def _identity(self) -> tuple[str, ...]:
        return identity_of(self.dataset)

    def _ordered_from(self) -> FromClause:
        """The source with all that the order and the filters need."""
        return self.source_with(p.column for p in self.order)

    def place_of(self, identifier: str) -> tuple[Any, ...] | None:
        """The order values of a record; None for one that is not among the rows."""
        key, names, source = key_of(identifier), self._identity(), self.source
        if len(key) != len(names) or not names:
            raise ValueError("not a record of this dataset")
        if self.plain and None not in key:
            asked = plain_statements.place(self.dataset, self.spec.kind, self.order, names, self._within_names)
            with reading(self.spec) as connection:
                row = connection.execute(asked, {**self._within_values, **plain_statements.bound("key", key)}).first()
            return None if row is None else tuple(row)
        statement = select(*(source.c[p.column] for p in self.order)).select_from(self._ordered_from())
        with reading(self.spec) as connection:
            mine = key_in([source.base.c[n] for n in names], [key])
            row = connection.execute(statement.where(mine, self.belonging()), self.bound_values).first()
        return None if row is None else tuple(row)

    def _read(
        self, order: tuple[OrderPart, ...], around: Stretch | None, skip: int, size: int, start: int,
        seconds: float | None = None,
    ) -> list[Row]:  # fmt: skip
        """`size` rows of an order, `skip` rows after the start of a stretch (of the order when there is none). seconds: that
        each statement may take, where that is less than any may."""
        source, names, kind = self.source, self._identity(), self.spec.kind
        places: dict[str, Any] = {}
        # Each condition with its statement, as far as that is made already: most windows are of whole tables.
        parts: Sequence[tuple[ColumnElement[bool] | None, Select[Any] | None]]
        if around and self.whole:
            parts, places = plain_statements.stretch(self.dataset, kind, order, around)
        elif around:
            seeks, nulls_first = server_kind(kind).seeks_rows, server_kind(kind).nulls_first
            several = segments(source, order, around.place, nulls_first, around.end, seeks)
            parts = [(and_(part, self.belonging()), None) for part in several]
        elif self.plain:
            parts, places = plain_statements.windows(self.dataset, kind, order, self._within_names), self._within_values
        else:
            parts = [(self.belonging(), None)]
        rows: list[Row] = []
        make = row_maker(self.dataset, len(names))
        with reading(self.spec) as connection, self._within_seconds(connection, seconds):
            for condition, made in parts:
                statement = self.of_part(order, condition) if made is None else made
                bound_values = {**self.bound_values, **places, "most_rows": size - len(rows), "passed_rows": skip}
                fetched = server_kind(self.spec.kind).fetched(connection, statement, bound_values)
                if self.bare:
                    rows += fetched  # type: ignore[arg-type]
                else:
                    ids = record_ids([row[: len(names)] for row in fetched])
                    rows.extend(map(make, ids, count(start + len(rows)), fetched))
                if len(rows) >= size:
                    break
                if fetched:
                    skip = 0
                # Nothing of this segment was left after skipping: find out how many rows it had, and skip the rest in
                # the next.
                elif skip:
                    base = self._ordered_from()
                    passed = select(source.base.c[names[0]]).select_from(base)
                    passed = passed.where(true() if condition is None else condition).limit(skip)
                    skip -= (
                        connection.execute(
                            select(func.count()).select_from(passed.subquery()), {**self.bound_values, **places}
                        ).scalar()
                        or 0
                    )
        return rows

    def _within_seconds(self, connection: Connection, seconds: float | None) -> AbstractContextManager[None]:
        return nullcontext() if seconds is None else server_kind(self.spec.kind).limited(connection, seconds)

    def of_part(self, order: tuple[OrderPart, ...], condition: ColumnElement[bool] | None) -> Select[Any]:
        """The statement of a window: `most_rows` rows that fulfil a condition, after `passed_rows` others."""
        return window_statement(self.dataset, self.spec.kind, order, condition, needed_by(self.filters, self.source))

    def whole_at(self, position: int) -> tuple[Any, ...] | None:
        """All values, whole, of the row at a position, for rows that nothing tells apart; None where there is none."""
        columns = [self.source.base.c[f.name].label(f"f{i}") for i, f in enumerate(self.dataset.fields)]
        with reading(self.spec) as connection:
            row = connection.execute(self._plain_statement(columns, position, 1), self.bound_values).first()
        return None if row is None else tuple(row)

    def _plain_statement(self, columns: Sequence[ColumnElement[Any]], start: int, size: int) -> Select[Any]:
        needed = [*beside(self.dataset), *(p.column for p in self.order)]
        statement = select(*columns).select_from(self.source_with(needed)).where(self.belonging())
        return statement.order_by(*order_by(self.source, self.order)).limit(size).offset(start)

    def _plain_window(self, connection: Connection, start: int, size: int) -> list[Row]:
        statement = self._plain_statement(window_columns(self.dataset, self.spec.kind), start, size)
        rows = connection.execute(statement, self.bound_values).all()
        make = row_maker(self.dataset, 0)
        return [make(f"p{start + i}", start + i, tuple(row)) for i, row in enumerate(rows)]


__all__ = ["CUT", "Row", "Rows", "source_table", "window_columns"]
