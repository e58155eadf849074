"""SQLite files for builders' queries, each read in a process of its own (`dialects.sqlite_apart`) that is ended when its time
is up. `Apart` is such a process as the driver's connections are, so that SQLAlchemy reads through it."""

from __future__ import annotations

import marshal
import sqlite3
import subprocess
import sys
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote

from .limits import STATEMENT_SECONDS
from .places import checked_file

PROGRAM = Path(__file__).parent / "dialects" / "sqlite_apart.py"
STOPPED = "interrupted: it took too long, needed too much memory, or somebody stopped it"


class Apart:
    """A connection to a file, for reading only, in a process of its own."""

    isolation_level = None
    text_factory = str
    total_changes = 0

    def __init__(self, path: str, wait: int) -> None:
        real, _ = checked_file(path)
        self.process = subprocess.Popen(
            [sys.executable, "-E", "-s", str(PROGRAM)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, close_fds=True,
        )  # fmt: skip
        self.dead = self.in_transaction = False
        self._say({"uri": f"file:{quote(real)}?mode=ro", "wait": wait})

    # -- what the driver's connections have --------------------------------------------------------------

    def cursor(self, *_: Any) -> ApartCursor:
        return ApartCursor(self)

    def execute(self, sql: str, values: Sequence[Any] = ()) -> ApartCursor:
        return self.cursor().execute(sql, values)

    def commit(self) -> None:
        self._end("COMMIT")

    def rollback(self) -> None:
        self._end("ROLLBACK")

    def _end(self, how: str) -> None:
        if self.in_transaction and not self.dead:
            self.execute(how)
        self.in_transaction = False

    def close(self) -> None:
        self.dead = True
        self.process.kill()
        self.process.wait()
        for stream in (self.process.stdin, self.process.stdout):
            if stream:
                try:
                    stream.close()
                except OSError:
                    continue

    interrupt = close

    def create_function(self, *_: Any, **__: Any) -> None:
        """It has its functions already."""

    set_progress_handler = create_collation = create_function

    # -- how ---------------------------------------------------------------------------------------------

    def ask(self, sql: str, values: Sequence[Any], most: int) -> Iterator[Any]:
        """The columns' names, then lists of rows. Raises sqlite3.Error; the process is ended when it takes too long."""
        if self.dead:
            raise sqlite3.ProgrammingError("Cannot operate on a closed database.")
        timer = threading.Timer(STATEMENT_SECONDS, self.close)
        timer.start()
        ended = False
        try:
            self._say((sql, tuple(values), most))
            yield self._heard()
            while (rows := self._heard()) is not None:
                yield rows
            ended = True
        finally:
            timer.cancel()
            if not ended:
                self.close()  # what it still says belongs to nobody

    def _say(self, what: Any) -> None:
        assert self.process.stdin is not None
        try:
            marshal.dump(what, self.process.stdin)
            self.process.stdin.flush()
        except (OSError, ValueError):
            self.dead = True
            raise sqlite3.OperationalError(STOPPED) from None

    def _heard(self) -> Any:
        assert self.process.stdout is not None
        try:
            answer = marshal.load(self.process.stdout)
        except (EOFError, ValueError, TypeError, OSError):
            self.dead = True
            raise sqlite3.OperationalError(STOPPED) from None
        if isinstance(answer, str):
            raise sqlite3.OperationalError(STOPPED if "out of memory" in answer else answer)
        return answer


class ApartCursor:
    """What a statement gave, as the driver's cursors have it."""

    arraysize = 100
    rowcount = -1
    lastrowid = None

    def __init__(self, connection: Apart) -> None:
        self.connection = connection
        self.description: list[tuple[Any, ...]] | None = None
        self.rows: Iterator[tuple[Any, ...]] = iter(())

    def execute(self, sql: str, values: Sequence[Any] = ()) -> ApartCursor:
        heard = self.connection.ask(sql, values, sys.maxsize)
        try:
            names = next(heard)
            several = [row for rows in heard for row in rows]
        except sqlite3.OperationalError as error:
            if not str(error).startswith("interrupted"):
                self.connection.dead = True  # the rest of its answer was not heard
            raise
        word = sql.lstrip()[:8].upper()
        if word.startswith("BEGIN"):
            self.connection.in_transaction = True
        elif word.startswith(("COMMIT", "ROLLBACK")):
            self.connection.in_transaction = False
        self.description = None if names is None else [(name, None, None, None, None, None, None) for name in names]
        self.rows = iter(several)
        return self

    def fetchone(self) -> tuple[Any, ...] | None:
        return next(self.rows, None)

    def fetchmany(self, size: int | None = None) -> list[tuple[Any, ...]]:
        return [row for _, row in zip(range(size or self.arraysize), self.rows)]  # noqa: B905 (the shorter one ends it)

    def fetchall(self) -> list[tuple[Any, ...]]:
        return list(self.rows)

    def close(self) -> None:
        self.rows = iter(())

    def __iter__(self) -> Iterator[tuple[Any, ...]]:
        return self.rows
