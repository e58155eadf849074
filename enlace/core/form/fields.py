"""Which fields of its source a control shows."""

from __future__ import annotations

from ..model.dataset import DatasetSpec
from .document import Control
from .kinds import CONTROL_KINDS

ON_CARDS = 5  # fields of a card that names none
WIDE = frozenset({"longtext", "binary", "picture"})  # kinds that a card shows only where they are named


def fields_of(control: Control, dataset: DatasetSpec) -> list[str]:
    """The names of the fields that a control shows, in order; of a list that is left empty, what stands for it."""
    kind = CONTROL_KINDS.get(control.kind)
    if kind is None:
        return []
    if kind.field:
        return [control.field] if control.field else []
    if not kind.lists:
        return []
    if named := kind.value(control.settings, kind.lists):
        return list(named)
    if kind.name == "cards":
        return [field.name for field in dataset.shown if field.kind not in WIDE][:ON_CARDS]
    return [field.name for field in dataset.shown]
