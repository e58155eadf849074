"""One person at work on one form: the records as they stand.

No HTML here: `enlace.desk.answers` shows what this computes. `enlace.desk.editing` makes the changes,
`enlace.desk.saving` saves them.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from django.urls import reverse

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.narrowing import narrowing_fields, still_offered
from enlace.core.dataset.outer import outer_rows
from enlace.core.dataset.query import parameters_of
from enlace.core.dataset.uniqueness import taken
from enlace.core.dataset.window import Row, Rows
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import unreadable
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.rules import Complaint, RecordRules
from enlace.rows.writer import Overlay

from .detail_totals import RECORD_ID, DetailTotals
from .drafts import DraftStore
from .kept import KeptCopy
from .parts import FormPart, own_part, part_named, parts_of
from .words import Words


def print_of(value: Any) -> str:
    """A short digest of a stored value, to tell whether it is still what a page shows."""
    text = value if isinstance(value, bytes) else f"{type(value).__name__}:{value}".encode("utf-8", "surrogatepass")
    return hashlib.blake2b(text, digest_size=8).hexdigest()


def print_of_all(stored: Mapping[str, Any] | None) -> str:
    """A short digest of a whole record as stored; "" for one that is not there."""
    if stored is None:
        return ""
    return hashlib.blake2b("".join(map(print_of, stored.values())).encode(), digest_size=8).hexdigest()


@dataclass(frozen=True)
class RecordView:
    """One record as a person sees it: what the server has (None when it has none), what is pending, what is wrong."""

    id: str
    position: int | None
    stored: Mapping[str, Any] | None
    pending: PendingRecord | None
    complaints: tuple[Complaint, ...] = ()
    calculated: Mapping[str, Any] = field(default_factory=dict)
    locked: frozenset[str] = frozenset()

    @property
    def state(self) -> str:
        """ "", "edited", "new", "removed" or "conflict"."""
        if self.pending is None:
            return ""
        return "conflict" if self.pending.conflict else self.pending.state

    def moved_to(self, position: int | None) -> RecordView:
        """The same record, at a position."""
        return replace(self, position=position)

    @property
    def values(self) -> dict[str, Any]:
        """All saved fields as wanted."""
        return {**(self.stored or {}), **(self.pending.values(self.stored) if self.pending else {})}

    def value(self, name: str) -> Any:
        """A field's stored value, or the one that is wanted in its place; a calculated field's."""
        if name in self.calculated:
            return self.calculated[name]
        if self.pending and name in self.pending.now:
            return self.pending.now[name]
        if self.stored is not None:
            return self.stored.get(name)
        return self.pending.was.get(name) if self.pending else None


def _no_record() -> Problem:
    return Problem("There is no such record.", "Go back to the form and choose one.", code="missing")


@contextmanager
def _known_ids():
    """An id that no record can have is told as one that no record has."""
    try:
        yield
    except (ValueError, OverflowError):
        raise _no_record() from None


class Work:
    """A form, the person at it, and the order in which the person reads.

    part, master: for a detail of the form, its name and the record id of the master that it belongs to.
    kept: read from the person's kept copy. live: the database that saves go to; spec: the one that is read.
    """

    def __init__(
        self,
        person,
        form,
        formats: Formats,
        wanted: Sequence[tuple[str, bool]] = (),
        part: str = "",
        master: str = "",
        kept: bool = False,
        given: Mapping[str, str] | None = None,
    ) -> None:
        self.person, self.form, self.formats, self.master = person, form, formats, master
        self.live = form.dataset.connection.to_spec()
        self.kept = KeptCopy(form, person) if kept else None
        self.spec = self.kept.spec if self.kept else self.live
        self.part = part_named(parts_of(form), part) if part else own_part(form)
        self.given = dict(given or {})
        self.parameters = parameters_of(self.part.dataset.query, self.live.kind)
        if self.parameters:
            self.part = self._with_values(self.part)
        self.dataset: DatasetSpec = self.part.dataset
        self.practice = bool(form.dataset.connection.practice)
        self.store = DraftStore(person, form, self._is_faulty, part, master, self.practice)
        self.words = Words(self.spec, formats)
        self._masters: dict[str, tuple[Mapping[str, Any] | None, PendingRecord | None]] = {}
        self._outer: dict[tuple[str, str], tuple[Mapping[str, Any], dict[str, Any]]] = {}
        self.rows = Rows.of(self.spec, self.dataset, wanted, self._within() if part else None)

    def _with_values(self, part: FormPart) -> FormPart:
        """A part whose query has values for its parameters. Raises Problem when somebody has to be asked for one."""
        lacking = [name for name in self.parameters if name not in self.given]
        if lacking:
            hint = "Give a value for each, and the form shows its rows."
            raise Problem(f"The form asks for {', '.join(lacking)}.", hint, code="parameters")
        given = tuple((name, self.given[name]) for name in self.parameters)
        return replace(part, dataset=replace(part.dataset, given=given))

    @cached_property
    def parts(self) -> dict[str, FormPart]:
        """All parts of the form by name; looked up when they are needed, since most answers show one."""
        found = parts_of(self.form)
        if not self.part.name:
            found[""] = self.part
        return found

    def _is_faulty(self, part: str, record: PendingRecord) -> bool:
        if part not in self.parts:
            return False
        told = self.complaints(record, part=self.parts[part], ask=False)
        return bool(record.conflict) or any(one.holds_back for one in told)

    def _within(self) -> list[tuple[str, Any]]:
        """The values of the master that its details hold. Details of a master that is new have no rows yet."""
        values = self.master_work.stored(self.master) or {}
        found = [values.get(name) for name in self.part.master_columns]
        return list(zip(self.part.columns, found, strict=True))

    @cached_property
    def master_work(self) -> Work:
        """The form's own dataset, seen from one of its details."""
        return Work(self.person, self.form, self.formats, kept=self.kept is not None, given=self.given)

    @property
    def address(self) -> str:
        """The address under which all acts on this form, or on this detail of it, are reached."""
        return self.address_of(self.form, self.part, self.master)

    @staticmethod
    def address_of(form, part: FormPart, master: str) -> str:
        """The address of a part of a form, under a master where it is a detail."""
        if not part.name:
            return reverse("work", args=[form.pk])
        return reverse("detail-work", args=[form.pk, part.name, master])

    @property
    def rules(self) -> RecordRules:
        return self.part.rules

    @cached_property
    def new_count(self) -> int:
        return self.store.new_count()

    def forget_new(self) -> None:
        """Look again which records are new, after they changed."""
        self.__dict__.pop("new_count", None)

    def total(self) -> int:
        """How many records there are, new ones included."""
        return self.rows.count() + self.new_count

    def field(self, name: str) -> FieldSpec:
        """A saved field of the form. Raises Problem when there is none, or when it is hidden."""
        field = self.dataset.by_name.get(name)
        if field is None or field.hidden:
            raise Problem("This form has no such field.", "Reload the page; the form may have changed.", code="bad")
        return field

    # -- reading --------------------------------------------------------------------------------------

    def window(self, start: int, size: int) -> tuple[list[Row], dict[str, PendingRecord]]:
        """The rows from a position on, new records after the last stored one, and what is pending of them."""
        found = self.rows.window(start, size)
        pending = self.store.some([row.id for row in found]) if self.dataset.editable else {}
        if len(found) < size and self.new_count:
            count = self.rows.count()
            first = max(start - count, 0)
            ids = self.store.new_slice(first, size - len(found))
            pending |= self.store.some(ids)
            nothing = (None,) * len(self.dataset.fields)
            none_shown = tuple((None,) * len(one.shows) for _, one in self.dataset.looked_up.values())
            found += [Row(one, count + first + i, nothing, (), none_shown) for i, one in enumerate(ids)]
        self.learn_all(self.part, list(pending.values()))
        return found, pending

    def at(self, position: int) -> RecordView | None:
        """The record at a position, the last one when the position lies beyond; None when there are none."""
        position = max(position, 0)
        rows, _ = self.window(position, 1)
        if not rows and position:
            total = self.total()
            rows, _ = self.window(total - 1, 1) if total else ([], {})
        if not rows:
            return None
        if rows[0].id.startswith("p"):
            return self.view(rows[0].id, rows[0].position, dict(zip(self._names, rows[0].values, strict=True)), None)
        return self.record(rows[0].id, rows[0].position)

    @property
    def _names(self) -> list[str]:
        return [field.name for field in self.dataset.fields]

    def stored(self, identifier: str) -> dict[str, Any] | None:
        """What the server has of a record. Raises Problem when the id is none."""
        if identifier.startswith("n"):
            return None
        with _known_ids():
            row = self.rows.row(identifier)
        return None if row is None else dict(zip(self._names, row, strict=True))

    def record(self, identifier: str, position: int | None = None) -> RecordView:
        """One record by its id. Raises Problem when neither the server nor the draft has it."""
        if identifier.startswith("p") and identifier[1:].isdecimal() and len(identifier) < 20:
            found = self.at(int(identifier[1:]))
            if found is None:
                raise _no_record()
            return found
        pending = self.store.get(identifier)
        stored = self.stored(identifier)
        if stored is None and pending is None:
            hint = "Somebody may have removed it. Refresh the form to see what is there."
            raise Problem("This record is not there any more.", hint, code="gone")
        return self.view(identifier, position, stored, pending)

    def position(self, identifier: str) -> int | None:
        """A record's position in the order; None when it is not there."""
        if identifier.startswith("n"):
            place = self.store.new_place(identifier)
            return None if place is None else self.rows.count() + place
        with _known_ids():
            return int(identifier[1:]) if identifier.startswith("p") else self.rows.position(identifier)

    def learn_all(self, part: FormPart, records: Sequence[PendingRecord]) -> None:
        """Ask at once for all that the rules and the words of several pending records need from elsewhere."""
        if not records:
            return
        values = [one.values() for one in records]
        if part.dataset.looked_up:
            self.words.learn(part.dataset, [*values, *(one.was for one in records)])
        if part.rules.outer:
            named = [{**v, RECORD_ID: one.id} for v, one in zip(values, records, strict=True)]
            found = outer_rows(self.spec, part.dataset, part.rules.outer, named, self._totals(part))
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
        found = outer_rows(self.spec, part.dataset, part.rules.outer, [named], self._totals(part))[0]
        if part.rules.of_master:
            found |= self.of_master(part, self.master if part.name == self.part.name else part.master_by(values))
        self._outer[part.name, identifier] = (dict(values), found)
        return found

    def of_master(self, part: FormPart, master: str) -> dict[str, Any]:
        """The `master.column` values that a detail's rules need; none where its master is not known."""
        if not part.name or not part.rules.of_master or not master:
            return {}
        own = self.parts[""]
        values = own.rules.computed.values(self._master_values(master))
        columns = (name.partition(".")[2] for name in part.rules.of_master)
        return {f"master.{column}": values[column] for column in columns if column in own.dataset.by_name}

    def _master_values(self, master: str) -> dict[str, Any]:
        """A master's saved fields as wanted; looked up once."""
        if master not in self._masters:
            top = self.master_work if self.part.name else self
            there = top.store.get(master)
            self._masters[master] = (top.stored(master), there)
        stored, there = self._masters[master]
        values = {**(stored or {}), **(there.values(stored) if there else {})}
        return {**dict.fromkeys(self.parts[""].dataset.by_name), **values}

    def _totals(self, part: FormPart):
        """What adds up details with the draft counted in; None for a part that has none."""
        return None if part.name else DetailTotals(self)

    def complaints(
        self,
        pending: PendingRecord | None,
        stored: Mapping[str, Any] | None = None,
        part: FormPart | None = None,
        ask: bool = True,
    ) -> list[Complaint]:
        """What is wrong with a pending record: texts that are no values, rules, and what the server refused.

        ask: False leaves out the rules that need something from elsewhere which was not asked for yet.
        """
        if pending is None or pending.state == "removed":
            return list(pending.refusals) if pending else []
        part = part or self.part
        found = unreadable(pending, part.dataset, self.formats)
        values = pending.values(stored)
        outer = self.outer(part, pending.id, values, ask)
        for name in pending.texts:
            values.pop(name, None)
        touched = pending.touched - pending.texts.keys() - pending.under.keys()
        new = pending.state == "new"
        unread = {*pending.texts, *pending.under}
        told = part.rules.complaints(values, touched, new, outer)
        rules = [c for c in told if not c.fields or not set(c.fields) <= unread]
        if part.name and ask:
            rules += self._of_master(part, pending)
        return found + rules + list(pending.refusals)

    def _of_master(self, part: FormPart, pending: PendingRecord) -> list[Complaint]:
        """The rules of the master that add up its details, told beside a detail that breaks them."""
        own = self.parts[""]
        if not own.rules.over_details(part.dataset.table):
            return []
        master = part.master_of(pending)
        if not master:
            return []
        values = self._master_values(master)
        told = own.rules.complaints_over(part.dataset.table, values, self.outer(own, master, values))
        return [replace(one, fields=tuple(n for n in one.fields if n in part.dataset.by_name)) for one in told]

    def questions(self, pending: PendingRecord | None, stored: Mapping[str, Any] | None) -> list[Complaint]:
        """What is asked of the server for one record: values that are taken, choices that do not fit any more.

        They do not hold a save back: another change of the same draft may settle them.
        """
        if pending is None or pending.state == "removed":
            return []
        found = []
        values = pending.values(stored)
        for columns in taken(self.spec, self.dataset, pending.id, values, pending.now.keys()):
            fields = [self.dataset.by_name[c] for c in columns if c in self.dataset.by_name]
            words = " and ".join(f"{f.label} ({self.words.of(self.dataset, f, values)})" for f in fields)
            sentence = f"Another record already has this {words}."
            found.append(Complaint("warning", sentence, tuple(f.name for f in fields)))
        for one in self.dataset.fields:
            if one.lookup is None or not one.lookup.narrowed or pending.values(stored).get(one.name) is None:
                continue
            if not pending.touched & {one.name, *narrowing_fields(self.dataset, one.lookup)}:
                continue
            if not still_offered(self.spec, self.dataset, one, pending.values(stored)):
                sentence = (
                    f"{one.label} is not among what the list offers for this record now. Choose anew, or clear it."
                )
                found.append(Complaint("warning", sentence, (one.name,)))
        return found

    def overlay(self, pending: PendingRecord) -> Overlay:
        """What a pending record lays over its row."""
        values = pending.values()
        found = self._computed(pending.id, values, pending.state == "new")[0]
        extra = tuple(found.get(f.name) for f in self.dataset.extra)
        return Overlay(self.complaints(pending), extra, lambda f, record: self.words.of(self.dataset, f, record))

    def _computed(
        self, identifier: str, values: Mapping[str, Any], new: bool = False
    ) -> tuple[dict[str, Any], frozenset[str]]:
        """A record's calculated fields, and its fields that are not to be edited now."""
        computed = self.rules.computed
        if not (computed.formulas or computed.locks):
            return {}, frozenset()
        met = computed.values(values, self.outer(self.part, identifier, values), new)
        return computed.calculated(met), computed.locked(met)

    def require_server(self) -> None:
        """Raises Problem while the form works from a kept copy: what is asked for only the server can do."""
        if self.kept:
            raise Problem("The form works from a kept copy.", "Go back to the server first.", code="bad")

    def require_editable(self) -> None:
        """Raises Problem when the form is for reading only."""
        if not self.dataset.editable:
            raise Problem("Nothing was changed.", self.dataset.read_only_because, code="read-only")

    def view(
        self, identifier: str, position: int | None, stored: Mapping[str, Any] | None, pending: PendingRecord | None
    ) -> RecordView:
        """A record as a person sees it, from what is known of it."""
        told = [*self.complaints(pending, stored), *self.questions(pending, stored)]
        view = RecordView(identifier, position, stored, pending, tuple(told))
        found, locked = self._computed(identifier, view.values, stored is None)
        return replace(view, calculated=found, locked=locked)

    def glimpse(self, identifier: str, stored: Mapping[str, Any] | None, pending: PendingRecord) -> RecordView:
        """A record with what is computed of it, no rule checked."""
        view = RecordView(identifier, None, stored, pending)
        return replace(view, calculated=self._computed(identifier, view.values, stored is None)[0])
