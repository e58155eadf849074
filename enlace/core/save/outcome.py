"""What a save came to, record by record."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..draft.pending import Conflict
from ..rules.record import Complaint


@dataclass
class SaveOutcome:
    """What a save came to.

    committed: whether the transaction was committed; nothing was written otherwise. ids: for each saved
    record the id it has now ("" when it was removed). conflicts: records that somebody else changed.
    refusals: records that the server refused, with its reasons in sentences. rows: after a rehearsal, each record
    as it would stand, by its id in the draft.
    """

    committed: bool = False
    ids: dict[str, str] = field(default_factory=dict)
    conflicts: dict[str, Conflict] = field(default_factory=dict)
    refusals: dict[str, list[Complaint]] = field(default_factory=dict)

    rows: dict[str, Mapping[str, Any]] = field(default_factory=dict)

    @property
    def counts(self) -> Mapping[str, int]:
        return {"saved": len(self.ids), "conflicts": len(self.conflicts), "refused": len(self.refusals)}
