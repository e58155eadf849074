"""What a save did, record by record, and the draft that takes it back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ..draft.pending import PendingRecord, new_record
from ..model.dataset import DatasetSpec
from ..model.values import key_of
from .outcome import SaveOutcome


@dataclass(frozen=True)
class JournalLine:
    """One record of a save.

    action: "inserted", "updated" or "removed". before, after: its record id then and now ("" when there is none).
    was, now: stored values by field, those that were edited (all of a removed record).
    """

    action: str
    before: str
    after: str
    was: Mapping[str, Any]
    now: Mapping[str, Any]


def journal(records: Iterable[PendingRecord], outcome: SaveOutcome) -> list[JournalLine]:
    """What a committed save did, with the values that the server made of those that were wanted."""
    lines = []
    for record in records:
        if record.id not in outcome.ids:
            continue
        after, row = outcome.ids[record.id], outcome.rows.get(record.id, {})
        now = {name: row.get(name, record.now.get(name)) for name in (*record.now, *record.waits_for)}
        if record.state == "new":
            lines.append(JournalLine("inserted", "", after, {}, now))
        elif record.state == "removed":
            lines.append(JournalLine("removed", record.id, "", record.was, {}))
        else:
            was = {name: record.was.get(name) for name in now}
            lines.append(JournalLine("updated", record.id, after, was, now))
    return lines


def taken_back(dataset: DatasetSpec, line: JournalLine) -> PendingRecord:
    """The pending record that undoes a line; its save is checked against what the line left, like any other."""
    if line.action == "removed":
        values = {
            name: value
            for name, value in line.was.items()
            if name in dataset.by_name and not dataset.by_name[name].computed and value is not None
        }
        record = new_record()
        return PendingRecord(record.id, "new", now=values)
    known = {name: value for name, value in line.now.items() if name in dataset.by_name}
    if line.action == "inserted":
        return PendingRecord(line.after, "removed", key_of(line.after), was=known)
    back = {name: line.was[name] for name in known if name in line.was}
    return PendingRecord(line.after, "edited", key_of(line.after), was=known, now=back)
