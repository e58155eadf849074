"""What the desk answers: HTML fragments, and events for the page's scripts."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from secrets import token_hex
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import mark_safe

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.related import related_values
from enlace.core.dataset.window import Row
from enlace.core.draft import PendingRecord, conflicts
from enlace.core.expression import ExpressionError
from enlace.core.kinds import KINDS, Nonconforming, stored_as
from enlace.core.problem import Problem
from enlace.core.save.action import Action, ActionSpec
from enlace.rows.writer import Overlay, row_writer

from .addresses import filters_text, order_text, view_text
from .work import RecordView, Work, digest_of, record_digest

MOST_TOLD = 600  # characters of a text that travels in an event


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

    @property
    def inputmode(self) -> str:
        return KINDS[self.field.kind].inputmode

    @property
    def example(self) -> str:
        return KINDS[self.field.kind].example

    @property
    def default_words(self) -> str:
        """What the database fills in, as people read it."""
        default = (self.field.default or "").strip("()'")
        if self.field.kind == "yesno":
            return {"0": "no", "false": "no", "1": "yes", "true": "yes"}.get(default.lower(), default)
        return default

    def noted(self, state: str) -> bool:
        """Whether there is anything to say beside the editor of a record in a state."""
        hint = state == "new" and (self.field.generated or (self.field.default and not self.text))
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
    for one in sorted(view.complaints, key=lambda c: not c.holds_back):  # what holds back is said first
        state = TOLD.get(one.code, "wrong")
        places = sorted((name for name in one.fields if name in order), key=order.__getitem__)
        for name in places:
            at = work.dataset.any_name[places[0]].label
            again = name != places[0] and len(one.sentence) > SAID_AGAIN
            told.setdefault(
                name, (state, f"See {at}: what is asked there concerns this too." if again else one.sentence)
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
        void=_void(field, value, typed),
        lacking=bool(
            field.lookup and not field.lookup.others and value is not None and chosen is None and typed is None
        ),
        fixed=field.name in view.locked,
        needed=field.required,
    )


def _void(field: FieldSpec, value: Any, typed: str | None) -> str:
    free = field.kind in ("text", "longtext") and field.nullable and not (field.read_only or field.storage)
    free = free and field.lookup is None
    if not free or typed is not None or value not in (None, ""):
        return ""
    return "null" if value is None else "text"


def base_context(work: Work) -> dict[str, Any]:
    """What every fragment and page of a form needs. at: the address of its acts."""
    return {
        "form": work.form,
        "part": work.part,
        "dataset": work.dataset,
        "order": order_text(work.rows),
        "filters": filters_text(work.filter_texts),
        "view": view_text(work.rows, work.filter_texts),
        "at": work.address,
        "practice": work.practice,
        "kept": work.kept,
    }


class Answer:
    """One answer to the page: fragments in a fixed order, and events."""

    def __init__(self, request: HttpRequest, work: Work) -> None:
        self.request, self.work = request, work
        self.parts: list[str] = []
        self.events: dict[str, Any] = {}

    def template(self, name: str, **context: Any) -> Answer:
        self.parts.append(render_to_string(f"desk/{name}", {**base_context(self.work), **context}, self.request))
        return self

    def panel(self, view: RecordView | None) -> Answer:
        """The editors of a record; tells the page that it is the current one."""
        if view is not None:
            self.events["enlace:current"] = {"id": view.id, "position": view.position}
        return self.template("panel.html", swap=True, **panel_context(self.work, view))

    def pulsed(self) -> Answer:
        """The answer is one that nobody pressed for: the page leaves alone what is being typed."""
        self.events["enlace:pulsed"] = {}
        return self

    def drifted(self, identifier: str, position: int, stored: Mapping[str, Any] | None) -> Answer:
        """Warn that somebody else changed the record since the page read it."""
        pending = self.work.store.get(identifier)
        self.events["enlace:drift"] = {"record": identifier, "seen": record_digest(stored)}
        lines = [] if stored is None or pending is None else drift_lines(self.work, pending, stored)
        return self.template("drift.html", swap=True, gone=stored is None, pending=pending, lines=lines)

    def notes(self, view: RecordView, name: str) -> Answer:
        """What stands beside each editor after an edit of one field; the editors keep what is being typed in them.

        Notes without a word are left out: the page empties all that are not named.
        """
        editors = editor_views(self.work, view)
        spoken = [one for one in editors if one.noted(view.state)]
        edited = next(one for one in editors if one.field.name == name)
        settled = {"record": view.id, "number": edited.number, "notes": [one.number for one in spoken]}
        settled["state"] = view.state
        if len(edited.text) < MOST_TOLD:  # a long text stays as it was typed
            settled["text"] = edited.text
        settled["others"] = _others(self.work, editors, edited)
        settled["fixed"] = {one.number: one.fixed for one in editors if one.field.read_only_when}
        # It grows with the fields of a form: in the body, since browsers and what stands between refuse long headers.
        self.parts.append(
            format_html('<template data-event="enlace:settled" data-detail="{}"></template>', json.dumps(settled))
        )
        if edited.state == "wrong":
            self.say(f"{edited.field.label}: {edited.message}")
        return self.template("notes.html", record=view, editors=spoken)

    def row(self, view: RecordView) -> Answer:
        """The record's row, wherever the grid shows it."""
        self.parts.append(row_html(self.work, view))
        return self

    def rail(self, position: int | None, total: int | None) -> Answer:
        if total is not None:
            self.events["enlace:total"] = {"total": total}
        return self.template("rail.html", swap=True, **rail_context(self.work, position, total))

    def strip(self) -> Answer:
        self.events["enlace:draft"] = {"revision": self.work.store.revision}
        return self.template("strip.html", swap=True, **strip_context(self.work))

    def say(self, sentence: str) -> Answer:
        """A quiet line that a screen reader gets too."""
        self.events["enlace:said"] = {"sentence": sentence[:MOST_TOLD]}
        return self

    def stale(self) -> Answer:
        """The rows on the page are not what they were."""
        self.events["enlace:stale"] = {}
        return self

    def response(self, status: int = 200) -> HttpResponse:
        response = HttpResponse("".join(self.parts), status=status)
        if self.events:
            response["HX-Trigger"] = json.dumps(self.events)
        return response


