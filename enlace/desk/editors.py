"""What stands in an editor of a record, and beside it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.expression import ExpressionError
from enlace.core.kinds import KINDS, TEXTS, Nonconforming, stored_as

from .record_view import RecordView, digest_of
from .work import Work

CAST = re.compile(r"(?<=')::[a-z ]+(\(\d+\))?$")


@dataclass(frozen=True)
class EditorView:
    """What the editor of one field shows."""

    number: int
    field: FieldSpec
    editor: str
    text: str
    print: str
    state: str  # "", "changed", "wrong", "missing", "warned"
    message: str
    was: str
    odd: str
    waits: bool  # for the key of another new record
    void: str  # for an editor that shows nothing: "null", "text" (an empty one), or "" where there is no choice
    lacking: bool = False  # its value is not in its list
    fixed: bool = False  # may not be edited while the record is as it is
    needed: bool = False
    twin: str = ""  # behind its id, where the sheet has another editor of the field before it

    @property
    def asked(self) -> tuple[Any, ...]:
        """All of it but what it only prints: what a template asks about."""
        return (
            self.number, self.field, self.editor, self.state, self.message, self.was, self.odd, self.waits, self.void,
            self.lacking, self.fixed, self.needed, self.twin,
        )  # fmt: skip

    @property
    def inputmode(self) -> str:
        return KINDS[self.field.kind].inputmode

    @property
    def example(self) -> str:
        return KINDS[self.field.kind].example

    @property
    def default_words(self) -> str:
        """What the database fills in, as people read it; "" for nothing, and for a text with nothing in it."""
        # PostgreSQL writes the type behind a text.
        default = CAST.sub("", (self.field.default or "").strip("()")).strip("()'")
        if self.field.kind == "yesno":
            return {"0": "no", "false": "no", "1": "yes", "true": "yes"}.get(default.lower(), default)
        return default

    @property
    def other_void(self) -> str:
        """What an editor that shows nothing can be made to hold instead."""
        return "text" if self.void == "null" else "null"

    @property
    def silent(self) -> bool:
        """Whether nothing is said beside the editor, in whatever state the record is."""
        told = self.message or self.was or self.odd or self.lacking or self.field.help
        return not (told or self.waits or self.void or self.field.generated or self.field.default)

    def noted(self, state: str) -> bool:
        """Whether there is anything to say beside the editor of a record in a state."""
        hint = state == "new" and (self.field.generated or (self.default_words and not self.text))
        told = self.message or self.was or self.odd or self.lacking or self.field.help
        return bool(told or hint or self.waits or self.void == "text")

    @property
    def locked(self) -> bool:
        return self.field.read_only or self.field.generated or self.waits or self.fixed


SAID_AGAIN = 90  # characters: longer sentences about several fields are said at the first one that was edited
TOLD = {"missing": "missing", "warning": "warned"}


def editor_views(work: Work, view: RecordView) -> list[EditorView]:
    """The editors of a record, one for each field shown."""
    told: dict[str, tuple[str, str]] = {}
    edited = view.pending.now if view.pending else {}
    order = {field.name: (field.name not in edited, i) for i, field in enumerate(work.dataset.shown)}
    for complaint in sorted(view.complaints, key=lambda c: not c.holds_back):  # what holds back is said first
        state = TOLD.get(complaint.code, "wrong")
        if complaint.code == "missing" and work.quiet:
            continue
        places = sorted((name for name in complaint.fields if name in order), key=order.__getitem__)
        for name in places:
            at = work.dataset.any_name[places[0]].label
            again = name != places[0] and len(complaint.sentence) > SAID_AGAIN
            told.setdefault(
                name, (state, f"See {at}: what is asked there concerns this too." if again else complaint.sentence)
            )
    numbers = work.dataset.numbers
    return [
        _calculated_view(work, view, numbers[field.name], field)
        if field.name not in work.dataset.by_name
        else _editor_view(work, view, numbers[field.name], field, told.get(field.name))
        for field in work.dataset.shown
    ]


def _calculated_view(work: Work, view: RecordView, number: int, field: FieldSpec) -> EditorView:
    """A field that is shown and never saved."""
    value = view.value(field.name)
    wrong = str(value) if isinstance(value, ExpressionError) else ""
    text = calculated_text(work, view, field.name)
    state = "wrong" if wrong else ""
    return EditorView(number, field, "none", text, "", state, wrong, "", "", False, "")


def calculated_text(work: Work, view: RecordView, name: str) -> str:
    """What a field that is never saved shows; nothing where it can't be computed."""
    value, field = view.value(name), work.dataset.any_name[name]
    if value is None or isinstance(value, ExpressionError):
        return ""
    return KINDS[field.kind].formatter(field, work.formats)(value)


def _editor_view(work: Work, view: RecordView, number: int, field: FieldSpec, told: Any) -> EditorView:
    kind, pending = KINDS[field.kind], view.pending
    value = view.value(field.name)
    typed = pending.texts.get(field.name) if pending else None
    touched = bool(pending and field.name in pending.touched)
    was = work.words.of(work.dataset, field, pending.was) if pending and touched and pending.state == "edited" else ""
    stored = view.stored.get(field.name) if view.stored else None
    odd = kind.read(value, field) if value is not None else None
    chosen = work.words.chosen(work.dataset, field, view.values) if field.lookup and value is not None else None
    text = kind.as_typed(value, field, work.formats) if chosen is None else chosen
    # What is stored may be neither yes nor no: two ticks could not show it, a line can.
    editor = kind.editor if kind.editor != "tick" or not isinstance(odd, Nonconforming) else "line"
    return EditorView(
        number=number,
        field=field,
        editor="combo" if field.lookup else editor,
        text=text if typed is None else typed,
        print=digest_of(stored) if view.stored is not None else "",
        state=told[0] if told else "changed" if touched else "",
        message=told[1] if told else "",
        was=("was empty" if not was else f"was {was[:80]}{'…' if len(was) > 80 else ''}")
        if touched and pending and pending.state == "edited"
        else "",
        odd=f"Stored as {stored_as(value)}, which is not {kind.phrase}. Save another value to mend it."
        if isinstance(odd, Nonconforming) and not touched
        else "",
        waits=bool(pending and field.name in pending.waits_for),
        # No value and an empty text look the same and are not: where both can be, the difference is said.
        void=_void(field, value, typed),
        lacking=bool(
            field.lookup and not field.lookup.others and value is not None and chosen is None and typed is None
        ),
        fixed=field.name in view.locked,
        # What is left empty in a new record the database fills in, where it has a value for it.
        needed=field.required and (view.stored is not None or field.default is None),
    )


def _void(field: FieldSpec, value: Any, typed: str | None) -> str:
    free = field.kind in TEXTS and field.nullable and not (field.read_only or field.storage)
    free = free and field.lookup is None
    if not free or typed is not None or value not in (None, ""):
        return ""
    return "null" if value is None else "text"
