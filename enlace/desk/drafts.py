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
from enlace.core.draft.pending import dump_entered, new_ids
from enlace.core.draft.steps import Records
from enlace.core.model.values import as_json
from enlace.core.model.whole_column import WholeColumn
from enlace.core.rules.together import records_of
from enlace.workshop.models import Form

from . import draft_blobs, draft_bundles, draft_rows
from .draft_blobs import APART_FROM, holds_apart, is_apart
from .draft_bundles import LEAST, bundle_of, bundles_of, ids_of, packed_values, places_of
from .draft_counts import BUNDLED, bundled, count_forth, counted, tally
from .draft_new import New, line_of, told_apart
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
        self, label: str, before: Changes, after: Changes, sound: Collection[str] = (), new: Sequence[New] = ()
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
        new: Sequence[New] = (),
    ) -> None:
        """Store the records of one step and the step itself; what was undone can't be redone any more.

        new: new records that are put in with them, as they are to be kept.
        """
        draft = self.existing()
        # Something was undone and then something else was done: what could be redone does not fit any more.
        draft.steps.filter(number__gt=draft.done).delete()
        draft_bundles.drop(draft, step__gt=draft.done)
        bodies = self._bodies(after)
        # What is entered just now is nowhere yet: nothing has to be looked for that it takes the place of.
        entered = {a for a, r in after.items() if r is not None and r.state == "new" and before.get(a) is None}
        number = draft.done + 1
        owners = self._write(after, bodies, number, sound=sound, new=new, entered=entered)
        lines = self._lines(self._bodies(before), owners), self._lines(bodies, owners)
        texts = (
            as_json([*lines[0], *(line_of(one, False) for one in new)]),
            as_json([*lines[1], *(line_of(one, True) for one in new)]),
        )
        # Kept with the step, so that adding up what a draft holds does not read its texts.
        size = len(texts[0]) + len(texts[1]) + sum(len(bundle.body) for bundle in told_apart(new)[1])
        DraftStep.objects.create(draft=draft, number=number, label=label, before=texts[0], after=texts[1], size=size)
        tidy_steps(draft, number)
        self._stand(draft, number)
        self._tell(after, new)

    def _tell(self, records: Records, new: Sequence[New] = ()) -> None:
        if self.edited is not None:
            edited, changed = self.edited, dict(records)
            rows, bundles = told_apart(new)
            changed |= {(row.part, row.record): load(row.record, row.body, self._unpack) for row in rows}
            changed |= {("", record.id): record for bundle in bundles for record in bundle.records}
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
        lines = json.loads(texts)
        owners = {(line[0], line[1]): line[2] for line in lines if isinstance(line, list)}
        again = [line for line in lines if isinstance(line, dict) and line["there"]]
        together = {("", identifier) for line in again for identifier in ids_of(line["code"], line["size"])}
        changed = {address: record for address, record in step.after.items() if address not in together}
        self._write(changed, self._bodies(changed), number, owners, again=[line["code"] for line in again])
        self._stand(row.draft if self.draft is None else self.draft, number)
        self._tell(step.after)
        return step

    @transaction.atomic
    def note_fault(self, identifier: str, faulty: bool) -> None:
        """Note whether a record needs attention, once all that its rules ask for is known."""
        draft = None
        if faulty and self._bundled:
            draft = self.existing()
            self._from_bundles({(self.part, identifier): self.get(identifier)})
            draft.save(update_fields=["counts"])
        row = self._mine.filter(record=identifier).first()
        if row is None or row.faulty == faulty:
            return
        draft = draft or self.existing()
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
            draft.bundles.all().delete()
            draft.counts = {}
        else:
            owners = {(r.part, r.record): r.owner for r in draft.records.exclude(owner="")} if records else {}
            changed = {**dict.fromkeys(gone), **records}
            self._write(changed, self._bodies(changed), owners=owners)
        # Steps go with a save: undoing one would bring back texts of a row as it was before.
        if gone:
            draft.steps.all().delete()
            draft_bundles.drop(draft)
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
            bundles = draft_bundles.standing(self.draft).values_list("code", "size")
            bundled = (("", identifier) for code, size in bundles for identifier in ids_of(code, size))
            self._tell(dict.fromkeys([*self.draft.records.values_list("part", "record"), *bundled]))
        for several in (self.draft.records, self.draft.bundles, self.draft.steps, self.draft.blobs):
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
        # Of another revision by now; those who share this store hold each other, and go no sooner than Python looks for such.
        self._whole, self._read_from = None, {}
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
        step: int = 0,
        owners: Mapping[tuple[str, str], str] | None = None,
        sound: Collection[tuple[str, str]] = frozenset(),
        new: Sequence[New] = (),
        entered: Collection[tuple[str, str]] = frozenset(),
        again: Collection[str] = (),
    ) -> dict:
        """Store records; the owners of new ones, by their addresses. step: the number of the one that they are of. sound: those
        that are known to need no attention. new: others, that are not there yet. entered: those of the records that are not there
        yet either. again: the codes of bundles that are pending once more."""
        assert self.draft is not None
        dropped = self._from_bundles(records)
        records = (
            {address: record for address, record in records.items() if address not in dropped} if dropped else records
        )
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
        rows, bundles = told_apart(new)
        kept += rows
        once_more = draft_bundles.write_again(self.draft, again)
        there = [address for address in records if address not in entered]
        count_forth(self.draft, there, kept, [*bundles, *once_more])
        for part, identifiers in gone.items():
            for some in in_parts(identifiers, 500):
                self.draft.records.filter(part=part, record__in=some).delete()
        draft_rows.write(self.draft, kept)
        draft_bundles.write(self.draft, bundles, step)
        return owners_known

    def _from_bundles(self, records: Records) -> set[tuple[str, str]]:
        """Records are written of which some are kept together: bundles that go as a whole are dropped, the addresses of their
        records; the others are opened."""
        draft, dropped = self.draft, set[tuple[str, str]]()
        if draft is None or not draft.counts.get(BUNDLED):
            return dropped
        counts, opened = Counter(draft.counts), []
        places = places_of([identifier for part, identifier in records if not part])
        for kept in draft_bundles.standing(draft).filter(code__in=places):
            bundle = bundle_of(kept)
            counts.subtract(bundled([bundle]))
            ours = [("", identifier) for identifier in bundle.ids]
            if all(address in records and records[address] is None for address in ours):
                dropped.update(ours)
                kept.standing = False
                kept.save(update_fields=["standing"])
            else:
                opened.append(kept)
        rows = draft_bundles.open_up(draft, opened)
        counts.update(counted(rows))
        counts["bytes"] += sum(len(row.body) for row in rows)
        draft.counts = dict(counts)
        return dropped

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

    def new_rows(self, columns: Mapping[str, WholeColumn[Any]], count: int) -> list[New] | None:
        """New records of the part that need no attention, of which each field's values are a column (MISSING where one has
        none), as they are to be kept. None where a value has to be kept apart."""
        if any(map(_holds_long, columns.values())):
            return None
        if count >= LEAST and not self.part:
            return list(bundles_of(columns, count))
        values = {name: packed_values(column) for name, column in columns.items()}
        ids, bodies = new_ids(count), dump_entered(records_of(values, count), {})
        records = map(PendingRecord.entered, ids, records_of(columns, count), repeat({}))
        several = zip(ids, records, bodies, strict=True)
        return [self._row((self.part, i), record, self._owner(self.part), False, body) for i, record, body in several]

    def _lines(self, bodies: Bodies, owners: Mapping[tuple[str, str], str]) -> list[list[Any]]:
        """Records as a step keeps them."""
        return [
            [part, identifier, owners.get((part, identifier)) or self._owner(part), body]
            for (part, identifier), body in bodies.items()
        ]

    def _records(self, text: str) -> Records:
        records: dict[tuple[str, str], PendingRecord | None] = {}
        for line in json.loads(text):
            if isinstance(line, dict):
                ids = ids_of(line["code"], line["size"])
                kept = draft_bundles.kept_of(self.draft, line["code"]) if line["there"] else None
                several = kept.records if kept else repeat(None, len(ids))
                records |= {("", identifier): record for identifier, record in zip(ids, several, strict=True)}
            else:
                part, identifier, _, body = line
                records[part, identifier] = body and load(identifier, body, self._unpack)
        return records


def _holds_long(column: WholeColumn[Any]) -> bool:
    """Whether a value of a column is to be kept apart."""
    if column.classes == {str}:
        return column.longest >= APART_FROM  # at once: a call for each takes longer
    return not column.classes.isdisjoint({str, bytes}) and any(map(is_apart, column))
