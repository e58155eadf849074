"""SQLite: a database in one file."""

from __future__ import annotations

import datetime
import logging
import os
import re
import sqlite3
import threading
import time
from collections import Counter, OrderedDict
from collections.abc import Collection, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Insert,
    Integer,
    Select,
    Text,
    case,
    cast,
    create_engine,
    event,
    func,
    select,
    text,
    type_coerce,
)
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DBAPIError, DisconnectionError
from sqlalchemy.pool import QueuePool
from sqlglot import exp

from ...model.catalog import Column, Reference
from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..apart import Apart
from ..limits import STATEMENT_SECONDS
from ..places import checked_file, still
from ..refusal import Refusal
from . import sqlite_functions
from .base import Parameter, ServerKind, named_act
from .sqlite_checks import checks_in
from .sqlite_sentences import SENTENCES

logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse is dealt with here
MOST_LOOKED_AT = 50_000  # rows
STANDS_FOR: dict[str, Any] = {"integer": 0, "real": 0.5, "text": "t", "blob": b""}
WAIT_FOR_LOCK_MS = 4_000


class Sqlite(ServerKind):
    name = "sqlite"
    label = "SQLite file"
    parameters = (
        Parameter("path", "File", "The full path of the database file on the machine that runs Enlace.", required=True),
    )
    is_file = True
    has_password = False
    nulls_first = True
    ranges_are_prefixes = True
    in_process = True
    seeks_rows = True

    # -- reaching it ---------------------------------------------------------------------------------

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        path, apart = spec["path"], bool(spec["apart"])
        engine = create_engine(
            "sqlite+pysqlite://",
            creator=lambda: Apart(path, WAIT_FOR_LOCK_MS) if apart else _open(path),
            poolclass=QueuePool,
            pool_size=2 if apart else 8,
            max_overflow=2 if apart else 16,
            pool_recycle=600 if apart else -1,
        )

        @event.listens_for(engine, "connect")
        def connected(driver: sqlite3.Connection, record: Any) -> None:
            record.info["file"] = _identity(path)

        @event.listens_for(engine, "checkout")
        def checked_out(driver: sqlite3.Connection, record: Any, proxy: Any) -> None:
            # An open file goes on working after it was moved or replaced: what is at the path counts.
            if record.info.get("file") != _identity(path) or getattr(driver, "dead", False):
                raise DisconnectionError

        @event.listens_for(engine, "begin")
        def begin(connection: Connection) -> None:
            # The driver's own BEGIN is off (isolation_level None), so that reading is one snapshot too.
            connection.exec_driver_sql(connection.info.pop("begin_with", "BEGIN"))

        return engine

    def place_of(self, spec: ConnectionSpec) -> str:
        return spec["path"]

    def begin(self, connection: Connection, write: bool) -> None:
        connection.info["begin_with"] = "BEGIN IMMEDIATE" if write else "BEGIN"
        self._count_anew(connection)
        connection.begin()

    def in_transaction(self, connection: Connection) -> bool:
        # RAISE(ROLLBACK) in a trigger, a full disk and the like end the transaction (SQLite, "Transactions", 3).
        driver: Any = connection.connection.driver_connection
        return bool(driver.in_transaction)

    @contextmanager
    def within(self, connection: Connection) -> Iterator[None]:
        self._count_anew(connection)
        yield

    def _count_anew(self, connection: Connection) -> None:
        driver: Any = connection.connection.driver_connection
        until = time.monotonic() + STATEMENT_SECONDS
        driver.set_progress_handler(lambda: time.monotonic() > until, 100_000)

    @contextmanager
    def limited(self, connection: Connection, seconds: float) -> Iterator[None]:
        driver: Any = connection.connection.driver_connection
        limit = time.monotonic() + seconds
        driver.set_progress_handler(lambda: time.monotonic() > limit, 10_000)
        try:
            yield
        finally:
            # The transaction's own limit begins anew: what was asked meanwhile took a known share of it.
            self._count_anew(connection)

    def internal_tables(self, connection: Connection) -> set[str]:
        listed = connection.execute(text("PRAGMA table_list")).all()
        names = {row.name for row in listed if row.type == "shadow" or row.name.lower().startswith("sqlite_")}
        for row in listed:
            # The module of a virtual table may not be there.
            if row.type == "virtual" and row.name not in names:
                quoted = exp.to_identifier(row.name, quoted=True).sql(dialect="sqlite")
                try:
                    connection.exec_driver_sql(f"SELECT * FROM {quoted} LIMIT 1").all()
                except DBAPIError:
                    names.add(row.name)
        return names

    def stored_types(self, connection: Connection, table: str, columns: Sequence[str]) -> dict[str, list[Any]]:
        by_column: dict[str, list[Any]] = {}
        for name in columns:
            quoted = [exp.to_identifier(text, quoted=True).sql(dialect="sqlite") for text in (name, table)]
            some = f"SELECT {quoted[0]} AS v FROM {quoted[1]} LIMIT {MOST_LOOKED_AT}"
            types = text(f"SELECT DISTINCT typeof(v) FROM ({some}) WHERE v IS NOT NULL".replace(":", "\\:"))
            by_column[name] = [STANDS_FOR[value] for value in connection.execute(types).scalars()]
        return by_column

    @contextmanager
    def hurried(self, connection: Connection) -> Iterator[None]:
        driver: Any = connection.connection.driver_connection
        driver.execute("PRAGMA busy_timeout = 0")
        try:
            yield
        finally:
            driver.execute(f"PRAGMA busy_timeout = {WAIT_FOR_LOCK_MS}")

    def trigger_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        statement = text("SELECT sql FROM sqlite_master WHERE type = 'trigger' AND tbl_name = :t COLLATE NOCASE")
        texts = []
        for sql in connection.execute(statement, {"t": table}).scalars():
            head, _, body = re.sub(r"\s+", " ", sql).partition(" BEGIN ")
            texts.append((head, body))
        return texts

    def loose_references(self, connection: Connection, tables: Collection[str]) -> Counter[tuple[str, str]]:
        counter: Counter[tuple[str, str]] = Counter()
        for table in tables:
            rows = connection.execute(text('SELECT "table", parent FROM pragma_foreign_key_check(:t)'), {"t": table})
            counter.update((child, parent) for child, parent in rows)
        return counter

    def after_refused_commit(self, connection: Connection) -> None:
        # A COMMIT that deferred references forbid leaves the transaction open (SQLite, "Foreign Key Support", 4.2).
        driver: Any = connection.connection.driver_connection
        if driver.in_transaction:
            driver.execute("ROLLBACK")

    # -- the test ------------------------------------------------------------------------------------

    # -- what it says --------------------------------------------------------------------------------

    def refusal(self, error: BaseException | None) -> Refusal:
        words = str(error)
        for pattern, code in _REFUSALS:
            match = re.match(pattern, words, re.S)
            if match:
                named = match.groupdict()
                columns = tuple(part.strip().split(".", 1)[-1] for part in (named.get("columns") or "").split(", "))
                return Refusal(code, words, tuple(c for c in columns if c), named.get("constraint") or "")
        if isinstance(error, sqlite3.IntegrityError):
            return Refusal("trigger", words)
        return Refusal("other", words)

    def sentence(self, refusal: Refusal) -> tuple[str, str]:
        return SENTENCES.get(refusal.code, ("The database refused the statement.", "Its own words say why."))

    # -- the catalog ---------------------------------------------------------------------------------

    # SQLAlchemy finds actions and deferral by parsing the statements of tables, and misses some of them.
    def references(self, connection: Connection) -> list[Reference]:
        named = {name.lower(): name for name in connection.execute(text(_TABLES)).scalars()}
        by_number: dict[tuple[str, int], list[Any]] = {}
        for row in connection.execute(text(_REFERENCES)):
            by_number.setdefault((row.source, row.id), []).append(row)
        made = []
        for (source, _), rows in by_number.items():
            first = rows[0]
            target = named.get(first.target.lower(), first.target)
            columns = tuple(row.here for row in rows)
            # A reference that names no columns is to the primary key (SQLite, "Foreign Key Support", 3).
            there = tuple(row.there for row in rows) if first.there else self.key(connection, target)
            if len(there) == len(columns):
                made.append(
                    Reference(
                        "", source, columns, target, there, named_act(first.on_delete), named_act(first.on_update),
                        bool(DEFERRED.search(first.sql or "")),
                    )
                )  # fmt: skip
        return made

    def column_names(self, connection: Connection) -> list[tuple[str, str]]:
        try:
            return _pairs(connection, _COLUMN_NAMES)
        except DBAPIError:  # one that can't be read (a view of a table that is gone) breaks off the whole list
            found = []
            for name in connection.execute(text(_NAMES)).scalars().all():
                with suppress(DBAPIError):
                    found += _pairs(connection, _COLUMN_NAMES_OF, name=name)
            return found

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        statement = text('SELECT name, type, "notnull", dflt_value, pk, hidden FROM pragma_table_xinfo(:t)')
        rows = connection.execute(statement, {"t": table}).all()
        key_size = sum(1 for row in rows if row.pk)
        # Where the key has an index of its own it is not the row number: so it is without a row number, and so is
        # INTEGER PRIMARY KEY DESC (SQLite, "CREATE TABLE", 5), which may hold NULL like any other declared key.
        indexed = text("SELECT 1 FROM pragma_index_list(:t) WHERE origin = 'pk'")
        own_index = connection.execute(indexed, {"t": table}).first() is not None
        without_rowid = self.row_locator(connection, table) is None
        columns = []
        for row in rows:
            if row.hidden == 1:  # a hidden column of a virtual table
                continue
            # INTEGER PRIMARY KEY is the rowid itself: SQLite numbers it when it is left out.
            rowid_alias = (
                row.pk == 1 and key_size == 1 and row.type.upper() == "INTEGER" and not (without_rowid or own_index)
            )
            columns.append(
                Column(
                    name=row.name,
                    type_text=row.type,
                    nullable=not row.notnull and not rowid_alias and not (row.pk and without_rowid),
                    default=row.dflt_value,
                    numbered=rowid_alias,
                    computed=row.hidden in (2, 3),
                )
            )
        return columns

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        statement = text("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = :t COLLATE NOCASE")
        sql = connection.execute(statement, {"t": table}).scalar()
        return checks_in(sql) if sql else []

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        statement = text(
            "SELECT l.name AS index_name, i.name AS column_name FROM pragma_index_list(:t) l, pragma_index_info(l.name) i "
            "WHERE l.\"unique\" AND l.origin <> 'pk' AND NOT l.partial ORDER BY l.seq DESC, i.seqno"
        )
        sets: dict[str, list[str | None]] = {}
        for row in connection.execute(statement, {"t": table}):
            sets.setdefault(row.index_name, []).append(row.column_name)
        # An index over an expression has no column name there: it is left to the server.
        whole = [(name, tuple(c for c in columns if c)) for name, columns in sets.items() if None not in columns]
        return [("" if name.startswith("sqlite_autoindex") else name, columns) for name, columns in whole]

    def row_locator(self, connection: Connection, table: str) -> str | None:
        rows = connection.execute(text("PRAGMA table_list")).all()
        for row in rows:
            named = row.name.lower() == table.lower() and row.schema == "main"
            if named and (row.type not in ("table", "virtual") or row.wr):
                return None
        taken = connection.execute(text("SELECT lower(name) FROM pragma_table_xinfo(:t)"), {"t": table}).scalars()
        free = {"rowid", "_rowid_", "oid"} - set(taken)
        return min(free) if free else None

    def catalog_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        return _watch(spec["path"], "PRAGMA schema_version")

    def change_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        # data_version changes on this connection whenever another one, in any process, commits to the file.
        return _watch(spec["path"], "PRAGMA data_version")

    # -- reading and writing values --------------------------------------------------------------------

    def shortened(self, column: ColumnElement[Any], length: int, is_bytes: bool = False) -> ColumnElement[Any]:
        return case((func.length(column) > length, func.substr(column, 1, length)), else_=column)

    def shortened_computed(self, column: ColumnElement[Any], length: int) -> ColumnElement[Any]:
        # A column may hold anything here, which is to stay as it is; what is computed as a text is one.
        return func.substr(column, 1, length)

    def fetched(
        self, connection: Connection, statement: Select[Any], given: Mapping[str, Any]
    ) -> list[tuple[Any, ...]]:
        driver: Any = connection.connection.driver_connection
        try:
            driver.text_factory = str  # which decodes faster than a function of ours
            return super().fetched(connection, statement, given)
        except DBAPIError as error:
            if "decode" not in str(error.orig):
                raise
        finally:
            driver.text_factory = _text
        return super().fetched(connection, statement, given)

    def size_of(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        return type_coerce(func.length(column), Integer)

    def folded(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        return func.enlace_fold(cast(column, Text))

    def bound(self, value: Any) -> Any:
        if type(value) in self.native:
            return value
        if isinstance(value, Decimal):
            return str(value)  # a NUMERIC column turns it into the number; nothing passes through float here
        if isinstance(value, bool):
            return int(value)
        if isinstance(value, datetime.date | datetime.time):
            return value.isoformat()
        return value

    def apart(self, column: ColumnElement[Any]) -> tuple[ColumnElement[Any], ColumnElement[Any]]:
        to_the_letter = column.collate("BINARY")
        return to_the_letter, to_the_letter

    def exactly(self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool) -> ColumnElement[bool]:
        # A column's own collation may take two texts for one (SQLite, "Datatypes In SQLite", section 7).
        return (column.collate("BINARY") if is_text else column).is_(value)

    def has_triggers(self, connection: Connection, table: str) -> bool:
        statement = text("SELECT 1 FROM sqlite_master WHERE type = 'trigger' AND tbl_name = :t COLLATE NOCASE")
        return connection.execute(statement, {"t": table}).first() is not None

    def generated_keys(
        self,
        connection: Connection,
        statement: Insert,
        values: Mapping[str, Sequence[Any]],
        key: Sequence[ColumnElement[Any]],
        columns: Sequence[str],
    ) -> list[tuple[Any, ...]]:
        name, table = str(key[0].name), str(statement.table.name)
        count = len(next(iter(values.values()), ()))
        if count < 50 or len(key) != 1 or name in columns or self.has_triggers(connection, table):
            return super().generated_keys(connection, statement, values, key, columns)
        # A rowid that nobody gives is one more than the greatest so far (SQLite, "SQLite Autoincrement"), and nobody
        # else writes in between. Where it turns out otherwise, each row is asked for its own.
        with connection.begin_nested() as step:
            self.write_many(connection, statement, values)
            last = connection.exec_driver_sql("SELECT last_insert_rowid()").scalar_one()
            first = last - count + 1
            column, source = key[0], statement.table
            there = select(func.count(), func.max(column)).select_from(source).where(column >= first)
            if tuple(connection.execute(there).one()) == (count, last):
                return [(number,) for number in range(first, last + 1)]
            step.rollback()
        return super().generated_keys(connection, statement, values, key, columns)

    def storage_of(self, values: list[Any], kind: str) -> str:
        numbers = [v for v in values if isinstance(v, int | float) and not isinstance(v, bool)]
        if not values or len(numbers) * 2 <= len(values):
            texts = [v for v in values if isinstance(v, str)]
            return "text T" if texts and sum("T" in v for v in texts) * 2 > len(texts) else "text"
        typical = sorted(abs(v) for v in numbers)[len(numbers) // 2]
        if kind in ("date", "datetime"):
            if typical < 4_000_000:
                return "julian day"
            return "unix milliseconds" if typical > 20_000_000_000 else "unix seconds"
        return "seconds"


_COLUMN_NAMES = """
SELECT t.name, c.name FROM sqlite_master t, pragma_table_xinfo(t.name) c WHERE t.type IN ('table', 'view')
AND t.name NOT LIKE 'sqlite!_%' ESCAPE '!' ORDER BY t.name, c.cid
"""
_NAMES = "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite!_%' ESCAPE '!'"
_COLUMN_NAMES_OF = "SELECT :name, c.name FROM pragma_table_xinfo(:name) c ORDER BY c.cid"
_TABLES = "SELECT name FROM sqlite_master WHERE type = 'table'"
_REFERENCES = """
SELECT m.name AS source, m.sql AS sql, f.id AS id, f."table" AS target, f."from" AS here, f."to" AS there,
       f.on_delete AS on_delete, f.on_update AS on_update
FROM sqlite_master m, pragma_foreign_key_list(m.name) f WHERE m.type = 'table' ORDER BY m.name, f.id, f.seq
"""
DEFERRED = re.compile(r"\bINITIALLY\s+DEFERRED\b", re.IGNORECASE)


_REFUSALS = (
    (r"NOT NULL constraint failed: (?P<columns>.+)", "not null"),
    (r"UNIQUE constraint failed: index '(?P<constraint>.+)'", "unique"),
    (r"UNIQUE constraint failed: (?P<columns>.+)", "unique"),
    (r"PRIMARY KEY constraint failed", "unique"),
    (r"CHECK constraint failed: (?P<constraint>.+)", "check"),
    (r"FOREIGN KEY constraint failed", "reference"),
    (r"(datatype mismatch|cannot store \w+ value in \w+ column (?P<columns>.+))", "type"),
    (r"(database is locked|database table is locked|database schema is locked).*", "locked"),
    (r"attempt to write a readonly database.*", "read-only"),
    (r"unable to open database file.*", "away"),
    (r"file is not a database.*", "not a database"),
    (r"no such (table|column).*", "table gone"),
    (r"interrupted", "slow"),
    (r"(string or blob too big|too many SQL variables).*", "too big"),
)


def _pairs(connection: Connection, statement: str, **values: str) -> list[tuple[str, str]]:
    return [(str(table), str(name)) for table, name in connection.execute(text(statement), values)]


def _open(path: str) -> sqlite3.Connection:
    # mode=rw: a wrong path must never make a new, empty database.
    real, identity = checked_file(path)
    uri = "file:" + _quoted(real) + "?mode=rw"
    connection = sqlite3.connect(uri, uri=True, isolation_level=None, check_same_thread=False, cached_statements=256)
    try:
        still(real, identity)
    except (OSError, Problem):
        connection.close()
        raise
    connection.execute(f"PRAGMA busy_timeout = {WAIT_FOR_LOCK_MS}")
    connection.execute("PRAGMA foreign_keys = ON")
    connection.text_factory = _text
    sqlite_functions.give(connection)
    return connection


def _text(stored: bytes) -> str | bytes:
    """Text as stored; bytes where it is not UTF-8, so that it is shown as odd and not lost."""
    try:
        return stored.decode()
    except UnicodeDecodeError:
        return stored


def _identity(path: str) -> tuple[int, int] | None:
    """Which file is at a path."""
    try:
        status = os.stat(path)
    except (OSError, ValueError):
        return None
    return status.st_dev, status.st_ino


def _quoted(path: str) -> str:
    from urllib.parse import quote

    return quote(os.path.abspath(path))


@dataclass
class _Watcher:
    """A connection kept open to ask a file how often it changed. Whoever waits for it waits for that file only."""

    file: Hashable
    connection: sqlite3.Connection | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)

    def asked(self, path: str, pragma: str) -> Any:
        with self.lock:
            if self.connection is None:
                self.connection = _open(path)
                self.connection.execute(f"PRAGMA busy_timeout = {WATCH_MS}")
            return self.connection.execute(pragma).fetchone()[0]

    def close(self) -> None:
        with self.lock:
            if self.connection is not None:
                self.connection.close()
                self.connection = None


WATCH_MS = 50  # a file that is locked for longer counts as changed
MOST_WATCHED = 64
_watchers: OrderedDict[str, _Watcher] = OrderedDict()
_watch_lock = threading.Lock()


def _watch(path: str, pragma: str) -> Hashable:
    """A PRAGMA asked on a connection kept open for just that; also notices that the file was replaced."""
    try:
        file, old = _identity(path), []
        with _watch_lock:
            watcher = _watchers.get(path)
            if watcher is None or watcher.file != file:
                old += [watcher] if watcher else []
                watcher = _watchers[path] = _Watcher(file)
            _watchers.move_to_end(path)
            while len(_watchers) > MOST_WATCHED:
                old.append(_watchers.popitem(last=False)[1])
        for unused in old:
            unused.close()
        return (file, watcher.asked(path, pragma))
    except (OSError, sqlite3.Error, Problem):
        return None
