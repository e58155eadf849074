"""Conflicts: was, mine and theirs, and what becomes of a record when a person has chosen."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from ..kinds import KINDS
from ..model.dataset import DatasetSpec, FieldSpec
from ..model.values import key_of
from .pending import PendingRecord, is_long, new_record


@dataclass(frozen=True)
class Version:
    """The three versions of one field. mine_edited: whether I edited it; theirs_changed: whether they did."""

    field: FieldSpec
    was: Any
    mine: Any
    theirs: Any
    mine_edited: bool
    theirs_changed: bool

    @property
    def disputed(self) -> bool:
        return self.mine_edited and self.theirs_changed


def versions(dataset: DatasetSpec, record: PendingRecord) -> list[Version]:
    """The fields that either side changed, in the dataset's order."""
    assert record.conflict is not None
    theirs = record.conflict.theirs
    made = []
    for field in dataset.fields:
        if field.name not in record.was and field.name not in record.now:
            continue
        was = record.was.get(field.name)
        mine = record.now.get(field.name, was)
        their = None if theirs is None else theirs.get(field.name)
        mine_edited = field.name in record.touched
        theirs_changed = theirs is not None and not exactly(was, their)
        if mine_edited or theirs_changed:
            made.append(Version(field, was, mine, their, mine_edited, theirs_changed))
    return made


def exactly(a: Any, b: Any) -> bool:
    """Whether two stored values are the same to the last letter, NULL equal to NULL."""
    if isinstance(a, bool) or isinstance(b, bool):
        a, b = (int(v) if isinstance(v, bool) else v for v in (a, b))
    number = (int, float)
    # NaN is not equal to itself, and nobody changed it for that.
    if isinstance(a, number) and isinstance(b, number):
        return a == b or (a != a and b != b)
    if type(a) is Decimal and type(b) is Decimal and a.is_nan() and b.is_nan():
        return True
    return type(a) is type(b) and bool(a == b)


def combinable(dataset: DatasetSpec, record: PendingRecord) -> bool:
    """Whether both sides changed only fields that the other left alone, so that nothing gets lost by taking both."""
    if record.conflict is None or record.conflict.theirs is None or record.state != "edited":
        return False
    several = versions(dataset, record)
    return any(version.theirs_changed for version in several) and not any(version.disputed for version in several)


def resolved(dataset: DatasetSpec, record: PendingRecord, take_theirs: Collection[str]) -> PendingRecord | None:
    """The record after a choice: for the fields named, theirs; for all others, mine.

    The next save compares with theirs, so that a change that comes in between is noticed again. A record whose key
    somebody changed, or that somebody else entered too, goes on as an edit of theirs. None when nothing of mine is
    left.
    """
    assert record.conflict is not None and record.conflict.theirs is not None
    theirs, moved = record.conflict.theirs, record.conflict.id
    if moved:
        record = replace(record, id=moved, key=key_of(moved), state=STAYS.get(record.state, "edited"))
    now = {}
    for name, value in record.now.items():
        field = dataset.by_name[name]
        if name not in take_theirs and not KINDS[field.kind].same(theirs.get(name), value, field):
            now[name] = value
    texts = {name: text for name, text in record.texts.items() if name not in take_theirs}
    waits_for = {name: source for name, source in record.waits_for.items() if name not in take_theirs}
    kept = {*now, *texts, *waits_for}
    # Long values are kept as read only where the next save compares them, or each conflict would carry pictures
    # about.
    was = {n: v for n, v in theirs.items() if not is_long(v) or n in kept or dataset.compare == "all"}
    made = replace(record, was=was, now=now, texts=texts, waits_for=waits_for, conflict=None, refusals=(), later=False)
    return None if made.idle else made


STAYS = {"removed": "removed"}


def as_new(dataset: DatasetSpec, record: PendingRecord) -> PendingRecord:
    """A record that somebody removed, as a new one with what was read and what I edited."""
    values = {
        name: value
        for name, value in record.values().items()
        if name in dataset.by_name and not dataset.by_name[name].generated and value is not None
    }
    return replace(new_record(), now=values, texts=record.texts, waits_for=record.waits_for)


def saved_meanwhile(
    dataset: DatasetSpec, sent: PendingRecord, now: PendingRecord, identifier: str
) -> PendingRecord | None:
    """What is left of a record that somebody went on editing while its save was under way.

    sent: what was saved. now: what stands in the draft. identifier: the id that it has since. What was saved counts as
    read, and only what was edited after it is pending; None when that is nothing.
    """
    if not identifier:
        return None  # it was removed
    was = {**sent.was, **sent.now}
    wanted = now.values() if now.state != "removed" else {}
    edited = {}
    for name in now.now:
        field = dataset.by_name.get(name)
        if field is not None and not KINDS[field.kind].same(was.get(name), wanted[name], field):
            edited[name] = wanted[name]
    # A field that was given back its first value while the other one was on its way to the server.
    for name in sent.now.keys() - now.now.keys() - now.texts.keys():
        if now.state == "edited" and name in sent.was:
            edited[name] = sent.was[name]  # it was taken back meanwhile
    state = "removed" if now.state == "removed" else "edited"
    known = {name: value for name, value in was.items() if not is_long(value) or name in edited}
    record = PendingRecord(identifier, state, key_of(identifier), known, edited, now.texts, waits_for=now.waits_for)
    return None if record.idle else record
