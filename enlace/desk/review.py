"""The pending changes of a draft as a list to read."""

from __future__ import annotations

from typing import Any

from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, raw_text

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


def _name(work: Work, record: PendingRecord) -> str:
    """What people know a record by: its key and its first text."""
    texts = (f.name for f in work.dataset.fields if f.kind == "text" and f.name not in work.dataset.key)
    first = next((value for name in texts if (value := record.was.get(name) or record.now.get(name))), "")
    parts = [", ".join(raw_text(part) for part in record.key) or "new record", raw_text(first)[:60]]
    return " · ".join(part for part in parts if part)


def _text(work: Work, field, value) -> str:
    shown = KINDS[field.kind].formatter(field, work.formats)(value)
    return shown if len(shown) <= 200 else shown[:200] + "…"
