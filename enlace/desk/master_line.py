"""What the list of masters is to show of the one that a detail belongs to, before that one is saved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from enlace.core.dataset import DatasetSpec, FieldSpec

from .reader import Reader


def line_of_master(
    work: Reader, dataset: DatasetSpec, field: FieldSpec, record: Mapping[str, Any]
) -> Sequence[Any] | None:
    """The values that a field's list shows, of the pending master of a part, where a record names that one; else None.

    A new master has no line in the list yet, and an edited key not this one: the record beside it is no odd one for that.
    """
    lookup, part = field.lookup, work.part
    if lookup is None or not (part.columns and work.master) or dataset is not work.dataset:
        return None
    above = work.for_part(part.of)
    linked = dict(zip(part.columns, part.master_columns, strict=True))
    pairs = ((field.name, lookup.target), *lookup.also)
    if lookup.table != above.dataset.table or any(linked.get(name) != column for name, column in pairs):
        return None
    pending = above.store.get(work.master)
    values = pending.values(above.stored(work.master)) if pending else {}
    if any(values.get(column) != record.get(name) for name, column in pairs):
        return None
    return [values.get(column) for column in lookup.reads]
