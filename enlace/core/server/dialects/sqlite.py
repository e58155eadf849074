"""SQLite: a database in one file."""

from __future__ import annotations

import datetime
import os
import re
import sqlite3
import threading
import time
from collections import Counter, OrderedDict
from collections.abc import Collection, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
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

from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..apart import Apart
from ..limits import STATEMENT_SECONDS
from ..places import checked_file, still
from ..refusal import Refusal
from . import sqlite_functions
from .base import Parameter
from .sqlite_catalog import SqliteCatalog
from .sqlite_sentences import SENTENCES

WAIT_FOR_LOCK_MS = 4_000


class Sqlite(SqliteCatalog):
    name = "sqlite"
    label = "SQLite file"
    parameters = (
        Parameter("path", "File", "The full path of the database file on the machine that runs Enlace.", required=True),
    )
    is_file = True
    has_password = False
    nulls_first = True
    loosely_typed = True
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

    @contextmanager
    def hurried(self, connection: Connection) -> Iterator[None]:
        driver: Any = connection.connection.driver_connection
        driver.execute("PRAGMA busy_timeout = 0")
        try:
            yield
        finally:
            driver.execute(f"PRAGMA busy_timeout = {WAIT_FOR_LOCK_MS}")

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

    def one_in(self, several: int) -> ColumnElement[bool]:
        return func.random() % several == 0

    def size_of(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        return type_coerce(func.length(column), Integer)

    def folded(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        return func.enlace_fold(cast(column, Text))

    def first_letter(self, sql: str) -> str:
        return f"UPPER(SUBSTR(enlace_fold({sql}), 1, 1))"

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