def _others(work: Work, editors: list[EditorView], edited: EditorView) -> dict[int, str]:
    """What the editors beside an edited one show now: calculated fields, and the rest of a reference."""
    also = {name for name, _ in edited.field.lookup.also} if edited.field.lookup else set()
    return {one.number: one.text[:80] for one in editors if one.field.formula or one.field.name in also}


def drift_lines(work: Work, pending: PendingRecord, stored: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The fields that are not on the server what they were when a pending record was read."""
    found = []
    for field in work.dataset.shown:
        if field.name not in pending.was or conflicts.exactly(pending.was[field.name], stored.get(field.name)):
            continue
        now = work.words.of(work.dataset, field, stored)[:80]
        found.append({"label": field.label, "now": now, "mine": field.name in pending.touched})
    return found


def panel_context(work: Work, view: RecordView | None) -> dict[str, Any]:
    """What the panel of a record shows; None is an empty table."""
    if view is None:
        return {"record": None, "editors": []}
    context: dict[str, Any] = {"record": view, "editors": editor_views(work, view)}
    context["seen"] = record_digest(view.stored)
    context["actions"] = offered(work, view)
    context["details"] = [part for part in work.parts.values() if part.name and part.of == work.part.name]
    if view.pending is not None and view.stored is not None and view.state in ("edited", "removed"):
        context["lines"] = drift_lines(work, view.pending, view.stored)
    context["general"] = [c.sentence for c in view.complaints if not c.fields]
    if view.pending is not None and view.pending.conflict:
        context["conflict"] = _conflict_context(work, view)
    return context


def offered(work: Work, view: RecordView) -> list[dict[str, Any]]:
    """The form's server actions, each with whether it can be run on a record now."""
    if work.part.name:
        return []
    found = []
    for one in work.form.actions.all():
        try:
            ready = ready_action(work.dataset, one.to_spec(), work.form.dataset.connection.kind)
        except Problem:
            continue  # the table has changed since it was written; the workshop's page says so
        may = False
        if view.stored is not None and view.pending is None:
            related = related_values(work.spec, work.dataset, ready.related, view.stored) if ready.related else None
            may = ready.allows(view.stored, related)
        found.append({"pk": one.pk, "title": one.title, "question": one.question, "may": may, "token": token_hex(16)})
    return found


@derived
def ready_action(dataset: DatasetSpec, spec: ActionSpec, server: str) -> Action:
    """An action made ready once."""
    return Action(dataset, spec, server)


def _conflict_context(work: Work, view: RecordView) -> dict[str, Any]:
    pending = view.pending
    assert pending is not None and pending.conflict is not None

    def text(field: FieldSpec, value: Any) -> str:
        shown = work.words.of(work.dataset, field, {**view.values, field.name: value})
        return shown[:300] + ("…" if len(shown) > 300 else "")

    lines = [
        {
            "field": one.field,
            "number": work.dataset.fields.index(one.field),
            "was": text(one.field, one.was),
            "mine": pending.texts.get(one.field.name) or text(one.field, one.mine),
            "theirs": text(one.field, one.theirs),
            "mine_edited": one.mine_edited,
            "disputed": one.disputed,
        }
        for one in conflicts.versions(work.dataset, pending)
    ]
    return {
        "lines": lines,
        "kind": pending.conflict.kind,
        "gone": pending.conflict.theirs is None,
        "removing": pending.state == "removed",
        "combinable": conflicts.combinable(work.dataset, pending),
        "later": pending.later,
    }


def rail_context(work: Work, position: int | None, total: int | None) -> dict[str, Any]:
    """What the navigator shows. position counts from 0."""
    last = None if total is None else max(total - 1, 0)
    return {
        "position": position,
        "number": None if position is None else position + 1,
        "total": total,
        "total_text": "" if total is None else work.formats.number()(total),
        "back": max((position or 0) - 1, 0),
        "next": (position or 0) + 1,
        "last": last,
        "at_first": position is None or position <= 0,
        "at_last": position is None or (last is not None and position >= last),
    }


def strip_context(work: Work) -> dict[str, Any]:
    """What the save strip shows."""
    counts = work.store.counts()
    words = [f"{counts[state]} {word}" for state, word in STATES if counts[state]]
    return {
        "counts": counts,
        "pending_words": ", ".join(words),
        "can_undo": work.store.can_undo(),
        "can_redo": work.store.can_redo(),
        "token": token_hex(16),  # a save that is sent again from this page is known by it
    }


STATES = (("edited", "edited"), ("new", "new"), ("removed", "to be removed"))


def row_html(work: Work, view: RecordView) -> str:
    """A record's row, to be replaced in a page that shows it."""
    position = view.position
    if position is None:
        position = -1  # the page knows where the row stands
    values = tuple(view.value(f.name) if view.stored is None else view.stored.get(f.name) for f in work.dataset.fields)
    values = tuple(
        len(v) if isinstance(v, bytes) and f.kind in ("picture", "binary") else v[:200] if isinstance(v, str) else v
        for f, v in zip(work.dataset.fields, values, strict=True)
    )
    extra = tuple(view.calculated.get(f.name) for f in work.dataset.extra)
    row = Row(view.id, position, values, extra, _shown(work, view))
    writer = row_writer(work.dataset, work.formats)
    if view.pending is None:
        return writer.plain(row).replace(' class="record"', ' class="record" hx-swap-oob="true"', 1)
    over = Overlay(view.complaints, extra, lambda f, record: work.words.of(work.dataset, f, record))
    return writer.changed(row, view.pending, over, swap=True)


def _shown(work: Work, view: RecordView) -> tuple[tuple[Any, ...], ...]:
    """What lookups show for a record as stored: one text each, as if it were the first column."""
    stored = view.stored or {}
    texts = (work.words.chosen(work.dataset, field, stored) for field, _ in work.dataset.looked_up.values())
    return tuple((text,) if text else () for text in texts)


def rows_html(work: Work, start: int, size: int) -> str:
    """The rows of a window."""
    rows, pending = work.window(start, size)
    return mark_safe(row_writer(work.dataset, work.formats).write(rows, pending, work.overlay))
