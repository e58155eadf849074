"""Columns that a table lacks by now: forms go on without them for a while, and no definition is changed by that.

Noted in this process when a statement met it, by the dataset's revision, and looked at anew after KEPT seconds: a column
that comes back is there again. What becomes of the fields a builder decides, on the dataset's page.
"""

from __future__ import annotations

import threading
import time

KEPT = 30.0  # seconds
MOST = 1_000  # datasets

_noted: dict[int, tuple[int, frozenset[str], float]] = {}
_lock = threading.Lock()


def lacking(dataset: int, revision: int) -> frozenset[str]:
    """The columns that a dataset's table is known to lack just now."""
    noted = _noted.get(dataset)
    if noted is None or noted[0] != revision or noted[2] < time.monotonic():
        return frozenset()
    return noted[1]


def note_lacking(dataset: int, revision: int, names: frozenset[str]) -> bool:
    """Note which columns a dataset's table lacks; whether that was not known."""
    news = names != lacking(dataset, revision)
    with _lock:
        _noted.pop(dataset, None)
        if names:
            _noted[dataset] = (revision, names, time.monotonic() + KEPT)
        while len(_noted) > MOST:
            del _noted[next(iter(_noted))]
    return news
