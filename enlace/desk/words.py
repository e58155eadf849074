"""What people read for a stored value: as its kind writes it, or what its lookup shows for it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.lookups import chosen_text, shown_for, shown_text
from enlace.core.kinds import KINDS, Formats
from enlace.core.model.connection import ConnectionSpec

Record = Mapping[str, Any]
Beside = Callable[[DatasetSpec, FieldSpec, Record], Sequence[Any] | None]


class Words:
    """The words for values of records, each list asked once for all that it is asked for.

    beside: what a list is to show for a record that it lacks and that is known from elsewhere; None where nothing is.
    """

    def __init__(self, spec: ConnectionSpec, formats: Formats, beside: Beside = lambda *_: None) -> None:
        self.spec, self.formats, self.beside = spec, formats, beside
        self._known: dict[tuple[int, str], dict[tuple[Any, ...], str | None]] = {}

    def prefetch(self, dataset: DatasetSpec, records: Iterable[Record]) -> None:
        """Ask the lists, once each, what they show for the values of some records. Raises Problem."""
        several = list(records)
        for field, lookup in dataset.looked_up.values():
            known = self._known.setdefault((id(dataset), field.name), {})
            lacking = [r for r in several if None not in (k := _key(field, r)) and k not in known]
            if not lacking or not lookup.shows:
                continue
            texts = shown_for(self.spec, field, lacking)
            for record in lacking:
                shown = texts.get(_key(field, record)) or self.beside(dataset, field, record)
                known[_key(field, record)] = None if shown is None else shown_text(lookup, shown, self.formats)

    def learn(self, dataset: DatasetSpec, record: Record, shown: Sequence[Sequence[Any]]) -> None:
        """Take what lists show of a record from a row that was read with it. shown: by list, in the dataset's order."""
        for (field, lookup), texts in zip(dataset.looked_up.values(), shown, strict=False):
            if lookup.shows and lookup.table and texts and None not in (key := _key(field, record)):
                known = self._known.setdefault((id(dataset), field.name), {})
                known.setdefault(key, shown_text(lookup, texts, self.formats))

    def chosen(self, dataset: DatasetSpec, field: FieldSpec, record: Record) -> str | None:
        """What a field's list shows for the value that a record holds; None when the list lacks it. Raises Problem."""
        value, lookup = record.get(field.name), field.lookup
        if lookup is None or value is None:
            return "" if value is None else None
        if not lookup.table:
            return chosen_text(field, value)
        key = _key(field, record)
        if None in key or not lookup.shows:
            return None
        known = self._known.setdefault((id(dataset), field.name), {})
        if key not in known:
            self.prefetch(dataset, [record])
        return known.get(key)

    def of(self, dataset: DatasetSpec, field: FieldSpec, record: Record) -> str:
        """A field's value in a record, as people read it."""
        chosen = self.chosen(dataset, field, record) if field.lookup else None
        if chosen is not None:
            return chosen
        return KINDS[field.kind].formatter(field, self.formats)(record.get(field.name))


def _key(field: FieldSpec, record: Record) -> tuple[Any, ...]:
    assert field.lookup is not None
    return (record.get(field.name), *(record.get(name) for name, _ in field.lookup.also))
