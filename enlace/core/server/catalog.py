"""The catalog of a database: tables, views, columns, keys, references in both directions, constraints."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import ColumnElement, func, literal, or_, select
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError

from ..model.catalog import Check, Column, Reference, Table, Unique
from ..model.connection import ConnectionSpec
from ..near import closest
from ..problem import Problem
from ..words import words_of
from .dialects import server_kind
from .engine import engine_for, reading
from .names import quoted_table


@dataclass
class Catalog:
    """What one connection holds. Read through `Catalog.of`, which keeps it until the schema changes."""

    spec: ConnectionSpec
    tables: tuple[str, ...]
    views: tuple[str, ...]
    references: tuple[Reference, ...]
    _details: dict[str, Table] = field(default_factory=dict)
    _keys: list[tuple[str, str]] | None = None
    _samples: dict[str, list[tuple[Any, ...]]] = field(default_factory=dict)
    _columns: dict[str, list[str]] | None = None
    _words: frozenset[str] | None = None

    @classmethod
    def of(cls, spec: ConnectionSpec) -> Catalog:
        """The catalog of a connection; raises Problem when the server can't be reached."""
        stamp = server_kind(spec.kind).catalog_stamp(spec, engine_for(spec))
        with _lock:
            kept = _kept.get(spec)
        catalog = kept.catalog if kept and kept.stamp == stamp and stamp is not None else _read(spec)
        with _lock:
            _kept[spec] = _Kept(stamp, catalog, time.monotonic())
            _kept.move_to_end(spec)
            while len(_kept) > MOST_CATALOGS:
                _kept.popitem(last=False)
        return catalog

    @classmethod
    def lately(cls, spec: ConnectionSpec, seconds: float = 20.0) -> Catalog:
        """The catalog as it was at most some seconds ago: for what may be a little old, such as the order of a save."""
        with _lock:
            kept = _kept.get(spec)
        if kept is not None and kept.stamp is not None and time.monotonic() - kept.checked < seconds:
            return kept.catalog
        return cls.of(spec)

    def table(self, name: str) -> Table:
        """A table or view by its exact name; raises Problem that names the closest one otherwise.

        What stands in the list may be beyond reading all the same: a view of a table that is gone, a table of a module that
        is not there. That is a Problem "unreadable".
        """
        if name not in self._details:
            if name not in self.tables and name not in self.views:
                near = closest(name, [*self.tables, *self.views])
                hint = f"The closest name is “{near}”." if near else "Look at the list of tables."
                raise Problem(f"There is no table or view “{name}” in this database.", hint, code="missing")
            self._details[name] = _described(self, name)
        return self._details[name]

    def sample(self, name: str) -> list[tuple[Any, ...]]:
        """Some rows of a table, all its columns, long values cut: what they hold, not which they are. Read once."""
        if name not in self._samples:
            with reading(self.spec) as connection:
                self._samples[name] = first_rows(connection, self.table(name), SAMPLE_ROWS, SAMPLE_CUT)
        return self._samples[name]

    def indexes(self, name: str) -> list[tuple[str, ...]]:
        """The columns of each index of a table, keys and unique ones included. Raises Problem."""
        table = self.table(name)
        with reading(self.spec) as connection:
            columns = server_kind(self.spec.kind).indexes(connection, name)
        return [*columns, table.key, *(unique.columns for unique in table.uniques)]

    def out_of_sight(self) -> str:
        """How many tables stand in schemas that the connection does not look into, in words; "" for none."""
        with reading(self.spec) as connection:
            counts = server_kind(self.spec.kind).out_of_sight(connection)
        several = [f"{count} in the schema {name}" for name, count in counts.items()]
        return ", ".join([*several[:SCHEMAS_NAMED], *(["and in others"] if len(several) > SCHEMAS_NAMED else [])])

    @property
    def words(self) -> frozenset[str]:
        """The words that names of tables and columns have between separators."""
        if self._words is None:
            names = (name for columns in self.column_names().values() for name in columns)
            self._words = words_of([*names, *self.tables, *self.views])
        return self._words

    def column_names(self) -> dict[str, list[str]]:
        """The columns of all tables and views by their names, read at once."""
        if self._columns is None:
            by_table: dict[str, list[str]] = {name: [] for name in (*self.tables, *self.views)}
            with reading(self.spec) as connection:
                for table, name in server_kind(self.spec.kind).column_names(connection):
                    if table in by_table:  # the server's own ones are none of the catalog's
                        by_table[table].append(name)
            self._columns = by_table
        return self._columns

    def single_keys(self) -> list[tuple[str, str]]:
        """(table, column) of the keys of one column in all tables, and of each column of a view: where a list may lead."""
        if self._keys is None:
            with reading(self.spec) as connection:
                told = server_kind(self.spec.kind).single_keys(connection)
            if told is None:
                keys = ((table, columns) for table in self._readable() for columns in (table.key, *_uniques(table)))
                told = [(table.name, columns[0]) for table, columns in keys if len(columns) == 1]
            told = [pair for pair in told if pair[0] in self.tables]
            told += [(view, column) for view in self.views for column in self.column_names()[view]]
            self._keys = list(dict.fromkeys(told))
        return self._keys

    def _readable(self) -> Iterator[Table]:
        """All tables but those that are beyond reading."""
        for name in self.tables:
            try:
                yield self.table(name)
            except Problem as problem:
                if problem.code != "unreadable":
                    raise

    def name_of(self, name: str) -> str:
        """How the database writes the name of a table or view, capitals apart; "" when there is none."""
        return next((table for table in (*self.tables, *self.views) if table.lower() == name.lower()), "")

    def named(self, name: str) -> Table | None:
        """A table or view by its name, capitals apart; None when there is none."""
        table = self.name_of(name)
        return self.table(table) if table else None


