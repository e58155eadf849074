"""What is wrong with a pending record, and what has to be known from elsewhere to tell."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

from enlace.core.dataset.lookups import called_so
from enlace.core.dataset.narrowing import BrokenList, narrowing_fields, still_offered
from enlace.core.dataset.related import related_rows
from enlace.core.dataset.uniqueness import taken
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import unreadable
from enlace.core.problem import Problem
from enlace.core.rules import Complaint
from enlace.core.rules.together import Columns

from .detail_totals import RECORD_ID, DetailTotals
from .parts import FormPart
from .reader import Reader

SEVERAL = "several"


class Checks:
    """The rules of a form's parts at work, and what they need of looked-up records, details and masters, asked once."""

    def __init__(self, work: Reader) -> None:
        self.work = work
        self._masters: dict[tuple[str, str], tuple[Mapping[str, Any] | None, PendingRecord | None]] = {}
        self._related: dict[tuple[str, str], tuple[Mapping[str, Any], dict[str, Any]]] = {}

    def prefetch_all(self, part: FormPart, records: Sequence[PendingRecord]) -> None:
        """Ask at once for all that the rules and the words of several pending records need from elsewhere."""
        if not records:
            return
        values = [record.values() for record in records]
        # Their words, before and after: the review tells both.
        if part.dataset.looked_up:
            self.work.words.prefetch(part.dataset, [*values, *(record.was for record in records)])
        self._learn_masters(part, records)
        if part.rules.related:
            of_master = [self.of_master(part, part.master_of(record)) for record in records]
            self._ask(part, [record.id for record in records], values, of_master)

    def _ask(
        self,
        part: FormPart,
        ids: Sequence[str],
        values: Sequence[Mapping[str, Any]],
        more: Sequence[Mapping[str, Any]],
    ) -> None:
        """Ask for what several records need from elsewhere, once for all of them."""
        # Beside the values, under a name that no column can have: details of a new record are found by its id.
        named = [{**value, RECORD_ID: identifier} for identifier, value in zip(ids, values, strict=True)]
        values_known = related_rows(self.work.spec, part.dataset, part.rules.related, named, self._totals(part))
        for identifier, base, related, beside in zip(ids, values, values_known, more, strict=True):
            self._related[part.name, identifier] = (dict(base), {**related, **beside})

    def _learn_masters(self, part: FormPart, records: Sequence[PendingRecord]) -> None:
        """Read at once the masters of some details that rules are about, and what those masters' own rules need."""
        # The form's own records have no master, and what a taken back save brings in knows none.
        if not part.name or part.beside:
            return
        own = self.work.parts[part.of]
        # A rule of the master such as sum(line.tonnes) <= 500 is told beside the line that breaks it.
        over = own.rules.over_details(part.dataset.table)
        if not (part.rules.of_master or over):
            return
        masters = {owner for record in records if (owner := part.master_of(record))}
        lacking = [master for master in sorted(masters) if (own.name, master) not in self._masters]
        if not lacking:
            return
        above = self.work.for_part(own.name)
        stored, there = above.stored_of(lacking), above.store.some(lacking)
        for name in lacking:
            self._masters[own.name, name] = (stored.get(name), there.get(name))
        if over and own.rules.related:
            values = [self._master_values(own, name) for name in lacking]
            beside = [self.of_master(own, own.master_by(value)) for value in values]
            self._ask(own, lacking, values, beside)

    def related(self, part: FormPart, identifier: str, values: Mapping[str, Any], ask: bool = True) -> dict[str, Any]:
        """The values from outside of a record that its rules and calculated fields need; asked for once.

        ask: False takes only what is known already.
        """
        if not part.rules.related:
            return {}
        known = self._related.get((part.name, identifier))
        # Known only for these very values: an edit of a field that leads elsewhere asks anew.
        if known is not None and known[0] == values:
            return known[1]
        if not ask:
            return {}
        master = self.work.master if part.name == self.work.part.name else part.master_by(values)
        self._ask(part, [identifier], [values], [self.of_master(part, master) if part.rules.of_master else {}])
        return self._related[part.name, identifier][1]

    def of_master(self, part: FormPart, master: str) -> dict[str, Any]:
        """The `master.column` values that a detail's rules need; none where its master is not known."""
        if not part.name or not part.rules.of_master or not master:
            return {}
        own = self.work.parts[part.of]
        values = own.rules.computed.values(self._master_values(own, master))
        columns = (name.partition(".")[2] for name in part.rules.of_master)
        return {f"master.{column}": values[column] for column in columns if column in own.dataset.by_name}

    def _master_values(self, own: FormPart, master: str) -> dict[str, Any]:
        """The saved fields of a record that has details, as wanted; looked up once."""
        if (own.name, master) not in self._masters:
            above = self.work.for_part(own.name)
            there = above.store.get(master)
            self._masters[own.name, master] = (above.stored(master), there)
        stored, there = self._masters[own.name, master]
        values = {**(stored or {}), **(there.values(stored) if there else {})}
        return {**dict.fromkeys(own.dataset.by_name), **values}

    def _totals(self, part: FormPart) -> Any:
        """What adds up details with the draft counted in; None for a part that has none."""
        has_some = any(other.name and other.of == part.name for other in self.work.parts.values())
        return DetailTotals(self.work, part) if has_some else None

    def complaints(
        self,
        pending: PendingRecord | None,
        stored: Mapping[str, Any] | None = None,
        part: FormPart | None = None,
        ask: bool = True,
        saving: bool = False,
    ) -> list[Complaint]:
        """What is wrong with a pending record: texts that are no values, rules, and what the server refused.

        ask: False leaves out the rules that need something from elsewhere which was not asked for yet. saving: with
        the rules that are looked at on save only.
        """
        if pending is None or pending.state == "removed":
            return list(pending.refusals) if pending else []
        part = part or self.work.part
        edited = pending.touched
        standing = unreadable(pending, part.dataset, self.work.formats) if pending.texts else []
        if not edited <= part.dataset.by_name.keys():
            standing += _without_column(pending, part)
        values = pending.values(stored)
        related = self.related(part, pending.id, values, ask)
        # A text that could not be read stands in the editor, not in the record: no rule is asked about it.
        for name in pending.texts:
            values.pop(name, None)
        # What waits for the key of another new record has no value yet, and is no lack of one.
        unread = {*pending.texts, *pending.waits_for}
        touched = edited - unread if unread else edited
        told = part.rules.complaints(values, touched, pending.state == "new", related, saving)
        # A rule about nothing but unread fields would say a second time that they are wrong.
        rules = [c for c in told if not c.fields or not set(c.fields) <= unread]
        if part.name and ask:
            rules += self._of_master(part, pending, saving)
        return standing + rules + list(pending.refusals)

    def faulty(self, part: FormPart, records: Sequence[PendingRecord]) -> list[bool]:
        """Whether each of some records can't be saved as it is, as far as it can be told without asking for anything.

        What is surely faulty and what is surely sound is told of many at once, the rest is looked at one by one.
        """
        lacking = {record.id for record in records if self.lacking(part, record)}
        left = [record for record in records if record.id not in lacking]
        sound = {r.id for r, fine in zip(left, self.sound(part, left), strict=True) if fine}

        def held_back(record: PendingRecord) -> bool:
            told = self.complaints(record, part=part, ask=False)
            return bool(record.conflict) or any(complaint.holds_back for complaint in told)

        return [r.id in lacking or (r.id not in sound and held_back(r)) for r in records]

    def lacking(self, part: FormPart, record: PendingRecord) -> bool:
        """Whether a record surely lacks a value that it needs, whatever else is wrong with it."""
        if record.state == "removed" or record.texts or record.waits_for:
            return False
        return part.rules.lacks(record.values() if record.was else record.now, record.now.keys(), record.state == "new")

    def sound(self, part: FormPart, records: Sequence[PendingRecord], saving: bool = False) -> list[bool]:
        """Whether each of some records is surely without complaints; the others are to be asked about one by one. saving: as
        of `complaints`."""
        if not self.at_first_sight(part):
            return [False] * len(records)
        known, states = part.dataset.by_name.keys(), {"new": True, "edited": False}
        sound: set[str] = set()
        for state, new in states.items():
            plain = [
                r for r in records if r.state == state and not (r.texts or r.waits_for or r.refusals or r.conflict)
            ]
            told = part.rules.sound([r.values() if r.was else r.now for r in plain], new, saving)
            sound |= {r.id for r, fine in zip(plain, told, strict=True) if fine and r.now.keys() <= known}
        return [record.id in sound for record in records]

    def sound_columns(self, part: FormPart, columns: Columns, count: int) -> list[bool]:
        """As `sound` of new records that have nothing but what somebody entered: each field's values are a column."""
        if not self.at_first_sight(part) or not columns.keys() <= part.dataset.by_name.keys():
            return [False] * count
        return part.rules.sound_columns(columns, count, new=True)

    def at_first_sight(self, part: FormPart) -> bool:
        """Whether a record of a part can be sound by what it holds itself."""
        if part.name and (part.beside or self.work.parts[part.of].rules.over_details(part.dataset.table)):
            return False
        return part.rules.plain

    def _of_master(self, part: FormPart, pending: PendingRecord, saving: bool) -> list[Complaint]:
        """The rules of the master that add up its details, told beside a detail that breaks them."""
        if part.beside:
            return []
        own = self.work.parts[part.of]
        if not own.rules.over_details(part.dataset.table):
            return []
        master = part.master_of(pending)
        if not master:
            return []
        values = self._master_values(own, master)
        told = own.rules.complaints_over(part.dataset.table, values, self.related(own, master, values), saving)
        return [
            replace(complaint, fields=tuple(n for n in complaint.fields if n in part.dataset.by_name))
            for complaint in told
        ]

    def questions(self, pending: PendingRecord | None, stored: Mapping[str, Any] | None) -> list[Complaint]:
        """What is asked of the server for one record: values that are taken, choices that do not fit any more.

        They do not hold a save back: another change of the same draft may settle them.
        """
        if pending is None or pending.state == "removed":
            return []
        complaints: list[Complaint] = []
        for ask in (self._called_so, self._taken, self._offered):
            # Advice only: where it can't be had now, or not soon, the edit stands without it and the save tells.
            with suppress(Problem):
                complaints += ask(pending, pending.values(stored))
        return complaints

    def _called_so(self, pending: PendingRecord, values: Mapping[str, Any]) -> Iterator[Complaint]:
        """Texts that several lines of a list read as."""
        work = self.work
        for name, text in pending.texts.items():
            field = work.dataset.by_name.get(name)
            if field is None or field.lookup is None or not field.lookup.table or field.lookup.others:
                continue
            if len(called_so(work.spec, work.dataset, field, text, work.formats, values)) > 1:
                yield Complaint(SEVERAL, f"Several are called “{text[:60]}”: open the list and choose one.", (name,))

    def _taken(self, pending: PendingRecord, values: Mapping[str, Any]) -> Iterator[Complaint]:
        dataset = self.work.dataset
        for columns in taken(self.work.spec, dataset, pending.id, values, pending.now.keys()):
            fields = [dataset.by_name[c] for c in columns if c in dataset.by_name]
            words = " and ".join(f"{f.label} ({self.work.words.of(dataset, f, values)})" for f in fields)
            yield Complaint("warning", f"Another record already has this {words}.", tuple(f.name for f in fields))

    def _offered(self, pending: PendingRecord, values: Mapping[str, Any]) -> Iterator[Complaint]:
        for field in self.work.dataset.fields:
            if field.lookup is None or not field.lookup.narrowed or values.get(field.name) is None:
                continue
            # Whoever did not touch the choice, nor what narrows it, is not asked to choose anew.
            if not pending.touched & {field.name, *narrowing_fields(self.work.dataset, field.lookup)}:
                continue
            try:
                offered = still_offered(self.work.spec, self.work.dataset, field, values)
            except BrokenList as problem:
                yield Complaint("warning", str(problem), (field.name,))
                continue
            if not offered:
                sentence = f"{field.label} is not among what the list offers for this record now."
                yield Complaint("warning", f"{sentence} Choose anew, or clear it.", (field.name,))


def gone_fields(pending: PendingRecord, part: FormPart) -> list[str]:
    """The fields that a pending record changes and the dataset has no more."""
    return sorted(pending.touched - part.dataset.by_name.keys())


def _without_column(pending: PendingRecord, part: FormPart) -> Iterator[Complaint]:
    for name in gone_fields(pending, part):
        hint = "Discard that change under Review; the rest can be saved."
        yield Complaint("column gone", f"{part.dataset.table} has no column {name} any more. {hint}", ())
