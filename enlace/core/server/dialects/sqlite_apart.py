"""An SQLite file for a builder's queries, read in a process of its own, which can be killed: `python sqlite_apart.py`.

A single step of a statement may run for minutes and take gigabytes, and SQLite looks neither at a limit nor at a request
to stop before the step has ended. Here the process has limits of its own, and whoever asked ends it.

What is asked comes on standard input, what is found goes to standard output, as `marshal` writes them: first where the file
is; then (SQL, values, most) for each statement, answered by the columns' names (None for a statement without any), by lists of
rows, and by None; or by a text, what went wrong. Imports nothing but what is needed.
"""

import marshal
import resource
import sqlite3
import sys
from typing import Any

BATCH = 500
MEMORY = 1 << 30  # bytes of address space


def _text(stored: bytes) -> str | bytes:
    try:
        return stored.decode()
    except UnicodeDecodeError:
        return stored


def main() -> None:
    """Answer until nobody asks any more."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (MEMORY, MEMORY))
    asked, out = sys.stdin.buffer, sys.stdout.buffer
    place = marshal.load(asked)
    connection = None
    while True:
        try:
            sql, values, most = marshal.load(asked)
        except EOFError:
            return
        try:
            connection = connection or _opened(place)
            _answer(connection, sql, values, most, out)
        except MemoryError:
            marshal.dump("out of memory", out)
        except (sqlite3.Error, OverflowError, ValueError) as error:
            marshal.dump(str(error), out)
        out.flush()


def _opened(place: dict) -> sqlite3.Connection:
    import sqlite_functions

    connection = sqlite3.connect(place["uri"], uri=True, isolation_level=None)
    connection.execute(f"PRAGMA busy_timeout = {place['wait']}")
    connection.execute("PRAGMA query_only = ON")
    connection.text_factory = _text
    sqlite_functions.give(connection)
    return connection


def _answer(connection: sqlite3.Connection, sql: str, values: tuple, most: int, out: Any) -> None:
    cursor = connection.execute(sql, values)
    marshal.dump([column[0] for column in cursor.description] if cursor.description else None, out)
    while most > 0 and (rows := cursor.fetchmany(min(BATCH, most))):
        marshal.dump(rows, out)
        out.flush()
        most -= len(rows)
    cursor.close()
    marshal.dump(None, out)


if __name__ == "__main__":
    main()
