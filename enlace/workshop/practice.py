"""Practice copies: the same database file, copied, to try things on. Made, refreshed, compared, thrown away."""

from __future__ import annotations

import contextlib
import datetime
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote

from django.conf import settings
from sqlalchemy.dialects.sqlite import dialect as sqlite_dialect

from enlace.core.problem import Problem
from enlace.core.server.places import checked_file

PAGES = 2000  # copied at a time, so that others can write in between


def path_of(connection: Any) -> Path:
    """Where the practice copy of a connection is, whether it is there or not."""
    return settings.HOME / "practice" / f"{connection.pk}.sqlite3"


def made_at(connection: Any) -> datetime.datetime | None:
    """When the copy was made or refreshed; None when there is none."""
    stamp = _stamp(connection)
    return datetime.datetime.fromtimestamp(stamp.stat().st_mtime, datetime.UTC) if stamp.exists() else None


def _stamp(connection: Any) -> Path:
    return path_of(connection).with_suffix(".made")


def refresh(connection: Any) -> None:
    """Copy the live file anew; what was done in the copy is gone. Raises Problem."""
    target = path_of(connection)
    target.parent.mkdir(mode=0o700, exist_ok=True)
    # Beside the copy and then in its place: a copy that breaks off half way leaves the former one.
    fresh = target.with_suffix(".new")
    live = connection.parameters.get("path", "")
    try:
        fresh.unlink(missing_ok=True)
        with (
            contextlib.closing(sqlite3.connect(f"file:{quote(checked_file(live)[0])}?mode=ro", uri=True)) as source,
            contextlib.closing(sqlite3.connect(fresh)) as copy,
        ):
            # SQLite’s own backup reads a consistent state while others write; copying the file would tear it.
            source.backup(copy, pages=PAGES)
        for end in ("-wal", "-shm", "-journal"):
            Path(f"{target}{end}").unlink(missing_ok=True)
        fresh.replace(target)
    except (sqlite3.Error, OSError) as error:
        fresh.unlink(missing_ok=True)
        raise Problem("The copy could not be made.", "Test the connection first.", str(error), "missing") from error
    _stamp(connection).touch()


def throw_away(connection: Any) -> None:
    """Remove the copy."""
    target = path_of(connection)
    for path in (target, _stamp(connection), *(Path(f"{target}{end}") for end in ("-wal", "-shm", "-journal"))):
        path.unlink(missing_ok=True)


@dataclass(frozen=True)
class Difference:
    """How one table differs: rows that only one side has, rows under the same key that are not the same."""

    table: str
    only_live: int
    only_copy: int
    changed: int


def compare(connection: Any) -> list[Difference]:
    """The tables in which the copy is not what the live file is now. Raises Problem."""
    live, copy = connection.parameters.get("path", ""), path_of(connection)
    try:
        live = checked_file(live)[0]
        with contextlib.closing(sqlite3.connect(f"file:{quote(live)}?mode=ro", uri=True)) as db:
            # Texts are compared as they are stored; what is no UTF-8 would else be an error.
            db.text_factory = bytes
            db.execute("ATTACH DATABASE ? AS copy", (f"file:{quote(str(copy))}?mode=ro",))
            return [difference for name in _tables(db) if (difference := _difference(db, name))]
    except sqlite3.Error as error:
        raise Problem("The two files could not be compared.", "Refresh the copy.", str(error), "missing") from error


def _tables(db: sqlite3.Connection) -> list[str]:
    name = "SELECT name FROM {}.sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'"
    return sorted(row[0].decode() for row in db.execute(f"{name.format('main')} INTERSECT {name.format('copy')}"))


def _difference(db: sqlite3.Connection, table: str) -> Difference | None:
    quote = sqlite_dialect().identifier_preparer.quote_identifier
    name = quote(table)
    columns = db.execute("SELECT name, pk FROM pragma_table_info(?) ORDER BY pk", (table,)).fetchall()
    # Without a key all columns together tell rows apart; one that changed is then one gone and one new.
    key = ", ".join(quote(c[0].decode()) for c in columns if c[1]) or "*"

    def count(here: str, there: str, what: str) -> int:
        rows = f"SELECT {what} FROM {here}.{name} EXCEPT SELECT {what} FROM {there}.{name}"  # noqa: S608 (all quoted)
        return db.execute(f"SELECT count(*) FROM ({rows})").fetchone()[0]  # noqa: S608

    only_live, only_copy = count("main", "copy", key), count("copy", "main", key)
    # Rows that differ in anything, less those whose key is not there at all: what is left has the key and other values.
    changed = count("copy", "main", "*") - only_copy
    return Difference(table, only_live, only_copy, changed) if only_live or only_copy or changed else None
