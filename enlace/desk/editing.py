"""What a person can do to a record: each act reads the server first, then changes the draft in one transaction.

The order matters: Enlace's own database is never kept locked while another one is waited for, and two windows
of one person that edit the same record at once both leave their edit in the draft.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import found_by_text
from enlace.core.draft import Conflict, PendingRecord, conflicts
from enlace.core.draft.conflicts import exactly
from enlace.core.draft.pending import Edit, as_read, new_ids, new_record, removed, with_text, with_value
from enlace.core.kinds import KINDS, Unreadable
from enlace.core.model.values import key_of
from enlace.core.problem import Problem

from .checks import gone_fields
from .journal import own_saves
from .record_view import RecordView, digest_of
from .typed import option_value, typed_in
from .work import Work

Stored = Mapping[str, Any] | None


@dataclass(frozen=True)
class Kept:
    """An edit that the draft has by now, whatever comes after. result: the pending record, None where it changed nothing."""

    work: Work
    id: str
    stored: Stored
    result: PendingRecord | None

    def view(self) -> RecordView:
        """The record as it is now. Raises Problem where the database can't tell what belongs to it.

        Rules that need something from elsewhere are asked here, not while the draft is kept.
        """
        view = self.work.view(self.id, None, self.stored, self.result)
        if self.result is not None and self.work.rules.related:
            faulty = bool(self.result.conflict) or any(complaint.holds_back for complaint in view.complaints)
            self.work.store.note_fault(self.id, faulty)
        return view


def edit(
    work: Work,
    identifier: str,
    name: str,
    text: str,
    seen: str = "",
    seen_text: str | None = None,
    choice: str = "",
) -> Kept:
    """Give a field the value that a text stands for.

    seen: `print_of` what the page showed; seen_text: the text it showed. When the server's value is another
    one by now, the edit is kept and the record is in conflict at once. choice: the line of the field's list that was
    chosen, as the list named it.
    """
    # The server is asked first, outside the transaction: it may be slow, and another window wants to write too.
    field, stored = _writable(work, name), work.stored(identifier)
    there = work.store.get(identifier)
    _unlocked(work, identifier, field, stored, there)
    typed = typed_in(work, field, text, choice, there.values(stored) if there else stored or {})
    # A conflict tells what the person saw, as a value; where it can't be told, as the text.
    read = None if seen_text is None else _parsed(work, seen_text, field)
    with transaction.atomic():
        if stored is None and seen_text is not None and identifier[:1] in "ik" and work.store.get(identifier) is None:
            # Removed while somebody was typing: what was typed is kept, in conflict with a record that is gone.
            gone = Conflict(None, "removed here" if any(True for _ in own_saves(work, identifier, True)) else "removed")
            before: PendingRecord | None = None
            record = PendingRecord(identifier, "edited", key_of(identifier), {name: read}, conflict=gone)
        else:
            before, record = _opened_for(work, identifier, field, stored)
        edit = Edit(record)
        typed.into(edit, stored)
        after = edit.made()
        after = _against_seen(record, after, field, stored, seen, seen_text, read, work, identifier)
        result = _put(work, field.label, before, after)
    return Kept(work, after.id, stored, result)


def preview(work: Work, identifier: str, name: str, text: str) -> RecordView:
    """The record as it would be with a text in a field; nothing is kept."""
    field, stored = work.field(name), work.stored(identifier)
    there = work.store.get(identifier)
    record = there or as_read(work.dataset, identifier, key_of(identifier) if stored else (), stored or {})
    made = with_text(record, field, text, work.formats, stored and stored.get(name))
    return work.glimpse(identifier, stored, made)


def edit_value(work: Work, identifier: str, name: str, value: Any) -> Kept:
    """Give a field a stored value, such as the bytes of a picture."""
    field, stored = _writable(work, name), work.stored(identifier)
    _unlocked(work, identifier, field, stored, work.store.get(identifier))
    with transaction.atomic():
        before, record = _opened_for(work, identifier, field, stored)
        after = with_value(record, field, value, stored and stored.get(name))
        result = _put(work, field.label, before, after)
    return Kept(work, after.id, stored, result)


def fresh(work: Work) -> PendingRecord:
    """A new record as it starts, not kept yet. Raises Problem where none can be entered."""
    work.require_editable()
    if lacking := work.dataset.lacking_keys:
        labels = " and ".join(work.dataset.by_name[name].label for name in lacking)
        raise Problem(f"Nothing can be added here: {labels} identifies records and can't be entered.", code="bad")
    starting = work.rules.computed.starting(work.checks.of_master(work.part, work.master))
    record = replace(new_record(), now=starting)
    if work.part.name:
        master = work.master_work.record(work.master)
        linked = work.part.links_to(work.master, master.pending, dict(master.stored) if master.stored else None)
        record = replace(linked, now={**record.now, **linked.now})
    return record


def several_fresh(work: Work, count: int) -> list[PendingRecord]:
    """Several new records as they start: what they begin with is looked up once for all of them."""
    if not count:
        return []
    first = fresh(work)
    return [PendingRecord.entered(identifier, first.now, first.waits_for) for identifier in new_ids(count)]


def add(work: Work) -> RecordView:
    """A new record."""
    record = fresh(work)
    work.store.put("New record", {record.id: None}, {record.id: record})
    work.forget_new()
    return work.view(record.id, work.position(record.id), None, record)


def duplicate(work: Work, identifier: str) -> RecordView:
    """A new record with the values of another one, but for its key and what the database makes."""
    view = work.record(identifier)
    record = fresh(work)
    # The key would be taken, and the link is that of the master one stands in.
    own = {*work.dataset.key, *work.part.columns}
    kept = {
        f.name: view.value(f.name)
        for f in work.dataset.fields
        if f.name not in own and not (f.generated or f.read_only)
    }
    record = replace(record, now={**record.now, **{name: value for name, value in kept.items() if value is not None}})
    work.store.put("Duplicate record", {record.id: None}, {record.id: record})
    work.forget_new()
    return work.view(record.id, work.position(record.id), None, record)


def remove(work: Work, identifier: str) -> RecordView | None:
    """Mark a record for removal; of a new one nothing is left (None)."""
    stored = work.stored(identifier)
    with transaction.atomic():
        before, record = _open(work, identifier, stored)
        # In a conflict what was read is what the question is about; it must not be replaced by what is there now.
        if stored is not None and record.conflict is None:
            # All of it counts as read, long values too: a removal overwrites everything, and may be taken back.
            record = replace(record, was={**stored, **{n: record.was[n] for n in record.touched if n in record.was}})
        after = removed(record)
        work.store.put("Remove record", {identifier: before}, {identifier: after})
    work.forget_new()
    return None if after is None else work.view(identifier, None, stored, after)


def discard_changes(work: Work, identifier: str) -> RecordView:
    """Take a removal, or all edits of a record, back."""
    with transaction.atomic():
        before = work.store.get(identifier)
        if before is not None:
            work.store.put("Discard the changes of a record", {identifier: before}, {identifier: None})
    return work.record(identifier)


def drop(work: Work, identifier: str) -> None:
    """Take all that is pending on a record back; of a new one nothing is left."""
    with transaction.atomic():
        before = work.store.get(identifier)
        if before is not None:
            work.store.put("Discard the changes of a record", {identifier: before}, {identifier: None})
    work.forget_new()


def revert(work: Work, identifier: str, name: str) -> None:
    """Take one pending change of a record back."""
    with transaction.atomic():
        before = work.store.get(identifier)
        if before is None:
            return
        if name in gone_fields(before, work.part):
            field = FieldSpec(name, name, "text")
        else:
            field = work.field(name)
        # Back to what was read, not to what is there now: nothing was decided about the latter.
        current = before.was.get(name)
        after = with_value(before, field, current, current)
        # A new record has nothing to go back to: the field is left to the database's default.
        if before.state == "new":
            after = replace(after, now={n: v for n, v in after.now.items() if n != name})
        work.store.put(field.label, {identifier: before}, {identifier: None if after.idle else after})


def choose(work: Work, identifier: str, take_theirs: Collection[str]) -> RecordView:
    """Settle a conflict: theirs for the fields named, mine for the others."""
    with transaction.atomic():
        before = _in_conflict(work, identifier)
        after = conflicts.resolved(work.dataset, before, take_theirs)
        changed = {identifier: None, **({after.id: after} if after else {})}
        # Settling for theirs may mean another key: the page goes on with the record under the name that it has on the
        # server.
        now = after.id if after else _id_now(before)
        work.store.put("Settle conflict", {identifier: before, **({now: None} if now != identifier else {})}, changed)
    work.forget_new()
    return work.record(now)


def let_go(work: Work, identifier: str) -> RecordView:
    """Drop what is pending on a record in conflict. Raises Problem (gone) when the record itself is gone."""
    with transaction.atomic():
        before = _in_conflict(work, identifier)
        work.store.put("Settle conflict", {identifier: before}, {identifier: None})
    work.forget_new()
    return work.record(_id_now(before))


def create_again(work: Work, identifier: str) -> RecordView:
    """Make a record that somebody removed anew, with my edits."""
    with transaction.atomic():
        before = _in_conflict(work, identifier)
        after = conflicts.as_new(work.dataset, before)
        work.store.put("Create again", {identifier: before, after.id: None}, {identifier: None, after.id: after})
    work.forget_new()
    return work.view(after.id, work.position(after.id), None, after)


def gone(work: Work, identifier: str) -> bool:
    """Whether a record in conflict is not there any more."""
    conflict = _in_conflict(work, identifier).conflict
    return conflict is not None and conflict.theirs is None


# -- how --------------------------------------------------------------------------------------------------


def _open(work: Work, identifier: str, stored: Stored) -> tuple[PendingRecord | None, PendingRecord]:
    """The pending record before an edit, and one to edit."""
    work.require_editable()
    before = work.store.get(identifier)
    if before is not None:
        return before, before
    if stored is None:
        hint = "Somebody may have removed it. Refresh the form to see what is there."
        raise Problem("This record is not there any more.", hint, code="gone")
    return None, as_read(work.dataset, identifier, key_of(identifier), stored)


def _opened_for(
    work: Work, identifier: str, field: FieldSpec, stored: Stored
) -> tuple[PendingRecord | None, PendingRecord]:
    before, record = _open(work, identifier, stored)
    if record.state == "removed":
        raise Problem("This record is marked for removal.", "Discard the removal first, then edit it.", code="bad")
    if stored is not None and field.name not in record.touched and record.conflict is None:
        # What counts as read is what stood there when the field was first edited.
        record = replace(record, was={**record.was, field.name: stored.get(field.name)})
    return before, record


def _writable(work: Work, name: str) -> FieldSpec:
    work.require_editable()
    field = work.field(name)
    if field.read_only or field.generated:
        raise Problem(f"{field.label} can't be edited.", "The database makes its value.", code="bad")
    return field


def _unlocked(work: Work, identifier: str, field: FieldSpec, stored: Stored, there: PendingRecord | None) -> None:
    """Raises Problem when a condition keeps the field from being edited now."""
    if not field.read_only_when:
        return
    if field.name in work.view(identifier, None, stored, there).locked:
        raise Problem(f"{field.label} can't be edited now.", f"It can't while {field.read_only_when}.", code="bad")


def _parsed(work: Work, text: str, field: FieldSpec) -> Any:
    if field.lookup is not None:
        option = found_by_text(work.spec, work.dataset, field, text, work.formats, {}) if text else None
        return option_value(field, option) if option else None
    try:
        return KINDS[field.kind].parse(text, field, work.formats)
    except Unreadable:
        return text


def _against_seen(
    record: PendingRecord,
    after: PendingRecord,
    field: FieldSpec,
    stored: Stored,
    seen: str,
    seen_text: str | None,
    read: Any,
    work: Work,
    identifier: str,
) -> PendingRecord:
    """The edited record, in conflict when the server's value is not the one that the page showed."""
    # Looked at only with the first edit of a field: from then on what was read is known, and the save compares it.
    if stored is None or field.name in record.touched or record.conflict or field.name not in after.touched:
        return after
    current = stored.get(field.name)
    if seen:
        stale = seen != digest_of(current)
    # A page without digests (a block that was pasted, a request by hand) is compared by what it showed.
    elif field.lookup:
        stale = seen_text is not None and work.words.of(work.dataset, field, stored) != seen_text
    else:
        stale = seen_text is not None and KINDS[field.kind].as_typed(current, field, work.formats) != seen_text
    if not stale:
        return after
    if any(field.name in now and exactly(now[field.name], current) for now in own_saves(work, identifier)):
        return after  # the person's own, saved in another window
    return replace(after, was={**after.was, field.name: read}, conflict=Conflict(stored))


def _put(work: Work, label: str, before: PendingRecord | None, after: PendingRecord) -> PendingRecord | None:
    # An edit that goes back to what was read leaves nothing pending, so that a save has nothing to do there.
    result = None if after.idle else after
    if before != result:
        work.store.put(label, {after.id: before}, {after.id: result})
    return result


def _id_now(record: PendingRecord) -> str:
    """The id that a record in conflict has on the server: another one where its key was changed."""
    return (record.conflict.id if record.conflict else "") or record.id


def _in_conflict(work: Work, identifier: str) -> PendingRecord:
    record = work.store.get(identifier)
    if record is None or record.conflict is None:
        raise Problem("This record is not in conflict any more.", "Reload the page to see it.", code="bad")
    return record
