"""Drafts in the database: each edit stores one record and one step, whatever the size of the draft."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from itertools import repeat
from typing import Any

from django.db import transaction

from enlace.accounts.models import Person
from enlace.core.dataset.keys import in_parts
from enlace.core.draft import PendingRecord, Step, dump, load, undone
from enlace.core.draft.pending import dump_entered
from enlace.core.draft.steps import Records
from enlace.core.model.values import as_json, packed, packed_column
from enlace.core.rules.together import MISSING, has_signs, records_of
from enlace.workshop.models import Form

from . import draft_blobs, draft_rows
from .draft_blobs import APART_FROM, holds_apart
from .draft_counts import count_forth, tally
from .draft_reader import DraftReader
from .draft_rows import DraftRow
from .draft_steps import tidy_steps
from .models import Draft, DraftStep, JournalEntry

Changes = Mapping[str, PendingRecord | None]
Bodies = Mapping[tuple[str, str], str | None]


class DraftStore(DraftReader):
    """The draft of one person on one form, seen from one of its parts.

    part: the dataset of the form that record ids are of ("" is the form's own). owner: the master's record id, for a
    detail. practice: whether the form works on a practice copy, which has drafts of its own. faulty: tells of some
    records of a part which need attention before they can be saved; kept with them, so that counting does not mean
    looking at each. links: what links a detail to its masters (`enlace.desk.links`). edited: is told, once it is
    certain, of each record that a person's act changed: its part, its id, and what is pending of it then.
    """

    def __init__(
        self,
        person: Person,
        form: Form,
        faulty: Callable[[str, Sequence[PendingRecord]], Sequence[bool]] = lambda part, several: [False] * len(several),
        part: str = "",
        owner: str = "",
        practice: bool = False,
        links: Callable[[str, PendingRecord], tuple[str, str]] = lambda part, record: ("", ""),
        edited: Callable[[str, str, PendingRecord | None], None] | None = None,
    ) -> None:
        super().__init__(person, form, part, owner, practice)
        self.faulty, self.links, self.edited = faulty, links, edited

    def put(
        self, label: str, before: Changes, after: Changes, sound: Collection[str] = (), new: Sequence[DraftRow] = ()
    ) -> None:
        """Store what a person did to records of the part. sound: the ids of those that are known to need no attention. new:
        as of `put_all`."""
        self.put_all(
            label,
            {(self.part, identifier): record for identifier, record in before.items()},
            {(self.part, identifier): record for identifier, record in after.items()},
            {(self.part, identifier) for identifier in sound},
            new,
        )

    @transaction.atomic
    def put_all(
        self,
        label: str,
        before: Records,
        after: Records,
        sound: Collection[tuple[str, str]] = frozenset(),
        new: Sequence[DraftRow] = (),
    ) -> None:
        """Store the records of one step and the step itself; what was undone can't be redone any more.

        new: new records that are put in with them, as they are to be kept.
        """
        draft = self.existing()
        # Something was undone and then something else was done: what could be redone does not fit any more.
        draft.steps.filter(number__gt=draft.done).delete()
        bodies = self._bodies(after)
        # What is entered just now is nowhere yet: nothing has to be looked for that it takes the place of.
        entered = {a for a, r in after.items() if r is not None and r.state == "new" and before.get(a) is None}
        owners = self._write(after, bodies, sound=sound, new=new, entered=entered)
        number = draft.done + 1
        lines = self._lines(self._bodies(before), owners), self._lines(bodies, owners)
        known = [(row.part, row.record, row.owner, row.body) for row in new]
        texts = (
            as_json([*lines[0], *((part, identifier, owner, None) for part, identifier, owner, _ in known)]),
            as_json([*lines[1], *known]),
        )
        # Kept with the step, so that adding up what a draft holds does not read its texts.
        size = len(texts[0]) + len(texts[1])
        DraftStep.objects.create(draft=draft, number=number, label=label, before=texts[0], after=texts[1], size=size)
        tidy_steps(draft, number)
        self._stand(draft, number)
        self._tell(after, new)

    def _tell(self, records: Records, new: Sequence[DraftRow] = ()) -> None:
        if self.edited is not None:
            edited, changed = self.edited, dict(records)
            changed |= {(row.part, row.record): load(row.record, row.body, self._unpack) for row in new}
            # Once it is certain: an act that breaks off has changed nothing, and nobody waits for who is told.
            transaction.on_commit(lambda: [edited(part, name, record) for (part, name), record in changed.items()])

    @transaction.atomic
    def undo(self) -> Step | None:
        """Take the last step back; None when there is none."""
        draft = self.existing() if self.draft else None
        row = draft and draft.steps.filter(number=draft.done).first()
        return self._stepped(row, row.before, row.number - 1, back=True) if row else None

    @transaction.atomic
    def redo(self) -> Step | None:
        """Do the last undone step again; None when there is none."""
        draft = self.existing() if self.draft else None
        row = draft and draft.steps.filter(number=draft.done + 1).first()
        return self._stepped(row, row.after, row.number, back=False) if row else None

    def _stepped(self, row: DraftStep, texts: str, number: int, back: bool) -> Step:
        step = Step(row.label, self._records(row.before), self._records(row.after))
        # A step knows both sides: to go back is the same step turned round, so that there is one way of writing it.
        step = undone(step) if back else step
        owners = {(part, identifier): owner for part, identifier, owner, _ in json.loads(texts)}
        self._write(step.after, self._bodies(step.after), owners)
        self._stand(row.draft if self.draft is None else self.draft, number)
        self._tell(step.after)
        return step

    @transaction.atomic
    def note_fault(self, identifier: str, faulty: bool) -> None:
        """Note whether a record needs attention, once all that its rules ask for is known."""
        row = self._mine.filter(record=identifier).first()
        if row is None or row.faulty == faulty:
            return
        draft = self.existing()
        counts = Counter(draft.counts)
        # Counted forth from what is known: counting all records again would make an edit slower the more is pending.
        counts.subtract(tally(row.part, row.state, row.faulty, row.later))
        counts.update(tally(row.part, row.state, faulty, row.later))
        draft.counts = dict(counts)
        self._mine.filter(pk=row.pk).update(faulty=faulty)
        draft.save(update_fields=["counts"])

    def note_takes_back(self, entry: JournalEntry, tables: list[str]) -> None:
        """Note which save the draft takes back, and the parts that are tables beside the form's own."""
        assert self.draft is not None
        Draft.objects.filter(pk=self.draft.pk).update(takes_back=entry, tables=tables)
        self.draft.tables = tables

    @transaction.atomic
    def after_save(self, records: Records, saved: Iterable[tuple[str, str]] = ()) -> None:
        """Store what a save said of records, and drop those that it saved; nothing before it can be undone then."""
        draft = self.existing()
        gone = list(saved)
        # A record that comes out of a save in conflict still belongs to the master it was entered under.
        if not records and self._is_whole(gone):
            draft.records.all().delete()
            draft.counts = {}
        else:
            owners = {(r.part, r.record): r.owner for r in draft.records.exclude(owner="")} if records else {}
            changed = {**dict.fromkeys(gone), **records}
            self._write(changed, self._bodies(changed), owners)
        # Steps go with a save: undoing one would bring back texts of a row as it was before.
        if gone:
            draft.steps.all().delete()
            draft.done, draft.takes_back = 0, None
            draft.save(update_fields=["done", "takes_back"])
            draft_blobs.drop_unheld(draft)
        self._changed(draft)

    @transaction.atomic
    def own(self, renamed: Mapping[tuple[str, str], str]) -> None:
        """Details that were entered under records belong to these under their new ids. renamed: those by part and old id."""
        if self.draft is None or not renamed:
            return
        self._few.forget()
        # A file has a hundred thousand new records, and no details of theirs are pending.
        owned = self.draft.records.exclude(owner="").order_by()
        owners = set(owned.values_list("owner", flat=True).distinct())
        for (part, old), new in renamed.items():
            if old in owners:
                owned.filter(owner=old).exclude(part=part).update(owner=new)

    @transaction.atomic
    def clear(self) -> None:
        """Nothing is pending any more, and nothing can be undone."""
        if self.draft is None:
            return
        if self.edited is not None:
            self._tell(dict.fromkeys(self.draft.records.values_list("part", "record")))
        for several in (self.draft.records, self.draft.steps, self.draft.blobs):
            several.all().delete()
        self.draft.done, self.draft.takes_back, self.draft.counts, self.draft.tables = 0, None, {}, []
        # The row stays, and its revision goes on from where it was: an open page must not take a new draft for the one
        # it knows.
        self.draft.save(update_fields=["done", "takes_back", "tables"])
        self._changed(self.draft)

    def existing(self) -> Draft:
        """The draft's row as it is now, made where there was none; to be called in a transaction."""
        if self.draft is None:
            place = {"person": self.person, "form": self.form, "practice": self.practice}
            self._draft, _ = Draft.objects.get_or_create(**place)
        assert self._draft is not None
        # BEGIN IMMEDIATE made this transaction the only writer; the number may have moved in another window.
        self._few.forget()
        self._draft.refresh_from_db(fields=["done", "revision", "counts", "takes_back", "tables"])
        return self._draft

    def _stand(self, draft: Draft, done: int) -> None:
        draft.done = done
        draft.save(update_fields=["done"])
        self._changed(draft)

    def _changed(self, draft: Draft) -> None:
        self._few.forget()
        draft.revision += 1
        draft.save(update_fields=["revision", "changed", "counts"])

    def _bodies(self, records: Records) -> Bodies:
        """The text form of each record, large values put apart."""
        return {address: None if record is None else self._body(record) for address, record in records.items()}

    def _body(self, record: PendingRecord) -> str:
        body = dump(record)
        # No value is longer than the text that it stands in.
        return dump(record, self._pack) if len(body) >= APART_FROM and holds_apart(record) else body

    def _need_attention(self, records: Records, sound: Collection[tuple[str, str]]) -> set[tuple[str, str]]:
        """The addresses of the records that need attention, those of a part asked about together."""
        by_part: dict[str, dict[tuple[str, str], PendingRecord]] = {}
        for address, record in records.items():
            if record is not None and address not in sound:
                by_part.setdefault(address[0], {})[address] = record
        return {
            address
            for part, several in by_part.items()
            for address, faulty in zip(several, self.faulty(part, list(several.values())), strict=True)
            if faulty
        }

    def _write(
        self,
        records: Records,
        bodies: Bodies,
        owners: Mapping[tuple[str, str], str] | None = None,
        sound: Collection[tuple[str, str]] = frozenset(),
        new: Sequence[DraftRow] = (),
        entered: Collection[tuple[str, str]] = frozenset(),
    ) -> dict:
        """Store records; the owners of new ones, by their addresses. sound: those that are known to need no attention.
        new: others, that are not there yet. entered: those of the records that are not there yet either."""
        assert self.draft is not None
        gone: dict[str, list[str]] = {}
        kept: list[DraftRow] = []
        owners_known = dict(owners or {})
        faulty = self._need_attention(records, sound)
        for (part, identifier), record in records.items():
            if record is None:
                gone.setdefault(part, []).append(identifier)
                continue
            owner = owners_known.setdefault((part, identifier), self._owner(part))
            address, body = (part, identifier), bodies[part, identifier] or ""
            kept.append(self._row(address, record, owner, address in faulty, body))
        count_forth(self.draft, [address for address in records if address not in entered], [*kept, *new])
        for part, identifiers in gone.items():
            for some in in_parts(identifiers, 500):
                self.draft.records.filter(part=part, record__in=some).delete()
        draft_rows.write(self.draft, [*kept, *new])
        return owners_known

    def _owner(self, part: str) -> str:
        """The master of what is entered in a part now."""
        return self.owner if part and part == self.part else ""

    def _row(self, address: tuple[str, str], record: PendingRecord, owner: str, faulty: bool, body: str) -> DraftRow:
        was_of, now_of = self.links(address[0], record)
        return DraftRow(*address, owner, was_of or None, now_of or None, record.state, faulty, record.later, body)

    def new_row(self, record: PendingRecord) -> DraftRow | None:
        """A new record of the part that needs no attention, as it is to be kept; None where a value of it is kept apart."""
        body = dump(record)
        if len(body) >= APART_FROM and holds_apart(record):
            return None
        return self._row((self.part, record.id), record, self._owner(self.part), False, body)

    def new_rows(
        self, ids: Sequence[str], columns: Mapping[str, Sequence[Any]], waits_for: Mapping[str, Any]
    ) -> list[DraftRow] | None:
        """`new_row` of new records, of which each field's values are a column: MISSING where one has none.
        None where one of them has to be kept in another way."""
        values = {name: _packed(column) for name, column in columns.items()}
        bodies = dump_entered(records_of(values, len(ids)), waits_for)
        if any(len(body) >= APART_FROM for body in bodies):
            return None
        rows = zip(ids, self._new_links(ids, columns, waits_for), bodies, strict=True)
        part, owner = self.part, self._owner(self.part)
        return [DraftRow(part, i, owner, was, now, "new", False, False, body) for i, (was, now), body in rows]

    def _new_links(
        self, ids: Sequence[str], columns: Mapping[str, Sequence[Any]], waits_for: Mapping[str, Any]
    ) -> Iterable[tuple[str | None, str | None]]:
        if not self.part:
            return [(None, None)] * len(ids)
        several = map(PendingRecord.entered, ids, records_of(columns, len(ids)), repeat(waits_for))
        return [(was or None, now or None) for was, now in (self.links(self.part, record) for record in several)]

    def _lines(self, bodies: Bodies, owners: Mapping[tuple[str, str], str]) -> list[list[Any]]:
        """Records as a step keeps them."""
        return [
            [part, identifier, owners.get((part, identifier)) or self._owner(part), body]
            for (part, identifier), body in bodies.items()
        ]

    def _records(self, text: str) -> Records:
        return {
            (part, identifier): body and load(identifier, body, self._unpack)
            for part, identifier, _, body in json.loads(text)
        }


def _packed(column: Sequence[Any]) -> Sequence[Any]:
    if not has_signs(column):
        return packed_column(column)
    return [value if value is MISSING else packed(value) for value in column]
