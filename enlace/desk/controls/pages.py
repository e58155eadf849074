"""Which records a control shows that has room for some at a time: the page of them in which the current one is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.window import Row

from .base import Drawing, texts_of

Lines = list[tuple[Row, list[tuple[FieldSpec, str]]]]


@dataclass(frozen=True)
class RecordPage:
    """Records from a position on. total: of all, None while it is not known. more: whether others come behind."""

    start: int
    lines: Lines
    size: int
    total: int | None
    more: bool

    @property
    def earlier(self) -> int | None:
        """Where the page before begins; None for the first."""
        return max(0, self.start - self.size) if self.start else None

    @property
    def later(self) -> int | None:
        return self.start + self.size if self.more else None

    @property
    def words(self) -> str:
        """Which records these are; "" where they are all."""
        if self.earlier is None and self.later is None:
            return ""
        first, last = self.start + 1, self.start + len(self.lines)
        of = "" if self.total is None else f" of {self.total:,}"
        return (f"{first:,}" if first == last else f"{first:,} to {last:,}") + of


def page_of(drawing: Drawing, names: Sequence[str], size: int) -> RecordPage:
    """The page of some records at a time that holds the current one, with what some fields show."""
    work = drawing.work
    position = (drawing.view.position if drawing.view is not None else None) or 0
    start = max(0, position) // size * size
    lines = texts_of(drawing, names, size + 1, start)
    more, count = len(lines) > size, work.rows.known_count()
    # Behind the last page there is nothing to count.
    total = start + len(lines) if not more else None if count is None else count + work.new_count
    return RecordPage(start, lines[:size], size, total, more)
