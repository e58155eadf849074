"""One pending record: what was read, what is wanted, and what the server said."""

from __future__ import annotations

import json
import secrets
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..kinds import KINDS, Formats, Unreadable
from ..model.dataset import DatasetSpec, FieldSpec
from ..model.values import as_json, packed, packed_json, unpacked
from ..rules.record import Complaint

KEEP_WHOLE = 4_000  # longer values are kept as read only for the fields that are edited


@dataclass(frozen=True)
class Conflict:
    """Somebody else changed or removed the record since it was read.

    theirs: the record as it now is on the server, by field; None when it is gone.
    kind: "changed", "removed", "key changed" (theirs stands under another key now) or "inserted" (somebody else
    entered a record with the key of this new one). id: the record id of theirs, where it is not the record's own.
    """

    theirs: Mapping[str, Any] | None
    kind: str = "changed"
    id: str = ""


@dataclass(frozen=True)
class PendingRecord:
    """One record of a draft. Never changed: every edit makes a new one.

    id: the record id it had when read ("n…" for a new one). state: "new", "edited" or "removed".
    key: the key's values as read. was: stored values as read, by field. now: the wanted stored values of the
    edited fields. texts: what was typed where it is no value yet. waits_for: fields whose value the server makes for
    another new record of the same draft, as {field: (part, record id, column)}. later: saves leave it out until
    somebody comes back to it. conflict, refusals: what the last save said.
    """

    id: str
    state: str
    key: tuple[Any, ...] = ()
    was: Mapping[str, Any] = field(default_factory=dict)
    now: Mapping[str, Any] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)
    conflict: Conflict | None = None
    refusals: tuple[Complaint, ...] = ()
    waits_for: Mapping[str, tuple[str, str, str]] = field(default_factory=dict)
    later: bool = False

    @classmethod
    def entered(cls, identifier: str, now: Mapping[str, Any], waits_for: Mapping[str, Any]) -> PendingRecord:
        """A new record with all that somebody entered into it."""
        # A hundred thousand of them come from one file, and a frozen dataclass sets each of its fields by a call.
        made = object.__new__(cls)
        made.__dict__.update(id=identifier, state="new", was={}, now=now, texts={}, waits_for=waits_for)
        return made

    @property
    def touched(self) -> frozenset[str]:
        """The fields that somebody edited."""
        return frozenset((*self.now, *self.texts, *self.waits_for))

    @property
    def idle(self) -> bool:
        """Whether nothing is left to save."""
        return self.state == "edited" and not (self.now or self.texts or self.waits_for)

    def values(self, base: Mapping[str, Any] | None = None) -> dict[str, Any]:
        """The record as wanted: what was read (or `base`, read anew) with the edits over it."""
        return {**(self.was if base is None else base), **self.now}


def new_id() -> str:
    """An id for a record that the server has not got."""
    return "n" + secrets.token_hex(8)


def new_ids(count: int) -> list[str]:
    """Ids for several such records. They follow each other, so that a store which is ordered by them appends."""
    first = new_id()
    return [f"{first}{i:06x}" for i in range(count)]


def new_record() -> PendingRecord:
    """A record that the server has not got."""
    return PendingRecord(id=new_id(), state="new")


def as_read(dataset: DatasetSpec, identifier: str, key: tuple[Any, ...], row: Mapping[str, Any]) -> PendingRecord:
    """A pending record without edits, over a record as just read."""
    # Where a save looks at every field, the long ones are kept too.
    whole = dataset.compare == "all" or not any(map(is_long, row.values()))
    short = dict(row) if whole else {name: value for name, value in row.items() if not is_long(value)}
    return PendingRecord(identifier, "edited", key, short)


def is_long(value: Any) -> bool:
    """Whether a value is too long to be kept as read for a field that nobody edits."""
    return isinstance(value, (str, bytes)) and len(value) > KEEP_WHOLE


def with_text(
    record: PendingRecord, field: FieldSpec, text: str, formats: Formats, current: Any = None
) -> PendingRecord:
    """The record after typing `text` into a field. Text that is no value is kept as it was typed.

    current: the field's stored value as read, for a field that `record.was` does not hold.

    >>> eta, formats = FieldSpec("eta", "ETA", "date", storage="text"), Formats.of("pt_PT")
    >>> with_text(new_record(), eta, "31.3.2026", formats).now
    {'eta': '2026-03-31'}
    >>> with_text(new_record(), eta, "soon", formats).texts
    {'eta': 'soon'}
    """
    edit = Edit(record)
    edit.text(field, text, formats, current)
    return edit.made()


