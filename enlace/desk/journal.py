"""The journal: who saved what, and drafts that take a save back."""

from __future__ import annotations

import json
from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from django.db import transaction

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.values import key_of, packed, unpacked
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, raw_text
from enlace.core.problem import Problem
from enlace.core.save import JournalLine, SaveOutcome, journal, taken_back

from .models import JournalEntry, JournalRecord

MOST_SHOWN = 200
LONGEST = 200


def write_entry(
    work, sent: Mapping[str, Mapping[str, PendingRecord]], outcomes: Mapping[str, SaveOutcome]
) -> JournalEntry:
    """Keep what a save did; to be called in the transaction that settles the draft."""
    draft = work.store.draft
    entry = JournalEntry.objects.create(
        person=work.person,
        person_name=work.person.shown_name,
        form=work.form,
        form_title=work.form.title,
        table=", ".join(work.parts[name].dataset.table for name in outcomes),
        practice=work.practice,
        takes_back_id=draft.takes_back_id if draft else None,
    )
    JournalRecord.objects.bulk_create(
        (
            JournalRecord(
                entry=entry,
                part=name,
                action=line.action,
                before=line.before,
                after=line.after,
                was=_text(line.was),
                now=_text(line.now),
            )
            for name, outcome in outcomes.items()
            for line in journal(sent[name].values(), outcome)
        ),
        batch_size=200,
    )
    return entry


def write_action(work, title: str, identifier: str, was: Mapping[str, Any], now: Mapping[str, Any] | None) -> None:
    """Keep what a server action did to its record; what its statements did elsewhere only the server knows."""
    entry = JournalEntry.objects.create(
        person=work.person,
        person_name=work.person.shown_name,
        form=work.form,
        form_title=work.form.title,
        table=work.dataset.table,
        practice=work.practice,
        action=title,
    )
    changed = {n for n in was if now is None or was[n] != now[n]}
    if changed:
        JournalRecord.objects.create(
            entry=entry,
            action="removed" if now is None else "updated",
            before=identifier,
            after="" if now is None else identifier,
            was=_text({n: was[n] for n in changed}),
            now=_text({} if now is None else {n: now[n] for n in changed}),
        )


def _text(values: Mapping[str, Any]) -> str:
    return json.dumps({name: packed(value) for name, value in values.items()}, ensure_ascii=False)


def _values(text: str) -> dict[str, Any]:
    return {name: unpacked(value) for name, value in json.loads(text).items()}


def lines_of(entry: JournalEntry, most: int | None = None) -> list[tuple[str, JournalLine]]:
    """The lines of an entry, each with the name of its part."""
    rows = entry.records.all() if most is None else entry.records.all()[:most]
    return [(r.part, JournalLine(r.action, r.before, r.after, _values(r.was), _values(r.now))) for r in rows]


def shown_lines(work, entry: JournalEntry) -> list[dict[str, Any]]:
    """The lines of an entry for reading: each with its record and (label, was, now) of each field."""
    lines = lines_of(entry, MOST_SHOWN)
    if work:
        with suppress(Problem):  # while the server is away the stored values are shown
            for name, part in work.parts.items():
                mine = [line for owner, line in lines if owner == name]
                work.words.learn(part.dataset, [values for line in mine for values in (line.was, line.now)])
    return [_shown(work, part, line) for part, line in lines]


def _shown(work, name: str, line: JournalLine) -> dict[str, Any]:
    part = work.parts.get(name) if work else None
    fields = part.dataset.by_name if part else {}

    def text(field_name: str, values: Mapping[str, Any]) -> str:
        field, value = fields.get(field_name), values.get(field_name)
        if value is None:
            return ""
        shown = _words(work, part.dataset, field, values) if field and part else raw_text(value)
        return shown if len(shown) <= LONGEST else shown[:LONGEST] + "…"

    names = dict.fromkeys([*line.was, *line.now])
    return {
        "action": line.action,
        "record": line.after or line.before,
        "name": ", ".join(raw_text(one) for one in key_of(line.after or line.before)),
        "part": part.title if part and name else "",
        "there": bool(line.after) and not name,
        "changes": [(fields[n].label if n in fields else n, text(n, line.was), text(n, line.now)) for n in names],
    }


def _words(work, dataset, field: FieldSpec, values: Mapping[str, Any]) -> str:
    try:
        return work.words.of(dataset, field, values)
    except Problem:
        return KINDS[field.kind].formatter(field, work.formats)(values[field.name])


def take_back(work, entry: JournalEntry) -> int:
    """Make a draft that undoes a save; how many records it has. Raises Problem while another draft is open."""
    work.require_editable()
    if entry.practice != work.practice:
        where = "the practice copy" if entry.practice else "the live database"
        raise Problem(f"This save was made in {where}.", "The form works on the other one now.", code="bad")
    with transaction.atomic():
        if work.store.counts()["all"]:
            hint = "Save it or discard it, then take this save back."
            raise Problem("There is a draft on this form already.", hint)
        after = {}
        for part, line in lines_of(entry):
            if part not in work.parts:
                raise Problem("The form has no longer all the parts that this save was about.", "", code="gone")
            record = taken_back(work.parts[part].dataset, line)
            after[part, record.id] = record
        work.store.put_all("Take back a save", dict.fromkeys(after), after)
        work.store.note_takes_back(entry)
    return len(after)
