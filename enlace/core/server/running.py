"""Which queries run, noted where every process of Enlace can see it: the request to stop one may come to another process.

Each is a small file in the folder `running` of Enlace's own: a number of a process of ours, or of a server's session.
"""

from __future__ import annotations

import hashlib
import json
import os
import signal
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from sqlalchemy import text

from ..model.connection import ConnectionSpec
from ..problem import Problem
from .engine import reading
from .places import policy

STOP_SECONDS = 2.0


def _note(run: str) -> Path:
    folder = (policy().home or Path(tempfile.gettempdir()) / f"enlace-{os.getuid()}") / "running"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder / hashlib.sha256(run.encode("utf-8", "replace")).hexdigest()[:32]


@contextmanager
def running(run: str, kind: str, number: int) -> Iterator[None]:
    """Note that a query runs under a name, in a session of a kind of server, or as a "process" of ours."""
    if not run:
        yield
        return
    note = _note(run)
    note.write_text(json.dumps([kind, number]))
    try:
        yield
    finally:
        note.unlink(missing_ok=True)


def stop(spec: ConnectionSpec, run: str) -> bool:
    """End a query that runs under a name; whether it still ran."""
    note, ran, until = _note(run), False, time.monotonic() + STOP_SECONDS
    while time.monotonic() < until:
        try:
            kind, number = json.loads(note.read_text())
        except (OSError, ValueError):
            return ran
        # What comes before the server has begun with the statement stops nothing: it is asked again.
        _end(spec, kind, int(number))
        ran = True
        time.sleep(0.05)
    return ran


def _end(spec: ConnectionSpec, kind: str, number: int) -> None:
    if kind == "process":
        with suppress(OSError):
            if b"sqlite_apart" in Path(f"/proc/{number}/cmdline").read_bytes():
                os.kill(number, signal.SIGKILL)
        return
    sql = "SELECT pg_cancel_backend(:number)" if kind == "postgresql" else f"KILL QUERY {number}"
    with suppress(Problem), reading(spec) as other:
        other.execute(text(sql), {"number": number} if kind == "postgresql" else {})