MOST_CATALOGS = 32
SCHEMAS_NAMED = 5
SAMPLE_ROWS = 200
SAMPLE_CUT = 120
CUT_FAMILIES = frozenset({"", "text", "long text", "bytes", "shown"})


@dataclass(frozen=True)
class _Kept:
    """A catalog with the stamp that it was read under. checked: when the stamp was last asked for (monotonic)."""

    stamp: Hashable
    catalog: Catalog
    checked: float


_kept: OrderedDict[ConnectionSpec, _Kept] = OrderedDict()
_lock = threading.Lock()


def _uniques(table: Table) -> list[tuple[str, ...]]:
    return [unique.columns for unique in table.uniques]


def _read(spec: ConnectionSpec) -> Catalog:
    with reading(spec) as connection:
        kind = server_kind(spec.kind)
        hidden = kind.internal_tables(connection)
        tables = tuple(sorted((name for name in kind.table_names(connection) if name not in hidden), key=str.lower))
        views = tuple(sorted(kind.view_names(connection), key=str.lower))
        references = tuple(kind.references(connection))
    return Catalog(spec, tables, views, references)


def _described(catalog: Catalog, name: str) -> Table:
    try:
        table = _read_table(catalog, name)
    except Problem as problem:
        if problem.code not in ("table gone", "other"):
            raise  # it says nothing of this one: the server is away, or busy
        raise _unreadable(name, problem.words) from problem
    if not table.columns:
        raise _unreadable(name, "")
    return table


def _unreadable(name: str, words: str) -> Problem:
    hint = "What it is made of may be gone or be unknown there. Mend it in the database, or leave it out."
    return Problem(f"The database can't say what columns “{name}” has.", hint, words, code="unreadable")


