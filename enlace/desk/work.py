"""One person at work on one form: the records as they stand, and what can be done with them.

No HTML here: `enlace.desk.answers` shows what this computes.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.values import key_of
from enlace.core.dataset.window import Row, Rows
from enlace.core.draft import Conflict, PendingRecord, conflicts
from enlace.core.draft.pending import as_read, new_record, removed, unreadable, with_text, with_value
from enlace.core.kinds import KINDS, Formats, Unreadable
from enlace.core.problem import Problem
from enlace.core.rules import Complaint, RecordRules
from enlace.core.save import SaveOutcome, save

from .drafts import DraftStore


@lru_cache(maxsize=256)
def rules_of(dataset: DatasetSpec) -> RecordRules:
    """The rules of a dataset, made ready once."""
    return RecordRules(dataset)


def print_of(value: Any) -> str:
    """A short digest of a stored value, to tell whether it is still what a page shows."""
    text = value if isinstance(value, bytes) else f"{type(value).__name__}:{value}".encode("utf-8", "surrogatepass")
    return hashlib.blake2b(text, digest_size=8).hexdigest()


@dataclass(frozen=True)
class RecordView:
    """One record as a person sees it: what the server has (None when it has none), what is pending, what is wrong."""

    id: str
    position: int | None
    stored: Mapping[str, Any] | None
    pending: PendingRecord | None
    complaints: tuple[Complaint, ...] = ()

    @property
    def state(self) -> str:
        """ "", "edited", "new", "removed" or "conflict"."""
        if self.pending is None:
            return ""
        return "conflict" if self.pending.conflict else self.pending.state

    def moved_to(self, position: int | None) -> RecordView:
        """The same record, at a position."""
        return replace(self, position=position)

    def value(self, name: str) -> Any:
        """A field's stored value, or the one that is wanted in its place."""
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
    """A form, the person at it, and the order in which the person reads."""

    def __init__(self, person, form, formats: Formats, wanted: Sequence[tuple[str, bool]] = ()) -> None:
        self.person, self.form, self.formats = person, form, formats
        self.dataset: DatasetSpec = form.dataset.to_spec()
        self.rows = Rows.of(form.dataset.connection.to_spec(), self.dataset, wanted)
        self.store = DraftStore(person, form, lambda record: bool(record.conflict or self.complaints(record)))

    @property
    def rules(self) -> RecordRules:
        return rules_of(self.dataset)

    @cached_property
    def new_ids(self) -> list[str]:
        return self.store.new_ids()

    def forget_new(self) -> None:
        """Look again which records are new, after they changed."""
        self.__dict__.pop("new_ids", None)

    def total(self) -> int:
        """How many records there are, new ones included."""
        return self.rows.count() + len(self.new_ids)

    def field(self, name: str) -> FieldSpec:
        """A field of the form. Raises Problem when there is none, or when it is hidden."""
        field = self.dataset.by_name.get(name)
        if field is None or field.hidden:
            raise Problem("This form has no such field.", "Reload the page; the form may have changed.", code="bad")
        return field

    # -- reading --------------------------------------------------------------------------------------

    def window(self, start: int, size: int) -> tuple[list[Row], dict[str, PendingRecord]]:
        """The rows from a position on, new records after the last stored one, and what is pending of them."""
        found = self.rows.window(start, size)
        pending = self.store.some([row.id for row in found]) if self.dataset.editable else {}
        if self.new_ids and len(found) < size:
            count = self.rows.count()
            first = max(start - count, 0)
            ids = self.new_ids[first : first + size - len(found)]
            pending |= self.store.some(ids)
            nothing = (None,) * len(self.dataset.fields)
            found += [Row(one, count + first + i, nothing) for i, one in enumerate(ids)]
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
            return self._view(rows[0].id, rows[0].position, dict(zip(self._names, rows[0].values, strict=True)), None)
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
        return self._view(identifier, position, stored, pending)

    def position(self, identifier: str) -> int | None:
        """A record's position in the order; None when it is not there."""
        if identifier.startswith("n"):
            return self.rows.count() + self.new_ids.index(identifier) if identifier in self.new_ids else None
        with _known_ids():
            return int(identifier[1:]) if identifier.startswith("p") else self.rows.position(identifier)

    def _view(
        self, identifier: str, position: int | None, stored: Mapping[str, Any] | None, pending: PendingRecord | None
    ) -> RecordView:
        return RecordView(identifier, position, stored, pending, tuple(self.complaints(pending, stored)))

    def complaints(self, pending: PendingRecord | None, stored: Mapping[str, Any] | None = None) -> list[Complaint]:
        """What is wrong with a pending record: texts that are no values, rules, and what the server refused."""
        if pending is None or pending.state == "removed":
            return list(pending.refusals) if pending else []
        found = unreadable(pending, self.dataset, self.formats)
        values = pending.values(stored)
        for name in pending.texts:
            values.pop(name, None)
        touched = pending.touched - pending.texts.keys()
        new = pending.state == "new"
        unread = set(pending.texts)
        rules = [c for c in self.rules.complaints(values, touched, new) if not set(c.fields) <= unread]
        return found + rules + list(pending.refusals)

    # -- editing --------------------------------------------------------------------------------------

    def require_editable(self) -> None:
        if not self.dataset.editable:
            raise Problem("Nothing was changed.", self.dataset.read_only_because, code="forbidden")

    def _open(self, identifier: str) -> tuple[PendingRecord | None, PendingRecord, dict[str, Any] | None]:
        """The pending record before an edit, one to edit, and what the server has."""
        self.require_editable()
        before, stored = self.store.get(identifier), self.stored(identifier)
        if before is not None:
            return before, before, stored
        if stored is None:
            hint = "Somebody may have removed it. Refresh the form to see what is there."
            raise Problem("This record is not there any more.", hint, code="gone")
        return None, as_read(self.dataset, identifier, key_of(identifier), stored), stored

    def edit(self, identifier: str, name: str, text: str, seen: str = "", seen_text: str | None = None) -> RecordView:
        """Give a field the value that a text stands for.

        seen: `print_of` what the page showed; seen_text: the text it showed. When the server's value is another
        one by now, the edit is kept and the record is in conflict at once.
        """
        field = self._writable(name)
        before, record, stored = self._opened_for(identifier, field, seen_text)
        after = with_text(record, field, text, self.formats, stored and stored.get(name))
        after = self._against_seen(record, after, field, stored, seen, seen_text)
        return self._put(f"{field.label}", before, after, stored)

    def edit_value(self, identifier: str, name: str, value: Any) -> RecordView:
        """Give a field a stored value, such as the bytes of a picture."""
        field = self._writable(name)
        before, record, stored = self._opened_for(identifier, field, None)
        after = with_value(record, field, value, stored and stored.get(name))
        return self._put(field.label, before, after, stored)

    def _writable(self, name: str) -> FieldSpec:
        field = self.field(name)
        if field.read_only or field.generated:
            raise Problem(f"{field.label} can't be edited.", "The database makes its value.", code="bad")
        return field

    def _opened_for(self, identifier: str, field: FieldSpec, seen_text: str | None):
        try:
            before, record, stored = self._open(identifier)
        except Problem as problem:
            if problem.code != "gone" or seen_text is None or identifier[:1] not in "ik":
                raise
            # Removed while somebody was typing: what was typed is kept, as a conflict with a record that is gone.
            was = {field.name: self._parsed(seen_text, field)}
            record = PendingRecord(identifier, "edited", key_of(identifier), was, conflict=Conflict(None))
            return None, record, None
        if record.state == "removed":
            raise Problem("This record is marked for removal.", "Keep it first, then edit it.", code="bad")
        if stored is not None and field.name not in record.touched and record.conflict is None:
            # What counts as read is what stood there when the field was first edited.
            record = replace(record, was={**record.was, field.name: stored.get(field.name)})
        return before, record, stored

    def _parsed(self, text: str, field: FieldSpec) -> Any:
        try:
            return KINDS[field.kind].parse(text, field, self.formats)
        except Unreadable:
            return text

    def _against_seen(self, record, after, field, stored, seen, seen_text) -> PendingRecord:
        if stored is None or field.name in record.touched or record.conflict or field.name not in after.touched:
            return after
        current = stored.get(field.name)
        kind = KINDS[field.kind]
        if seen:
            stale = seen != print_of(current)
        else:
            stale = seen_text is not None and kind.text(current, field) != seen_text
        if not stale:
            return after
        was = {**after.was, field.name: None if seen_text is None else self._parsed(seen_text, field)}
        return replace(after, was=was, conflict=Conflict(stored))

    def _put(self, label: str, before, after: PendingRecord, stored) -> RecordView:
        result = None if after.idle else after
        if before != result:
            self.store.put(label, {after.id: before}, {after.id: result})
        return self._view(after.id, None, stored, result)

    def add(self) -> RecordView:
        """A new record."""
        self.require_editable()
        record = new_record()
        self.store.put("New record", {record.id: None}, {record.id: record})
        self.forget_new()
        return self._view(record.id, self.position(record.id), None, record)

    def remove(self, identifier: str) -> RecordView | None:
        """Mark a record for removal; of a new one nothing is left (None)."""
        before, record, stored = self._open(identifier)
        after = removed(record)
        self.store.put("Remove record", {identifier: before}, {identifier: after})
        self.forget_new()
        return None if after is None else self._view(identifier, None, stored, after)

    def keep(self, identifier: str) -> RecordView:
        """Take a removal, or all edits of a record, back."""
        before = self.store.get(identifier)
        if before is None:
            return self.record(identifier)
        self.store.put("Take back", {identifier: before}, {identifier: None})
        return self.record(identifier)

    def choose(self, identifier: str, take_theirs: Sequence[str]) -> RecordView:
        """Settle a conflict: theirs for the fields named, mine for the others."""
        before = self._in_conflict(identifier)
        after = conflicts.resolved(self.dataset, before, take_theirs)
        self.store.put("Settle conflict", {identifier: before}, {identifier: after})
        return self.record(identifier)

    def create_again(self, identifier: str) -> RecordView:
        """Make a record that somebody removed anew, with my edits."""
        before = self._in_conflict(identifier)
        after = conflicts.as_new(self.dataset, before)
        self.store.put("Create again", {identifier: before, after.id: None}, {identifier: None, after.id: after})
        self.forget_new()
        return self._view(after.id, self.position(after.id), None, after)

    def let_go(self, identifier: str) -> RecordView:
        """Drop what is pending on a record in conflict. Raises Problem (gone) when the record itself is gone."""
        before = self._in_conflict(identifier)
        self.store.put("Settle conflict", {identifier: before}, {identifier: None})
        return self.record(identifier)

    def gone(self, identifier: str) -> bool:
        """Whether a record in conflict is not there any more."""
        conflict = self._in_conflict(identifier).conflict
        return conflict is not None and conflict.theirs is None

    def _in_conflict(self, identifier: str) -> PendingRecord:
        record = self.store.get(identifier)
        if record is None or record.conflict is None:
            raise Problem("This record is not in conflict any more.", "Reload the page to see it.", code="bad")
        return record

    # -- saving ---------------------------------------------------------------------------------------

    def problems(self, records: Mapping[str, PendingRecord]) -> dict[str, list[Complaint]]:
        """The records that can't be saved as they are: with complaints, or with a conflict to settle."""
        found = {}
        for identifier, record in records.items():
            complaints = [c for c in self.complaints(replace(record, refusals=())) if c.code != "server"]
            if record.conflict:
                complaints.append(Complaint("conflict", "Somebody else changed this record; choose what stays.", ()))
            if complaints:
                found[identifier] = complaints
        return found

    def save(self) -> tuple[SaveOutcome, dict[str, list[Complaint]]]:
        """Save the draft. What holds it back before the server is asked comes as the second part."""
        self.require_editable()
        records = self.store.all()
        problems = self.problems(records)
        if problems or not records:
            return SaveOutcome(), problems
        outcome = save(self.rows.spec, self.dataset, list(records.values()), self.rules)
        if outcome.committed:
            self.store.clear()
        else:
            self.store.settle(
                {
                    one: replace(
                        record,
                        conflict=outcome.conflicts.get(one),
                        refusals=tuple(outcome.refusals.get(one, ())),
                    )
                    for one, record in records.items()
                    if one in outcome.conflicts or one in outcome.refusals or record.refusals
                }
            )
        self.forget_new()
        return outcome, {}
