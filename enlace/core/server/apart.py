"""Queries on SQLite files, run in a process of their own (`dialects.sqlite_apart`) that is ended when its time is up."""

from __future__ import annotations

import marshal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import TextClause
from sqlalchemy.dialects.sqlite import dialect as sqlite_dialect

from ..problem import Problem
from .dialects import server_kind
from .dialects.base import STATEMENT_SECONDS
from .dialects.sqlite import WAIT_FOR_LOCK_MS
from .engine import ConnectionSpec
from .places import checked_file

PROGRAM = Path(__file__).parent / "dialects" / "sqlite_apart.py"
MOST_AT_ONCE = 4  # processes of this one
_places = threading.BoundedSemaphore(MOST_AT_ONCE)


@contextmanager
def asked_apart(
    spec: ConnectionSpec, statement: TextClause, most: int, begun: Callable[[int], None] = lambda pid: None
) -> Iterator[tuple[list[str], Iterator[list[tuple[Any, ...]]]]]:
    """The columns' names and the rows of a statement, in lists. begun: hears the process's number.

    Raises Problem; "slow" when it took longer than STATEMENT_SECONDS, or was ended from outside.
    """
    if not _places.acquire(timeout=STATEMENT_SECONDS):
        raise Problem("Too many queries run at once.", "Try again when one of them has ended.", code="slow")
    try:
        compiled = statement.compile(dialect=sqlite_dialect())
        kind = server_kind(spec.kind)
        values = {name: kind.bound(value) for name, value in compiled.construct_params().items()}
        order = [values[name] for name in compiled.positiontup or ()]
        real, _ = checked_file(spec["path"])
        asked = {"uri": f"file:{quote(real)}?mode=ro", "sql": str(compiled), "values": order, "most": most}
        process = subprocess.Popen(
            [sys.executable, "-E", "-s", str(PROGRAM)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, close_fds=True,
        )  # fmt: skip
        timer = threading.Timer(STATEMENT_SECONDS, process.kill)
        timer.start()
        try:
            begun(process.pid)
            assert process.stdin is not None
            with process.stdin as file:
                marshal.dump({**asked, "wait": WAIT_FOR_LOCK_MS}, file)
            yield _told(spec, process), _batches(spec, process)
        finally:
            timer.cancel()
            process.kill()
            process.wait()
            if process.stdout:
                process.stdout.close()
    finally:
        _places.release()


def _told(spec: ConnectionSpec, process: subprocess.Popen[bytes]) -> Any:
    """The next thing that the process says. Raises Problem."""
    assert process.stdout is not None
    try:
        found = marshal.load(process.stdout)
    except (EOFError, ValueError, TypeError):
        what = "The query was stopped: it took too long, needed too much memory, or somebody stopped it."
        raise Problem(what, "Ask for less, or narrow it.", code="slow") from None
    if isinstance(found, str):
        if found == "out of memory" or "out of memory" in found:
            raise Problem("The query needs too much memory.", "Ask for less.", code="slow")
        kind = server_kind(spec.kind)
        refusal = kind.refusal(ValueError(found))
        what, hint = kind.sentence(refusal)
        raise Problem(what, hint, found, refusal.code)
    return found


def _batches(spec: ConnectionSpec, process: subprocess.Popen[bytes]) -> Iterator[list[tuple[Any, ...]]]:
    while (rows := _told(spec, process)) is not None:
        yield rows


def rows_of(batches: Iterator[list[tuple[Any, ...]]]) -> Iterator[tuple[Any, ...]]:
    """The rows of such lists, one by one."""
    for several in batches:
        yield from several
