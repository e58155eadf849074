"""The pending changes of a draft as a list to read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from django.urls import reverse

from enlace.core.dataset.inference.telling import called_by
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, TEXTS, raw_text
from enlace.core.problem import Problem
from enlace.core.save import Part
from enlace.core.save.preview import statement_text
from enlace.rows.writer import STATE_WORDS

from .checks import gone_fields
from .parts import FormPart
from .report import SaveReport
from .work import Work

MOST_SHOWN = 200


def _each(work: Work) -> Iterator[tuple[FormPart, str, PendingRecord]]:
    """The pending records of all parts, the first MOST_SHOWN of them: first of all those that need attention."""
    for name, several in work.store.sample(MOST_SHOWN).items():
        if name in work.parts:
            work.checks.prefetch_all(work.parts[name], list(several.values()))
        for identifier, record in several.items() if name in work.parts else ():
            yield work.parts[name], identifier, record


def _each_at(work: Work) -> Iterator[tuple[FormPart, str, PendingRecord, str]]:
    """The same, each with the address at which it is shown."""
    each = list(_each(work))
    owners = work.store.owners([(part.name, identifier) for part, identifier, _ in each])
    for part, identifier, record in each:
        master = owners.get((part.name, identifier)) or part.master_of(record)
        yield part, identifier, record, _address(work, part, master)


def pending_list(work: Work) -> list[dict[str, Any]]:
    """For each pending record: its name, its state, (field, was, now) of each edited field, and its statement."""
    lines = []
    for part, identifier, record, at in _each_at(work):
        state = "conflict" if record.conflict else record.state
        changes = [
            {
                "name": field.name,
                "label": field.label,
                "was": _text(work, part, field, record.was) if record.state != "new" else "",
                "now": _now(work, part, field, record),
            }
            for field in part.dataset.fields
            if field.name in record.touched and not field.hidden
        ]
        changes += [
            {"name": name, "label": name, "was": "", "now": "its column is gone"} for name in gone_fields(record, part)
        ]
        lines.append(
            {
                "id": identifier,
                "at": at,
                "drop": "" if part.beside else f"{at or _any_address(work, part)}drop",
                "part": part.title if part.name else "",
                "name": name_of(part, record),
                "state": state,
                "word": STATE_WORDS[state],
                "later": record.later,
                "changes": changes,
                "complaints": [complaint.sentence for complaint in work.checks.complaints(record, part=part)],
                "sql": _statement(work, part, record),
            }
        )
    return lines


def _now(work: Work, part: FormPart, field: Any, record: PendingRecord) -> str:
    if field.name in record.waits_for:
        return "the key of the new record that it belongs to"
    return record.texts.get(field.name) or _text(work, part, field, record.values())


def _statement(work: Work, part: FormPart, record: PendingRecord) -> str:
    if record.texts or not part.dataset.editable or gone_fields(record, part):
        return ""
    if any(field.hidden for field in part.dataset.fields) and not work.person.is_builder:
        return ""  # it would name what the form does not show
    try:
        return statement_text(work.live, Part(part.dataset, [record], part.rules, part.name), record)
    except Problem:
        return ""  # the server is away, or its driver: the review works without


def _address(work: Work, part: FormPart, master: str) -> str:
    """Where a record of a part is shown; "" when its master is not known."""
    if not part.name:
        return reverse("work", args=[work.form.pk])
    if part.beside:
        return ""
    return reverse("detail-work", args=[work.form.pk, part.name, master]) if master else ""


def _any_address(work: Work, part: FormPart) -> str:
    return reverse("detail-work", args=[work.form.pk, part.name, "i0"])


def rehearsal_list(work: Work, report: SaveReport) -> list[dict[str, Any]]:
    """For each pending record: what a save would make of it, and the values that would not be just those entered."""
    lines = []
    for part, identifier, record, at in _each_at(work):
        outcome = report.outcomes.get(part.name)
        address = (part.name, identifier)
        row = None
        if record.later:
            word, told = "left for later", []
        elif address in report.held:
            word, told = "held back", [complaint.sentence for complaint in report.held[address]]
        elif outcome is None:
            word, told = "not tried", []
        elif identifier in outcome.conflicts:
            gone = outcome.conflicts[identifier].theirs is None
            word, told = "conflict", [f"Somebody else {'removed' if gone else 'changed'} it meanwhile."]
        elif identifier in outcome.refusals:
            word, told = "refused", [refusal.sentence for refusal in outcome.refusals[identifier]]
        elif identifier in outcome.ids:
            word, told = "would be removed" if record.state == "removed" else "would be saved", []
            row = outcome.rows.get(identifier)
        else:
            word, told = "not tried", [outcome.not_tried.get(identifier, "")]
        line = {"id": identifier, "at": at, "word": word, "told": told}
        line |= {"name": name_of(part, record), "part": part.title if part.name else ""}
        lines.append({**line, "made": _made(work, part, record, row)})
    return lines


def _made(work: Work, part: FormPart, record: PendingRecord, row: Mapping[str, Any] | None) -> list[tuple[str, str]]:
    """The values that the server would make or change: (label, value)."""
    if row is None:
        return []
    wanted = record.values()
    return [
        (field.label, _text(work, part, field, row))
        for field in part.dataset.fields
        if not field.hidden
        and row[field.name] is not None
        and (field.name in wanted or record.state == "new")
        and not KINDS[field.kind].same(wanted.get(field.name), row[field.name], field)
    ]


def name_of(part: FormPart, record: PendingRecord) -> str:
    """What people know a record by: its key and its most telling text."""
    dataset = part.dataset
    texts = (name for name in called_by([f for f in dataset.fields if not f.hidden]) if name not in dataset.key)
    first = next((value for name in texts if (value := record.was.get(name) or record.now.get(name))), "")
    parts = [", ".join(raw_text(part) for part in record.key) or "new record", raw_text(first)[:60] if first else ""]
    return " · ".join(part for part in parts if part)


def _text(work: Work, part: FormPart, field: Any, record: Mapping[str, Any]) -> str:
    value = record.get(field.name)
    if value == "" and field.kind in TEXTS:
        return "(an empty text)"
    shown = work.words.of(part.dataset, field, record)
    return shown if len(shown) <= 200 else shown[:200] + "…"
