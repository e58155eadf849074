"""One record as a person sees it at the desk, and short digests by which a page tells whether it still shows what is stored."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from enlace.core.draft import PendingRecord
from enlace.core.rules import Complaint


def digest_of(value: Any) -> str:
    """A short digest of a stored value, to tell whether it is still what a page shows."""
    # With its type: the number 1 and the text “1” look alike on a page and are not the same to a save.
    text = value if isinstance(value, bytes) else f"{type(value).__name__}:{value}".encode("utf-8", "surrogatepass")
    return hashlib.blake2b(text, digest_size=8).hexdigest()


def record_digest(stored: Mapping[str, Any] | None) -> str:
    """A short digest of a whole record as stored; "" for one that is not there."""
    if stored is None:
        return ""
    return hashlib.blake2b("".join(map(digest_of, stored.values())).encode(), digest_size=8).hexdigest()


@dataclass(frozen=True)
class RecordView:
    """One record as a person sees it: what the server has (None when it has none), what is pending, what is wrong."""

    id: str
    position: int | None
    stored: Mapping[str, Any] | None
    pending: PendingRecord | None
    complaints: tuple[Complaint, ...] = ()
    calculated: Mapping[str, Any] = field(default_factory=dict)
    locked: frozenset[str] = frozenset()

    @property
    def state(self) -> str:
        """ "", "edited", "new", "removed" or "conflict"."""
        if self.pending is None:
            return ""
        return "conflict" if self.pending.conflict else self.pending.state

    def moved_to(self, position: int | None) -> RecordView:
        """The same record, at a position."""
        return replace(self, position=position)

    @property
    def values(self) -> dict[str, Any]:
        """All saved fields as wanted."""
        return {**(self.stored or {}), **(self.pending.values(self.stored) if self.pending else {})}

    def value(self, name: str) -> Any:
        """A field's stored value, or the one that is wanted in its place; a calculated field's."""
        # Before what is stored: a calculated field has the name of no column, but a row may hold what the server
        # computed before the edit.
        if name in self.calculated:
            return self.calculated[name]
        if self.pending and name in self.pending.now:
            return self.pending.now[name]
        if self.stored is not None:
            return self.stored.get(name)
        return self.pending.was.get(name) if self.pending else None
