"""The harbour's database on a server: its schema in the server's own SQL, and the rows of the SQLite file."""

from __future__ import annotations

import datetime
import re
import sqlite3
from collections.abc import Iterable, Iterator
from itertools import islice
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent
MANY = 2_000


def statements(server: str) -> list[str]:
    """The statements of a server's schema."""
    text = (FOLDER / f"schema-{server}.sql").read_text()
    text = re.sub(r"^--.*$", "", text, flags=re.M)
    # A function's body has semicolons of its own: only those at the end of a line outside of $$ … $$ end a statement.
    parts = re.split(r"(\$\$.*?\$\$)", text, flags=re.S)
    marked = "".join(p if i % 2 else re.sub(r";\s*$", ";\0", p, flags=re.M) for i, p in enumerate(parts))
    return [text.strip().rstrip(";") for text in marked.split("\0") if text.strip()]


def carry(path: Path, server: str, connection: Any) -> None:
    """Make the schema on a server and copy the rows. connection: the driver's own, without autocommit."""
    cursor = connection.cursor()
    for statement in statements(server):
        cursor.execute(statement)
    with sqlite3.connect(path) as source:
        for table in _tables(source):
            _copy(source, table, server, cursor)
    connection.commit()


def _tables(source: sqlite3.Connection) -> list[str]:
    """In the order in which they were made: masters before details."""
    rows = source.execute(
        "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%' ORDER BY rowid"
    )
    return [row[0] for row in rows]


def _copy(source: sqlite3.Connection, table: str, server: str, cursor: Any) -> None:
    quote = "`" if server == "mariadb" else '"'
    kinds = {row[1]: row[2].upper() for row in source.execute(f'PRAGMA table_info("{table}")')}
    names = ", ".join(f"{quote}{name}{quote}" for name in kinds)
    marks = ", ".join(["%s"] * len(kinds))
    rows = _rows(source.execute(f'SELECT * FROM "{table}" ORDER BY 1'), list(kinds.values()))
    into = f"INSERT INTO {quote}{table}{quote} ({names}) VALUES ({marks})"
    while several := list(islice(rows, MANY)):
        cursor.executemany(into, several)
    if server == "postgresql":
        for name, kind in kinds.items():
            if kind == "INTEGER" and _numbered(cursor, table, name):
                sequence = f"pg_get_serial_sequence('{quote}{table}{quote}', '{name}')"
                cursor.execute(f'SELECT setval({sequence}, max("{name}")) FROM "{table}"')


def _numbered(cursor: Any, table: str, name: str) -> bool:
    asked = (
        "SELECT 1 FROM information_schema.columns WHERE table_name = %s AND column_name = %s AND is_identity = 'YES'"
    )
    return cursor.execute(asked, (table, name)).fetchone() is not None


def _rows(rows: Iterable[tuple], kinds: list[str]) -> Iterator[tuple]:
    for row in rows:
        yield tuple(_value(value, kind) for value, kind in zip(row, kinds, strict=True))


def _value(value: Any, kind: str) -> Any:
    if value is None:
        return None
    if kind == "BOOLEAN":
        return bool(value)
    if kind == "TIMESTAMP":
        return datetime.datetime.fromisoformat(value)
    return value
