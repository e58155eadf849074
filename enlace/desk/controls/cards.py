"""Cards: a record each, with a few of its fields; as many as fit one page, or one at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.window import Row
from enlace.core.draft import PendingRecord
from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.fields import fields_of

from ..sheet import Sheet
from .base import Drawing, Shown
from .pages import page_of

MOST = 60


def context(sheet: Sheet, control: Control, drawing: Drawing) -> dict[str, Any]:
    if drawing.work is None:
        return {"cards": []}
    current = drawing.view.id if drawing.view is not None else None
    dataset = drawing.work.dataset
    picture = dataset.any_name.get(str(control.settings.get("picture") or ""))
    page = page_of(drawing, fields_of(control, dataset), 1 if is_one(control) else MOST)
    there = drawing.work.store.some([row.id for row, _ in page.lines])
    cards = [
        {
            "id": row.id,
            "position": row.position,
            "lines": [_line(field, text, dataset.numbers[field.name], there.get(row.id)) for field, text in texts],
            "current": row.id == current,
            "state": there[row.id].state if row.id in there else "",
            "picture": _picture(drawing, picture, row),
        }
        for row, texts in page.lines
    ]
    return {"cards": cards, "page": page, "pictured": picture}


def is_one(control: Control) -> bool:
    """Whether it shows one record at a time."""
    return bool(CONTROL_KINDS["cards"].value(control.settings, "layout") == "one")


@dataclass(frozen=True)
class Line:
    """One value on a card. state: "changed" by somebody who has not saved it yet, "wrong" where it is no value, else ""."""

    field: FieldSpec
    text: str
    number: int
    state: str


def _line(field: FieldSpec, text: str, number: int, pending: PendingRecord | None) -> Line:
    if pending is None or field.name not in pending.touched:
        return Line(field, text, number, "")
    unread = pending.texts.get(field.name)
    return Line(field, text if unread is None else unread, number, "changed" if unread is None else "wrong")


def _picture(drawing: Drawing, field: FieldSpec | None, row: Row) -> str:
    """What tells the picture of a row from another one; "" where there is none."""
    if field is None or field.kind != "picture" or row.id[:1] not in "ik":
        return ""
    length = row.values[[other.name for other in drawing.work.dataset.fields].index(field.name)]
    return str(length) if isinstance(length, int) and length else ""


# One at a time it goes with each move; of many, a move mostly makes another one current.
CARDS = Shown(context, lambda control: "record" if is_one(control) else "rows")
