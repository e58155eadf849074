"""What is found of anchors while they are being read."""

from __future__ import annotations

import threading
from collections.abc import Hashable
from dataclasses import dataclass, field
from typing import Any


@dataclass
class Part:
    """The anchors of the rows that were gone through so far. last: a place; by an index that of the last of these, range by
    range that at which the next ones begin. stamp: of the state that they are of; None where they are of several, or nobody
    can tell. whole: all rows were gone through. ahead: where further ranges end, once that is known. finer: how much smaller
    than usual they are."""

    step: int
    stamp: Hashable = None
    anchors: list[tuple[Any, ...]] = field(default_factory=list)
    rows: int = 0
    last: tuple[Any, ...] | None = None
    whole: bool = False
    ahead: list[tuple[Any, ...]] | None = None
    finer: int = 1
    lock: threading.Lock = field(default_factory=threading.Lock)