def with_unread(record: PendingRecord, field: FieldSpec, text: str, current: Any = None) -> PendingRecord:
    """The record with a text in a field that is no value of it."""
    edit = Edit(record)
    edit.unread(field, text, current)
    return edit.made()


def with_value(record: PendingRecord, field: FieldSpec, value: Any, current: Any = None) -> PendingRecord:
    """The record after giving a field a stored value; an edit back to what was read is no edit."""
    edit = Edit(record)
    edit.value(field, value, current)
    return edit.made()


Held = dict[str, Any]


def leave_unread(now: Held, texts: Held, waits_for: Held, name: str, text: str) -> None:
    """Leave a text in a field that is no value of it."""
    now.pop(name, None)
    waits_for.pop(name, None)
    texts[name] = text


def give_new(now: Held, texts: Held, waits_for: Held, name: str, value: Any) -> None:
    """Give a field of a new record a stored value."""
    touched = name in now or name in texts or name in waits_for
    texts.pop(name, None)
    waits_for.pop(name, None)
    # A new record says nothing of a field that was left alone, so that the database fills in its default.
    if value is not None or touched:
        now[name] = value


class Edit:
    """A record while fields of it are edited, one after another; `made` is what comes of it. Arguments as of `with_text`."""

    def __init__(self, record: PendingRecord) -> None:
        self.record = record
        self.was, self.now, self.texts = dict(record.was), dict(record.now), dict(record.texts)
        self.waits_for = dict(record.waits_for)
        self.names: set[str] = set()

    def touched(self, name: str) -> bool:
        """Whether somebody has edited a field."""
        return name in self.now or name in self.texts or name in self.waits_for

    def text(self, field: FieldSpec, text: str, formats: Formats, current: Any = None) -> None:
        """Type a text into a field."""
        try:
            value = KINDS[field.kind].typed_over(text, self.was.get(field.name, current), field, formats)
        except Unreadable:
            self.unread(field, text, current)
        else:
            self.value(field, value, current)

    def unread(self, field: FieldSpec, text: str, current: Any = None) -> None:
        """Leave a text in a field that is no value of it."""
        leave_unread(self.now, self.texts, self.waits_for, field.name, text)
        self._edited(field.name, current)

    def leave(self, name: str) -> None:
        """Say nothing of a field any more."""
        for held in (self.texts, self.now, self.waits_for):
            held.pop(name, None)
        self.names.add(name)

    def value(self, field: FieldSpec, value: Any, current: Any = None) -> None:
        """Give a field a stored value."""
        name = field.name
        if self.record.state == "new":
            give_new(self.now, self.texts, self.waits_for, name, value)
        else:
            for held in (self.texts, self.now, self.waits_for):
                held.pop(name, None)
            if not KINDS[field.kind].same(self.was.get(name, current), value, field):
                self.now[name] = value
        self._edited(name, current)

    def _edited(self, name: str, current: Any) -> None:
        self.names.add(name)
        # Compared by the save, so that somebody else who changed this field meanwhile is noticed.
        if self.record.state != "new" and name not in self.was and self.touched(name):
            self.was[name] = current

    def made(self) -> PendingRecord:
        """The record as it is now, without refusals that were about what was edited, or about the whole of it."""
        # Whether the server still refuses that is not known after an edit.
        was = self.record
        left = tuple(r for r in was.refusals if r.fields and self.names.isdisjoint(r.fields))
        return PendingRecord(
            was.id, was.state, was.key, self.was, self.now, self.texts, was.conflict, left, self.waits_for, was.later
        )


def unreadable(record: PendingRecord, dataset: DatasetSpec, formats: Formats) -> list[Complaint]:
    """What is wrong with the texts that are no values yet."""
    complaints = []
    for name, text in record.texts.items():
        field = dataset.by_name.get(name)
        if field is None:
            continue
        if field.lookup is not None and not field.lookup.others:
            sentence = f"“{text[:60]}” is not in the list. Choose one of its lines, or clear the field."
            complaints.append(Complaint("unreadable", sentence, (name,)))
            continue
        try:
            KINDS[field.kind].parse(text, field, formats)
        except Unreadable as error:
            complaints.append(Complaint("unreadable", str(error), (name,)))
    return complaints


