"""Which fields of its source a control shows."""

from __future__ import annotations

from ..dataset.inference.telling import naming_field, readable_text
from ..model.dataset import DatasetSpec
from .columns import columns_of
from .document import Control
from .kinds import CONTROL_KINDS

FIRST = {"cards": 5, "branches": 6, "list": 1}  # fields of one that names none
WIDE = frozenset(
    {"longtext", "binary", "picture"}
)  # kinds whose values are too wide for a row: shown only where they are named


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
        return [column.field for column in columns_of(named)]
    if kind.name in FIRST:
        narrow = [field for field in dataset.shown if field.kind not in WIDE]
        if kind.name == "list":
            # A key made for machines tells nobody which record it is.
            named = naming_field(narrow)
            narrow.sort(key=lambda field: (field.name != named, not readable_text(field) and field.lookup is None))
        return [field.name for field in narrow][: FIRST[kind.name]]
    return [field.name for field in dataset.shown]
