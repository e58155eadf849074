"""The journal: who saved what, and drafts that take a save back."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction

from enlace.core.dataset.values import key_of, packed, unpacked
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, raw_text
from enlace.core.problem import Problem
from enlace.core.save import JournalLine, SaveOutcome, journal, taken_back

from .models import JournalEntry, JournalRecord

MOST_SHOWN = 200
LONGEST = 200


def write_entry(work, records: Iterable[PendingRecord], outcome: SaveOutcome) -> JournalEntry:
    """Keep what a save did; to be called in the transaction that clears the draft."""
    draft = work.store.draft
    entry = JournalEntry.objects.create(
        person=work.person,
        person_name=work.person.shown_name,
        form=work.form,
        form_title=work.form.title,
        table=work.dataset.table,
        takes_back_id=draft.takes_back_id if draft else None,
    )
    JournalRecord.objects.bulk_create(
        JournalRecord(
            entry=entry,
            action=line.action,
            before=line.before,
            after=line.after,
            was=_text(line.was),
            now=_text(line.now),
        )
        for line in journal(records, outcome)
    )
    return entry


def _text(values: Mapping[str, Any]) -> str:
    return json.dumps({name: packed(value) for name, value in values.items()}, ensure_ascii=False)


def _values(text: str) -> dict[str, Any]:
    return {name: unpacked(value) for name, value in json.loads(text).items()}


def lines_of(entry: JournalEntry, most: int | None = None) -> list[JournalLine]:
    """The lines of an entry."""
    rows = entry.records.all() if most is None else entry.records.all()[:most]
    return [JournalLine(r.action, r.before, r.after, _values(r.was), _values(r.now)) for r in rows]


def shown_lines(work, entry: JournalEntry) -> list[dict[str, Any]]:
    """The lines of an entry for reading: each with its record and (label, was, now) of each field."""

    def text(name: str, values: Mapping[str, Any]) -> str:
        field = work.dataset.by_name.get(name) if work else None
        value = values.get(name)
        if value is None:
            return ""
        shown = KINDS[field.kind].formatter(field, work.formats)(value) if field else raw_text(value)
        return shown if len(shown) <= LONGEST else shown[:LONGEST] + "…"

    def label(name: str) -> str:
        return work.dataset.by_name[name].label if work and name in work.dataset.by_name else name

    return [
        {
            "action": line.action,
            "record": line.after or line.before,
            "name": ", ".join(raw_text(part) for part in key_of(line.after or line.before)),
            "there": bool(line.after),
            "changes": [
                (label(n), text(n, line.was), text(n, line.now)) for n in dict.fromkeys([*line.was, *line.now])
            ],
        }
        for line in lines_of(entry, MOST_SHOWN)
    ]


def take_back(work, entry: JournalEntry) -> int:
    """Make a draft that undoes a save; how many records it has. Raises Problem while another draft is open."""
    work.require_editable()
    with transaction.atomic():
        if work.store.counts()["all"]:
            hint = "Save it or discard it, then take this save back."
            raise Problem("There is a draft on this form already.", hint)
        # The last record first: what was entered under another one goes before it.
        records = [taken_back(work.dataset, line) for line in reversed(lines_of(entry))]
        work.store.put("Take back a save", {r.id: None for r in records}, {r.id: r for r in records})
        work.store.note_takes_back(entry)
    return len(records)