def removed(record: PendingRecord) -> PendingRecord | None:
    """The record marked for removal; None for a new one, of which nothing is left."""
    return (
        None if record.state == "new" else replace(record, state="removed", now={}, texts={}, waits_for={}, refusals=())
    )


def handed_down(record: PendingRecord, part: str, identifier: str, values: Mapping[str, Any]) -> PendingRecord:
    """A record that waited for the key of another one, once that one is saved. values: of the saved record."""
    known = {
        name: values[column] for name, (p, text, column) in record.waits_for.items() if (p, text) == (part, identifier)
    }
    rest = {name: source for name, source in record.waits_for.items() if name not in known}
    return replace(record, now={**record.now, **known}, waits_for=rest)


# -- the text form ----------------------------------------------------------------------------------------

Put = Callable[[Any], Any]
AS_THEY_ARE = frozenset({int, bool, type(None)})  # in JSON too
TEXTS_TOO = AS_THEY_ARE | {str}


def dump(record: PendingRecord, pack: Put = packed) -> str:
    """A record as text. pack: what makes a JSON value of a stored one (a store may keep large ones apart)."""
    if pack is packed and record.state == "new" and not (record.key or record.was or record.conflict):
        return _dump_new(record)
    plain = TEXTS_TOO if pack is packed else AS_THEY_ARE

    def mapped(values: Mapping[str, Any]) -> dict[str, Any]:
        return {name: value if type(value) in plain else pack(value) for name, value in values.items()}

    body: dict[str, Any] = {"state": record.state, "key": [pack(v) for v in record.key]}
    body |= {"was": mapped(record.was) if record.was else {}, "now": mapped(record.now), "texts": dict(record.texts)}
    if record.conflict:
        theirs = record.conflict.theirs
        body["conflict"] = {"theirs": None if theirs is None else mapped(theirs)}
        body["conflict"] |= {"kind": record.conflict.kind, "id": record.conflict.id}
    return as_json(body | _said(record))


def _dump_new(record: PendingRecord) -> str:
    """`dump` of a record that has nothing but what somebody entered: a file has a hundred thousand."""
    body = {"state": "new", "key": [], "was": {}, "now": dict(record.now), "texts": dict(record.texts)}
    return packed_json(body | _said(record), record.now.values())


def dump_entered(several: Iterable[Mapping[str, Any]], waits_for: Mapping[str, Any]) -> list[str]:
    """`dump` of new records that have nothing but what somebody entered, by field, `packed` already."""
    rest = as_json({"texts": {}, **_said(PendingRecord("", "new", waits_for=waits_for))})[1:]
    return [f'{{"state":"new","key":[],"was":{{}},"now":{as_json(now)},{rest}' for now in several]


def _said(record: PendingRecord) -> dict[str, Any]:
    """What few records have, as text."""
    said: dict[str, Any] = {}
    if record.refusals:
        said["refusals"] = [[c.code, c.sentence, list(c.fields)] for c in record.refusals]
    if record.waits_for:
        said["under"] = {name: list(source) for name, source in record.waits_for.items()}
    if record.later:
        said["later"] = True
    return said


def load(identifier: str, text: str, unpack: Put = unpacked) -> PendingRecord:
    """The record behind what `dump` made."""
    body = json.loads(text)

    def mapped(values: Mapping[str, Any]) -> dict[str, Any]:
        # Plain values stand as they are; only those with a type of their own are packed, which spares most of the
        # work.
        return {name: unpack(value) if isinstance(value, dict) else value for name, value in values.items()}

    conflict = body.get("conflict")
    return PendingRecord(
        id=identifier,
        state=body["state"],
        key=tuple(unpack(v) for v in body["key"]),
        was=mapped(body["was"]),
        now=mapped(body["now"]),
        texts=body["texts"],
        conflict=None if conflict is None else _conflict(conflict, mapped),
        refusals=tuple(Complaint(code, words, tuple(names)) for code, words, names in body.get("refusals", ())),
        waits_for={
            name: (part, identifier, column) for name, (part, identifier, column) in body.get("under", {}).items()
        },
        later=body.get("later", False),
    )


def _conflict(body: dict[str, Any], mapped: Callable[[Mapping[str, Any]], dict[str, Any]]) -> Conflict:
    theirs = body["theirs"]
    return Conflict(theirs and mapped(theirs), body.get("kind", "changed"), body.get("id", ""))
