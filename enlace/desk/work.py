"""One person at work on one form: the records as they stand, and the save.

No HTML here: `enlace.desk.answers` shows what this computes. `enlace.desk.editing` makes the changes.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

from django.db import transaction

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.window import Row, Rows
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import unreadable
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.rules import Complaint, RecordRules
from enlace.core.save import SaveOutcome, rehearse, save

from .drafts import DraftStore
from .journal import write_entry


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
            return self.rows.count() + self.new_ids.index(identifier) if identifier in self.new_ids else None
        with _known_ids():
            return int(identifier[1:]) if identifier.startswith("p") else self.rows.position(identifier)

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

    def require_editable(self) -> None:
        """Raises Problem when the form is for reading only."""
        if not self.dataset.editable:
            raise Problem("Nothing was changed.", self.dataset.read_only_because, code="read-only")

    def view(
        self, identifier: str, position: int | None, stored: Mapping[str, Any] | None, pending: PendingRecord | None
    ) -> RecordView:
        """A record as a person sees it, from what is known of it."""
        return RecordView(identifier, position, stored, pending, tuple(self.complaints(pending, stored)))

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

    def _to_send(self) -> tuple[dict[str, PendingRecord], dict[str, list[Complaint]]]:
        """The draft, and what holds it back before the server is asked."""
        self.require_editable()
        records = self.store.all()
        return records, self.problems(records)

    def rehearse(self) -> tuple[SaveOutcome, dict[str, list[Complaint]]]:
        """Try the save on the server and roll it back; the draft stays as it is."""
        records, problems = self._to_send()
        if problems or not records:
            return SaveOutcome(), problems
        return rehearse(self.rows.spec, self.dataset, list(records.values()), self.rules), {}

    def save(self) -> tuple[SaveOutcome, dict[str, list[Complaint]]]:
        """Save the draft. What holds it back before the server is asked comes as the second part."""
        records, problems = self._to_send()
        if problems or not records:
            return SaveOutcome(), problems
        in_doubt = self.store.begin_sending()
        try:
            outcome = save(self.rows.spec, self.dataset, list(records.values()), self.rules, in_doubt)
        except Problem:
            if not in_doubt:
                self.store.end_sending()  # nothing was written, and that is known
            raise
        if outcome.committed:
            with transaction.atomic():
                write_entry(self, records.values(), outcome)
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
            self.store.end_sending()
        self.forget_new()
        return outcome, {}
