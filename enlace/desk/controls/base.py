"""What a control is drawn from, and what it says of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.window import CUT, Row
from enlace.core.draft import PendingRecord
from enlace.core.form import Control
from enlace.core.form.conditions import shown

from ..editors import EditorView, calculated_text, editor_views
from ..parts import FormPart, rules_of
from ..sheet import Sheet


@dataclass
class Drawing:
    """What the controls of one part are drawn from. context: of its templates; None for a detail without a master."""

    part: FormPart
    context: dict[str, Any]
    work: Any = None
    view: Any = None
    rows: Sequence[Row] = ()  # around the record, where they were read

    @cached_property
    def editors(self) -> dict[str, EditorView]:
        """The editors of the record by their fields' names, for all controls that have one."""
        return {editor.field.name: editor for editor in editor_views(self.work, self.view)}

    @cached_property
    def values(self) -> Mapping[str, Any]:
        """The record's values as conditions of controls ask for them."""
        return rules_of(self.part.dataset).computed.values(self.view.values, {}, self.view.stored is None)

    def holds(self, condition: Any) -> bool:
        """Whether a condition of a control holds for the record; without a record, or without a condition, it does."""
        if not condition or self.work is None or self.view is None:
            return True
        return shown(self.part.dataset, str(condition), self.values)

    def text_of(self, field: FieldSpec) -> str:
        """What a field of the record shows; "" without a record."""
        if self.view is None or self.work is None:
            return ""
        if field.name in self.part.dataset.by_name:
            return self.work.words.of(self.part.dataset, field, self.view.values)
        return calculated_text(self.work, self.view, field.name)


@dataclass(frozen=True)
class Shown:
    """One kind. context: what its template gets beside its settings. follows: what it is drawn anew with: "record", each
    move to another one, or "rows", changes of rows alone (a move only makes another of them the current one); or what tells
    that of a control.
    """

    context: Callable[[Sheet, Control, Drawing], dict[str, Any]]
    follows: str | Callable[[Control], str] = "record"

    def followed_by(self, control: Control) -> str:
        """What a control is drawn anew with."""
        return self.follows if isinstance(self.follows, str) else self.follows(control)


def label_of(control: Control, field: FieldSpec | None) -> str:
    """What stands above a control of one field."""
    return str(control.settings.get("label") or (field.label if field else control.field or "No field"))


def texts_of(
    drawing: Drawing, names: Sequence[str], most: int, start: int = 0
) -> list[tuple[Row, list[tuple[FieldSpec, str]]]]:
    """Some rows of a part, the draft counted in, each with what some fields of it show."""
    work = drawing.work
    known = work.dataset.any_name
    fields = [known[name] for name in names if name in known]
    rows, pending = work.window(start, most)
    records = records_of(work, rows, pending)
    work.words.prefetch(work.dataset, records)
    lines = []
    for row, record in zip(rows, records, strict=True):
        shown_texts = [(field, work.words.of(work.dataset, field, record)[:CUT]) for field in fields]
        lines.append((row, shown_texts))
    return lines


def records_of(
    work: Any,
    rows: Sequence[Row],
    pending: Mapping[str, PendingRecord],
    whole: Mapping[str, Mapping[str, Any]] = MappingProxyType({}),
) -> list[dict[str, Any]]:
    """Rows as records by fields' names, the draft laid over them. whole: by id, values that rows hold only the start of."""
    own = [field.name for field in work.dataset.fields]
    extra = [field.name for field in work.dataset.extra]
    return [
        {
            **(whole.get(row.id) or dict(zip(own, row.values, strict=True))),
            **dict(zip(extra, row.extra, strict=False)),
            **(pending[row.id].now if row.id in pending else {}),
        }
        for row in rows
    ]
