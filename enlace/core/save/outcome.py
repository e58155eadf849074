"""What a save came to, record by record."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..draft.pending import Conflict
from ..rules.record import Complaint
from .consequences import Consequences


@dataclass(frozen=True)
class SavePolicy:
    """What becomes of a save when some of its records can't be saved.

    whole: nothing is saved then. Otherwise what can be saved is, up to `most_failures` records that can't (None:
    whatever their number); those after that are not tried.
    """

    whole: bool = True
    most_failures: int | None = None


@dataclass
class SaveOutcome:
    """What a save came to for one dataset.

    committed: whether the transaction was committed; nothing was written otherwise. ids: for each saved
    record the id it has now ("" when it was removed). conflicts: records that somebody else changed.
    refusals: records that the server refused, with its reasons in sentences. not_tried: records that were left out,
    with the reason. rows: by its id in the draft, each record as it stands after the save where the server made or
    changed values of it; after a rehearsal, each record as it would stand. consequences: what the database did beside,
    of the whole save, in the outcome of its first dataset.
    """

    committed: bool = False
    ids: dict[str, str] = field(default_factory=dict)
    conflicts: dict[str, Conflict] = field(default_factory=dict)
    refusals: dict[str, list[Complaint]] = field(default_factory=dict)
    not_tried: dict[str, str] = field(default_factory=dict)
    rows: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    consequences: Consequences = field(default_factory=Consequences)

    @property
    def failed(self) -> bool:
        """Whether any record was not saved."""
        return bool(self.conflicts or self.refusals or self.not_tried)
