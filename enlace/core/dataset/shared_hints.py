"""What one process has found out about a large table, for the others: where rows stood, and how many there were.

Files in a folder of Enlace's own, which hold values of the rows and are for nobody else to read. They are hints: whoever
takes one finds out in the background how things stand now.
"""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
import time
from collections.abc import Hashable
from pathlib import Path
from typing import Any

from ..model.values import packed, unpacked

MOST_FILES = 64
KEPT_SECONDS = 30 * 24 * 3600
END = ".hints"

_folder: Path | None = None


def share_in(folder: Path | None) -> None:
    """Say where processes share what they found out; None for nowhere, as it is without this."""
    global _folder
    _folder = folder


def keep(key: tuple[Any, Hashable, Any], count: int | None, step: int, anchors: list[tuple[Any, ...]] | None) -> None:
    """Keep what was found out, in place of what was known before; where that can't be written, nobody misses it."""
    if (path := _path(key)) is None:
        return
    told = {
        "count": count,
        "step": step,
        "anchors": None if anchors is None else [list(map(packed, place)) for place in anchors],
    }
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        number, name = tempfile.mkstemp(dir=path.parent, suffix=".part")  # for its owner alone
        with os.fdopen(number, "w") as file:
            json.dump(told, file)
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
        told = json.loads(path.read_text())
        anchors = told["anchors"]
        places = None if anchors is None else [tuple(unpacked(v) for v in place) for place in anchors]
        return told["count"], int(told["step"]), places
    except (OSError, ValueError, KeyError, TypeError):
        return None


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
