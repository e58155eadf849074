"""The pending changes of a draft as a list to read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, raw_text
from enlace.core.rules import Complaint
from enlace.core.save import SaveOutcome

from .rowwriter import STATE_WORDS
from .work import Work

MOST_SHOWN = 500


def pending_list(work: Work) -> list[dict[str, Any]]:
    """For each pending record: its name, its state, and (field, was, now) of each edited field."""
    found = []
    for identifier, record in list(work.store.all().items())[:MOST_SHOWN]:
        state = "conflict" if record.conflict else record.state
        fields = [f for f in work.dataset.fields if f.name in record.touched]
        changes = [
            {
                "label": field.label,
                "was": _text(work, field, record.was.get(field.name)) if record.state != "new" else "",
                "now": record.texts.get(field.name) or _text(work, field, record.now.get(field.name)),
            }
            for field in fields
        ]
        found.append(
            {
                "id": identifier,
                "name": _name(work, record),
                "state": state,
                "word": STATE_WORDS[state],
                "changes": changes,
                "complaints": [one.sentence for one in work.complaints(record)],
            }
        )
    return found


def rehearsal_list(work: Work, outcome: SaveOutcome, held: Mapping[str, list[Complaint]]) -> list[dict[str, Any]]:
    """For each pending record: what a save would make of it, and the values that would not be just those entered."""
    found = []
    for identifier, record in list(work.store.all().items())[:MOST_SHOWN]:
        if identifier in held:
            word, told = "held back", [one.sentence for one in held[identifier]]
        elif identifier in outcome.conflicts:
            gone = outcome.conflicts[identifier].theirs is None
            word, told = "conflict", [f"Somebody else {'removed' if gone else 'changed'} it meanwhile."]
        elif identifier in outcome.refusals:
            word, told = "refused", [one.sentence for one in outcome.refusals[identifier]]
        elif identifier in outcome.ids:
            word, told = "would be removed" if record.state == "removed" else "would be saved", []
        else:
            word, told = "not tried", []
        found.append({"id": identifier, "name": _name(work, record), "word": word, "told": told})
        found[-1]["made"] = _made(work, record, outcome.rows.get(identifier))
    return found


def _made(work: Work, record: PendingRecord, row: Mapping[str, Any] | None) -> list[tuple[str, str]]:
    """The values that the server would make or change: (label, value)."""
    if row is None:
        return []
    wanted = record.values()
    return [
        (field.label, _text(work, field, row[field.name]))
        for field in work.dataset.fields
        if row[field.name] is not None
        and (field.name in wanted or record.state == "new")
        and not KINDS[field.kind].same(wanted.get(field.name), row[field.name], field)
    ]


def _name(work: Work, record: PendingRecord) -> str:
    """What people know a record by: its key and its first text."""
    texts = (f.name for f in work.dataset.fields if f.kind == "text" and f.name not in work.dataset.key)
    first = next((value for name in texts if (value := record.was.get(name) or record.now.get(name))), "")
    parts = [", ".join(raw_text(part) for part in record.key) or "new record", raw_text(first)[:60]]
    return " · ".join(part for part in parts if part)


def _text(work: Work, field, value) -> str:
    shown = KINDS[field.kind].formatter(field, work.formats)(value)
    return shown if len(shown) <= 200 else shown[:200] + "…"
