"""The journal: who saved what, and drafts that take a save back."""

from __future__ import annotations

import datetime
import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, raw_text
from enlace.core.model.values import key_of, packed_json, unpacked
from enlace.core.problem import Problem
from enlace.core.save import JournalLine, SaveOutcome, journal, taken_back
from enlace.core.save.consequences import CHANGED, REMOVED, Consequence, in_sentences

from .many import insert
from .models import JournalEntry, JournalRecord
from .parts import TABLE, table_part
from .work import Work

MOST_SHOWN = 200
MOST_RECORDS = 2_000_000  # lines of the journal
TIDY_EVERY = 50  # saves
LONGEST = 200
LINE = ("entry", "part", "action", "before", "after", "was", "now", "beside")


def write_entry(
    work: Work, sent: Mapping[str, Mapping[str, PendingRecord]], outcomes: Mapping[str, SaveOutcome]
) -> JournalEntry:
    """Keep what a save did; to be called in the transaction that settles the draft."""
    draft = work.store.draft
    several = [row for outcome in outcomes.values() for row in outcome.consequences.rows]
    entry = JournalEntry.objects.create(
        person=work.person,
        person_name=work.person.shown_name,
        form=work.form,
        form_title=work.form.title,
        table=", ".join(work.parts[name].dataset.table for name in outcomes),
        practice=work.practice,
        takes_back_id=draft.takes_back_id if draft else None,
        also=[line for outcome in outcomes.values() for line in in_sentences(outcome.consequences, past=True)],
        lost=_lost(several),
    )
    insert(JournalRecord, LINE, (_beside(entry, *line) for line in _kept(several)))
    tidy(entry.pk)
    lines = (
        (entry.pk, name, line.action, line.before, line.after, _text(line.was), _text(line.now), False)
        for name, outcome in outcomes.items()
        for line in journal(sent[name].values(), outcome)
    )
    insert(JournalRecord, LINE, lines)
    return entry


def _kept(several: Sequence[Consequence]) -> Iterator[tuple[Consequence, str, Mapping[str, Any]]]:
    return (
        (consequence, identifier, row)
        for consequence in several
        for identifier, row in consequence.kept
        if consequence.act != CHANGED
    )


def _beside(entry: JournalEntry, consequence: Consequence, identifier: str, row: Mapping[str, Any]) -> tuple[Any, ...]:
    """The line of a row that the database removed, or emptied columns of, by itself."""
    gone = consequence.act == REMOVED
    was = dict(row) if gone else {name: row[name] for name in consequence.columns}
    now = {} if gone else dict.fromkeys(consequence.columns)
    action, after = ("removed", "") if gone else ("updated", identifier)
    part = TABLE + consequence.table
    return (entry.pk, part, action, identifier, after, _text(was), _text(now), True)


def _lost(several: Sequence[Consequence]) -> list[str]:
    """What can't be put back by taking the save back."""
    return [
        f"{consequence.count - len(consequence.kept):,} {'or more ' if consequence.more else ''}rows of {consequence.table} that the database {consequence.act} by itself"
        for consequence in several
        if consequence.act != CHANGED and not consequence.restorable
    ]


def tidy(newest: int) -> None:
    """The journal keeps what is younger than JOURNAL_DAYS and no more than MOST_RECORDS lines; a stretch at a time."""
    if newest % TIDY_EVERY:
        return
    old = JournalEntry.objects.filter(at__lt=timezone.now() - datetime.timedelta(days=settings.JOURNAL_DAYS))
    JournalEntry.objects.filter(pk__in=list(old.order_by("pk").values_list("pk", flat=True)[: TIDY_EVERY * 4])).delete()
    beyond = JournalRecord.objects.order_by("-pk").values_list("entry_id", flat=True)[MOST_RECORDS : MOST_RECORDS + 1]
    for last in beyond:
        gone = JournalEntry.objects.filter(pk__lte=last).order_by("pk").values_list("pk", flat=True)[: TIDY_EVERY * 4]
        JournalEntry.objects.filter(pk__in=list(gone)).delete()


def own_saves(work: Work, identifier: str, removed: bool = False) -> Iterator[dict[str, Any]]:
    """What the person's own last saves made of a record, the newest first: stored values by field."""
    saves = JournalRecord.objects.filter(
        entry__person=work.person, entry__form=work.form, entry__practice=work.practice, part=work.part.name
    )
    saves = saves.filter(before=identifier, action="removed") if removed else saves.filter(after=identifier)
    return (_values(row.now) for row in saves.order_by("-pk")[:5])


