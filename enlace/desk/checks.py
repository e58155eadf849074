"""What is wrong with a pending record, and what has to be known from elsewhere to tell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from enlace.core.dataset.narrowing import BrokenList, narrowing_fields, still_offered
from enlace.core.dataset.outer import outer_rows
from enlace.core.dataset.uniqueness import taken
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import unreadable
from enlace.core.rules import Complaint

from .detail_totals import RECORD_ID, DetailTotals
from .parts import FormPart

if TYPE_CHECKING:
    from .work import Work


class Checks:
    """The rules of a form's parts at work, and what they need of looked-up records, details and masters, asked once."""

    def __init__(self, work: Work) -> None:
        self.work = work
        self._masters: dict[tuple[str, str], tuple[Mapping[str, Any] | None, PendingRecord | None]] = {}
        self._outer: dict[tuple[str, str], tuple[Mapping[str, Any], dict[str, Any]]] = {}

    def learn_all(self, part: FormPart, records: Sequence[PendingRecord]) -> None:
        """Ask at once for all that the rules and the words of several pending records need from elsewhere."""
        if not records:
            return
        values = [one.values() for one in records]
        if part.dataset.looked_up:
            self.work.words.learn(part.dataset, [*values, *(one.was for one in records)])
        if part.rules.outer:
            named = [{**v, RECORD_ID: one.id} for v, one in zip(values, records, strict=True)]
            found = outer_rows(self.work.spec, part.dataset, part.rules.outer, named, self._totals(part))
            for one, base, outer in zip(records, values, found, strict=True):
                self._outer[part.name, one.id] = (base, {**outer, **self.of_master(part, part.master_of(one))})

    def outer(self, part: FormPart, identifier: str, values: Mapping[str, Any], ask: bool = True) -> dict[str, Any]:
        """The values from outside of a record that its rules and calculated fields need; asked for once.

        ask: False takes only what is known already.
        """
        if not part.rules.outer:
            return {}
        known = self._outer.get((part.name, identifier))
        if known is not None and known[0] == values:
            return known[1]
        if not ask:
            return {}
        named = {**values, RECORD_ID: identifier}
        found = outer_rows(self.work.spec, part.dataset, part.rules.outer, [named], self._totals(part))[0]
        if part.rules.of_master:
            found |= self.of_master(
                part, self.work.master if part.name == self.work.part.name else part.master_by(values)
            )
        self._outer[part.name, identifier] = (dict(values), found)
        return found

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
            above = self.work.seen_from(own.name)
            there = above.store.get(master)
            self._masters[own.name, master] = (above.stored(master), there)
        stored, there = self._masters[own.name, master]
        values = {**(stored or {}), **(there.values(stored) if there else {})}
        return {**dict.fromkeys(own.dataset.by_name), **values}

    def _totals(self, part: FormPart):
        """What adds up details with the draft counted in; None for a part that has none."""
        has_some = any(one.name and one.of == part.name for one in self.work.parts.values())
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
        found = unreadable(pending, part.dataset, self.work.formats)
        values = pending.values(stored)
        outer = self.outer(part, pending.id, values, ask)
        for name in pending.texts:
            values.pop(name, None)
        touched = pending.touched - pending.texts.keys() - pending.under.keys()
        new = pending.state == "new"
        unread = {*pending.texts, *pending.under}
        told = part.rules.complaints(values, touched, new, outer, saving)
        rules = [c for c in told if not c.fields or not set(c.fields) <= unread]
        if part.name and ask:
            rules += self._of_master(part, pending, saving)
        return found + rules + list(pending.refusals)

    def _of_master(self, part: FormPart, pending: PendingRecord, saving: bool) -> list[Complaint]:
        """The rules of the master that add up its details, told beside a detail that breaks them."""
        own = self.work.parts[part.of]
        if not own.rules.over_details(part.dataset.table):
            return []
        master = part.master_of(pending)
        if not master:
            return []
        values = self._master_values(own, master)
        told = own.rules.complaints_over(part.dataset.table, values, self.outer(own, master, values), saving)
        return [replace(one, fields=tuple(n for n in one.fields if n in part.dataset.by_name)) for one in told]

    def questions(self, pending: PendingRecord | None, stored: Mapping[str, Any] | None) -> list[Complaint]:
        """What is asked of the server for one record: values that are taken, choices that do not fit any more.

        They do not hold a save back: another change of the same draft may settle them.
        """
        if pending is None or pending.state == "removed":
            return []
        found = []
        values = pending.values(stored)
        for columns in taken(self.work.spec, self.work.dataset, pending.id, values, pending.now.keys()):
            fields = [self.work.dataset.by_name[c] for c in columns if c in self.work.dataset.by_name]
            words = " and ".join(f"{f.label} ({self.work.words.of(self.work.dataset, f, values)})" for f in fields)
            sentence = f"Another record already has this {words}."
            found.append(Complaint("warning", sentence, tuple(f.name for f in fields)))
        for one in self.work.dataset.fields:
            if one.lookup is None or not one.lookup.narrowed or pending.values(stored).get(one.name) is None:
                continue
            if not pending.touched & {one.name, *narrowing_fields(self.work.dataset, one.lookup)}:
                continue
            try:
                offered = still_offered(self.work.spec, self.work.dataset, one, pending.values(stored))
            except BrokenList as problem:
                found.append(Complaint("warning", str(problem), (one.name,)))
                continue
            if not offered:
                sentence = (
                    f"{one.label} is not among what the list offers for this record now. Choose anew, or clear it."
                )
                found.append(Complaint("warning", sentence, (one.name,)))
        return found
