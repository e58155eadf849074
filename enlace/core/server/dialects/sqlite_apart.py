"""One SQLite query in a process of its own, which can be killed: `python sqlite_apart.py`.

A single step of a statement may run for minutes and take gigabytes, and SQLite looks neither at a limit nor at a request
to stop before the step has ended. Here the process has limits of its own, and whoever asked ends it.

What is asked comes on standard input, what is found goes to standard output, both as `marshal` writes them: first the
columns' names, then lists of rows, at last None; or a text, what went wrong. Imports nothing but what is needed.
"""

import marshal
import resource
import sqlite3
import sys

BATCH = 500
MEMORY = 1 << 30  # bytes of address space
SECONDS = 60  # of computing


def _text(stored: bytes) -> str | bytes:
    try:
        return stored.decode()
    except UnicodeDecodeError:
        return stored


def main() -> None:
    """Answer one question."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (MEMORY, MEMORY))
    asked, out = marshal.load(sys.stdin.buffer), sys.stdout.buffer
    try:
        import sqlite_functions

        connection = sqlite3.connect(asked["uri"], uri=True, isolation_level=None)
        connection.execute(f"PRAGMA busy_timeout = {asked['wait']}")
        connection.execute("PRAGMA query_only = ON")
        connection.text_factory = _text
        sqlite_functions.give(connection)
        found = connection.execute(asked["sql"], asked["values"])
        marshal.dump([column[0] for column in found.description or ()], out)
        left = asked["most"]
        while left > 0 and (rows := found.fetchmany(min(BATCH, left))):
            marshal.dump(rows, out)
            out.flush()
            left -= len(rows)
        marshal.dump(None, out)
    except MemoryError:
        marshal.dump("out of memory", out)
    except (sqlite3.Error, OverflowError, ValueError) as error:
        marshal.dump(str(error), out)
    out.flush()


if __name__ == "__main__":
    main()