def _read_table(catalog: Catalog, name: str) -> Table:
    kind = server_kind(catalog.spec.kind)
    is_view = name in catalog.views
    with reading(catalog.spec) as connection:
        columns = tuple(kind.declared_columns(connection, name))
        if is_view:
            return Table(name, True, columns)
        key = kind.key(connection, name)
        checks = tuple(Check(n, e) for n, e in kind.check_texts(connection, name))
        uniques = tuple(Unique(n, columns) for n, columns in kind.unique_sets(connection, name))
        locator = kind.row_locator(connection, name)
        has_triggers = kind.has_triggers(connection, name)
        return Table(
            name=name,
            is_view=False,
            columns=columns,
            key=key,
            references=tuple(r for r in catalog.references if r.table == name),
            referenced_by=tuple(r for r in catalog.references if r.target == name),
            uniques=uniques,
            checks=checks,
            locator=locator,
            identity=identity_of(connection, name, columns, key, uniques, locator),
            has_triggers=has_triggers,
            triggers=tuple(kind.trigger_texts(connection, name)) if has_triggers else (),
        )


TEXTS = ("text", "long text")
SECONDS_TO_LOOK = 1.0
PLAIN = frozenset({*TEXTS, "whole", "decimal", "yes or no", "date", "time", "date and time"})
MOST_COMPARED = 30  # columns
LONGEST_COMPARED = 255  # characters


def identity_of(
    connection: Connection,
    name: str,
    columns: Sequence[Column],
    key: tuple[str, ...],
    uniques: Sequence[Unique],
    locator: str | None,
) -> tuple[str, ...]:
    """The columns by which the rows of a table are told apart; empty where nothing does.

    In this order: a key that is not NULL, by declaration or since no row has a NULL there (SQLite lets declared keys hold
    it); a UNIQUE set over columns that are not NULL; the server's own row number; all columns, where each can be compared
    exactly and is small enough to name a record by.
    """
    nullable = {column.name for column in columns if column.nullable}
    # A number of single precision does not equal what the server itself tells of it.
    vague = {column.name for column in columns if column.storage.startswith("float32")}
    if (
        key
        and vague.isdisjoint(key)
        and (nullable.isdisjoint(key) or not _has_nulls(connection, name, [c for c in key if c in nullable]))
    ):
        return key
    for unique in uniques:
        if (nullable | vague).isdisjoint(unique.columns):
            return unique.columns
    if locator:
        return (locator,)
    return tuple(column.name for column in columns) if _comparable(connection, name, columns) else ()


def _has_nulls(connection: Connection, name: str, nullable: Sequence[str]) -> bool:
    source = quoted_table(name, nullable)
    statement = select(literal(1)).select_from(source).where(or_(*(source.c[c].is_(None) for c in nullable))).limit(1)
    return connection.execute(statement).first() is not None


def _comparable(connection: Connection, name: str, columns: Sequence[Column]) -> bool:
    """Whether each column can be compared exactly and is short, by declaration or by fact."""
    plain = all(column.family in PLAIN and not column.storage.startswith("float") for column in columns)
    if not plain or len(columns) > MOST_COMPARED:
        return False
    texts = [
        column.name
        for column in columns
        if column.family in TEXTS and not column.choices and (column.length or LONGEST_COMPARED + 1) > LONGEST_COMPARED
    ]
    if not texts:
        return True
    source = quoted_table(name, texts)
    long = or_(*(func.length(source.c[n]) > LONGEST_COMPARED for n in texts))
    try:
        with server_kind(connection.dialect.name).limited(connection, SECONDS_TO_LOOK):
            return connection.execute(select(literal(1)).select_from(source).where(long).limit(1)).first() is None
    except DBAPIError:
        return False  # it takes too long to find out


def first_rows(connection: Connection, table: Table, limit: int, cut: int) -> list[tuple[Any, ...]]:
    """The first rows as they come, values of text and bytes cut."""
    kind = server_kind(connection.dialect.name)
    source = quoted_table(table.name, [c.name for c in table.columns])
    columns = []
    for i, column in enumerate(table.columns):
        condition: ColumnElement[Any] = source.c[column.name]
        if column.family in CUT_FAMILIES:
            condition = kind.shortened(condition, cut, column.family == "bytes")
        columns.append(condition.label(f"c{i}"))
    return [tuple(row) for row in connection.execute(select(*columns).limit(limit))]
