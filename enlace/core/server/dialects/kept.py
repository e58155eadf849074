"""A kept copy: rows of a dataset in an SQLite file of Enlace's own, read while their server can't be reached.

Values come back as the server's driver gave them, so that what was read from the copy compares as if it had been read
from the server. What SQLite has no type for is kept as text (`packed`) in columns declared TYPE, and sorted by a
collation that compares the values themselves.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from sqlalchemy import create_engine, event
from sqlalchemy.engine import Engine
from sqlalchemy.pool import QueuePool

from ...model.values import packed, unpacked
from . import sqlite_functions
from .sqlite import Sqlite

TYPE = "kept_text"
COLLATION = "kept"


def to_text(value: Any) -> str | None:
    """A value as a column of TYPE holds it."""
    return None if value is None else json.dumps(packed(value), ensure_ascii=False, sort_keys=True)


def from_text(text: str) -> Any:
    """The value behind what `to_text` made; a text that it did not make is itself."""
    try:
        return unpacked(json.loads(text))
    except ValueError:
        return text


sqlite3.register_converter(TYPE, lambda stored: from_text(stored.decode()))


def compared(a: str, b: str) -> int:
    """How two kept texts compare: by their values where these have an order, else as texts."""
    first, second = from_text(a), from_text(b)
    try:
        return int(first > second) - int(first < second)
    except TypeError:
        return (a > b) - (a < b)


def open_kept(path: str, mode: str) -> sqlite3.Connection:
    """Open a kept copy. mode: as in SQLite's URIs, "ro" or "rwc"."""
    connection = sqlite3.connect(
        f"file:{quote(path)}?mode={mode}",
        uri=True,
        isolation_level=None,
        check_same_thread=False,
        detect_types=sqlite3.PARSE_DECLTYPES,
    )
    connection.create_collation(COLLATION, compared)
    sqlite_functions.give(connection)
    return connection


class Kept(Sqlite):
    name = "kept"
    label = "Kept copy"

    def make_engine(self, spec: Any) -> Engine:
        path = spec["path"]
        engine = create_engine(
            "sqlite+pysqlite://",
            creator=lambda: open_kept(path, "ro"),
            poolclass=QueuePool,
            pool_size=4,
            max_overflow=8,
        )

        @event.listens_for(engine, "begin")
        def begin(connection: Any) -> None:
            connection.exec_driver_sql(connection.info.pop("begin_with", "BEGIN"))

        @event.listens_for(engine, "before_cursor_execute", retval=True)
        def bind(connection: Any, cursor: Any, sql: str, parameters: Any, context: Any, many: bool) -> tuple[str, Any]:
            return sql, [_bound(parameter) for parameter in parameters] if many else _bound(parameters)

        return engine


def _bound(parameters: Sequence[Any]) -> tuple[Any, ...]:
    native = (str, int, float, bytes, type(None))
    return tuple(v if type(v) in native else to_text(v) for v in parameters)