def write_action(
    work: Work, title: str, identifier: str, was: Mapping[str, Any], now: Mapping[str, Any] | None
) -> None:
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
    return packed_json(dict(values), values.values())


def _values(text: str) -> dict[str, Any]:
    return {name: unpacked(value) for name, value in json.loads(text).items()}


def lines_of(entry: JournalEntry, most: int | None = None) -> list[tuple[str, JournalLine]]:
    """The lines of an entry, each with the name of its part."""
    rows = entry.records.all() if most is None else entry.records.all()[:most]
    return [(r.part, JournalLine(r.action, r.before, r.after, _values(r.was), _values(r.now))) for r in rows]


def shown_lines(work: Work | None, entry: JournalEntry) -> list[dict[str, Any]]:
    """The lines of an entry for reading: each with its record and (label, was, now) of each field."""
    lines = lines_of(entry, MOST_SHOWN)
    if work:
        with suppress(Problem):  # while the server is away the stored values are shown
            for name, part in work.parts.items():
                mine = [line for owner, line in lines if owner == name]
                work.words.prefetch(part.dataset, [values for line in mine for values in (line.was, line.now)])
    return [_shown(work, part, line) for part, line in lines]


def _shown(work: Work | None, name: str, line: JournalLine) -> dict[str, Any]:
    part = work.parts.get(name) if work else None
    fields = part.dataset.by_name if part else {}

    def text(field_name: str, values: Mapping[str, Any]) -> str:
        field, value = fields.get(field_name), values.get(field_name)
        if value is None:
            return ""
        shown = _words(work, part.dataset, field, values) if work and field and part else raw_text(value)
        return shown if len(shown) <= LONGEST else shown[:LONGEST] + "…"

    beside = name.startswith(TABLE)
    hidden = {n for n, field in fields.items() if field.hidden}
    names = [n for n in dict.fromkeys([*line.was, *line.now]) if n not in hidden]
    return {
        "action": line.action,
        "record": line.after or line.before,
        "name": ", ".join(raw_text(item) for item in key_of(line.after or line.before)),
        "part": name.removeprefix(TABLE) if beside else part.title if part and name else "",
        "beside": beside,
        "there": bool(line.after) and not name,
        "changes": [(fields[n].label if n in fields else n, text(n, line.was), text(n, line.now)) for n in names],
    }


def _words(work: Work, dataset: Any, field: FieldSpec, values: Mapping[str, Any]) -> str:
    try:
        return work.words.of(dataset, field, values)
    except Problem:
        return KINDS[field.kind].formatter(field, work.formats)(values[field.name])


def take_back(work: Work, entry: JournalEntry) -> tuple[int, list[str]]:
    """Make a draft that undoes a save; how many records it has, and what it can't put back, in words.

    Raises Problem while another draft is open.
    """
    work.require_editable()
    if entry.practice != work.practice:
        where = "the practice copy" if entry.practice else "the live database"
        raise Problem(f"This save was made in {where}.", "The form works on the other one now.", code="bad")
    with transaction.atomic():
        if work.store.counts()["all"]:
            hint = "Save it or discard it, then take this save back."
            raise Problem("There is a draft on this form already.", hint)
        after: dict[tuple[str, str], PendingRecord] = {}
        unkept: Counter[str] = Counter()
        lines = lines_of(entry)
        tables = {name: part for name in {part for part, _ in lines} if (part := _table(work, name))}
        work.parts.update(tables)
        for part, line in lines:
            if part not in work.parts:
                if part.startswith(TABLE):
                    unkept[part.removeprefix(TABLE)] += 1
                    continue
                raise Problem("The form has no longer all the parts that this save was about.", "", code="gone")
            record = taken_back(work.parts[part].dataset, line)
            after[part, record.id] = record
        work.store.put_all("Take back a save", dict.fromkeys(after), after)
        work.store.note_takes_back(entry, sorted(tables))
    return len(after), entry.lost + [f"{n:,} row{'s' * (n != 1)} of {table}" for table, n in unkept.items()]


def _table(work: Work, name: str) -> Any:
    """A table beside the form's own as a part; None for another part, and where its rows can't be put back."""
    if not name.startswith(TABLE):
        return None
    try:
        part = table_part(work.live, name)
    except Problem:
        return None
    return part if part.dataset.editable else None
