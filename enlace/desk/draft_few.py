"""The records of a small draft: read once for all that one request asks of them, rather than some of them several times."""

from __future__ import annotations

from .models import Draft, DraftRecord

MOST = 50
MOST_BYTES = 200_000  # of their texts


class FewRecords:
    """What stores of one draft share while nothing is written: a request has several, some made before it writes."""

    writes = 0  # of this process

    def __init__(self) -> None:
        self._rows: list[DraftRecord] | None = None
        self._read_at = -1

    @classmethod
    def forget(cls) -> None:
        """Somebody writes, or may have written: what anybody has read is read again."""
        cls.writes += 1

    def of(self, draft: Draft | None) -> list[DraftRecord] | None:
        """All records of a draft in the order in which they came; None where there may be more than a few."""
        if draft is None:
            return []
        counts = draft.counts
        if counts.get("all", 0) > MOST or counts.get("bytes", 0) > MOST_BYTES or counts.get("bundled"):
            return None
        if self._rows is None or self._read_at != self.writes:
            self._read_at = self.writes
            self._rows = list(draft.records.all())
        return self._rows
