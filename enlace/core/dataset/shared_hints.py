"""What one process has found out about a large table, for the others: where rows stood, and how many there were.

Files in a folder of Enlace's own, which hold values of the rows and are for nobody else to read. They are hints: whoever
takes one finds out in the background how things stand now.
"""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import tempfile
import time
from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from ..model.values import packed, unpacked

MOST_FILES = 64
KEPT_SECONDS = 30 * 24 * 3600
END, READING = ".hints", ".reading"

_folder: Path | None = None


def share_in(folder: Path | None) -> None:
    """Say where processes share what they found out; None for nowhere, as it is without this."""
    global _folder
    _folder = folder


def keep(key: tuple[Any, Hashable, Any], count: int | None, step: int, anchors: list[tuple[Any, ...]] | None) -> None:
    """Keep what was found out, in place of what was known before; where that can't be written, nobody misses it."""
    if (path := _path(key)) is None:
        return
    found = {
        "count": count,
        "step": step,
        "anchors": None if anchors is None else [list(map(packed, place)) for place in anchors],
    }
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        number, name = tempfile.mkstemp(dir=path.parent, suffix=".part")  # for its owner alone
        with os.fdopen(number, "w") as file:
            json.dump(found, file)
        os.replace(name, path)
        _tidy(path.parent)
    except (OSError, TypeError, ValueError):
        return


def drop(key: tuple[Any, Hashable, Any]) -> None:
    """Keep nothing of a table that is not large, or not any more."""
    if (path := _path(key)) is not None:
        path.unlink(missing_ok=True)


def known(key: tuple[Any, Hashable, Any]) -> tuple[int | None, int, list[tuple[Any, ...]] | None] | None:
    """What another process has kept: (count, step, anchors); None for nothing, or nothing that can be read."""
    path = _path(key)
    try:
        if path is None or time.time() - path.stat().st_mtime > KEPT_SECONDS:
            return None
        found = json.loads(path.read_text())
        anchors = found["anchors"]
        places = None if anchors is None else [tuple(unpacked(v) for v in place) for place in anchors]
        return found["count"], int(found["step"]), places
    except (OSError, ValueError, KeyError, TypeError):
        return None


@contextmanager
def alone(key: tuple[Any, Hashable, Any]) -> Iterator[bool]:
    """Find something out, unless another process does just now; whether none does. It ends with the process that began it."""
    path = _path(key)
    try:
        number = None if path is None else _locked(path.with_suffix(READING))
    except BlockingIOError:
        yield False
        return
    except OSError:
        number = None  # nothing can be shared
    try:
        yield True
    finally:
        if path is not None and number is not None:
            path.with_suffix(READING).unlink(missing_ok=True)
            os.close(number)


def _locked(path: Path) -> int:
    """The number of a file that this process alone has; it has it no more once that is closed, or the process is gone."""
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    number = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(number, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(number)
        raise
    return number


def tell(key: tuple[Any, Hashable, Any], done: int) -> None:
    """Say how far it has come: in rows."""
    try:
        path = _path(key)
        if path is not None and (place := path.with_suffix(READING)).exists():
            place.write_text(str(done))
    except OSError:
        return


def told(key: tuple[Any, Hashable, Any]) -> int:
    """How far another process says that it has come."""
    try:
        path = _path(key)
        return 0 if path is None else int(path.with_suffix(READING).read_text() or 0)
    except (OSError, ValueError):
        return 0


def _path(key: tuple[Any, Hashable, Any]) -> Path | None:
    spec, what, order = key
    said = repr((spec.kind, spec.parameters, what, order))
    # What is told apart by being another object is nothing that another process knows.
    if _folder is None or " object at 0x" in said:
        return None
    return _folder / (hashlib.sha256(said.encode("utf-8", "surrogatepass")).hexdigest() + END)


def _tidy(folder: Path) -> None:
    """The oldest files go."""
    several = sorted(folder.glob(f"*{END}"), key=lambda path: path.stat().st_mtime)
    for path in several[:-MOST_FILES]:
        path.unlink(missing_ok=True)
