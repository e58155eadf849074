"""From what was typed or chosen to the values that a record gets."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.lookups import Option, WholeList, found_by_start, found_by_text
from enlace.core.dataset.narrowing import BrokenList, still_offered
from enlace.core.draft.pending import Edit
from enlace.core.kinds import KINDS, TEXTS, Formats, Unreadable
from enlace.core.model.values import packed, unpacked
from enlace.core.problem import Problem

from .work import Work


@dataclass(frozen=True)
class Typed:
    """What was typed into a field: values by field, or a text that is none.

    also: the fields that the chosen line of a list fills beside it.
    """

    dataset: DatasetSpec
    field: FieldSpec
    formats: Formats
    text: str
    values: Mapping[str, Any] | None = None
    unread: bool = False

    def into(self, edit: Edit, stored: Mapping[str, Any] | None) -> None:
        """Put it into a record."""

        def current(name: str) -> Any:
            return stored and stored.get(name)

        if edit.record.state == "new" and self.field.default is not None and self.left_empty:
            edit.leave(self.field.name)
        elif self.unread:
            edit.unread(self.field, self.text, current(self.field.name))
        elif self.values is None:
            edit.text(self.field, self.text, self.formats, current(self.field.name))
        else:
            for name, value in self.values.items():
                edit.value(self.dataset.by_name[name], value, current(name))

    @property
    def readable(self) -> bool:
        """Whether it is a value of its field."""
        if self.unread or self.values is not None:
            return not self.unread
        try:
            KINDS[self.field.kind].parse(self.text, self.field, self.formats)
        except Unreadable:
            return False
        return True

    @property
    def left_empty(self) -> bool:
        """Whether nothing is typed: a new record says nothing of such a field then, so that the database fills it in, as
        the note beside the empty editor says."""
        nothing = not self.text if self.field.kind in TEXTS else not self.text.strip()
        return nothing and (self.values is None or self.values == {self.field.name: None})


def _found(work: Work, field: FieldSpec, text: str, record: Mapping[str, Any]) -> Option | None:
    """The line of a field's list that a text stands for: by what it shows, by its value, by how it starts."""
    several = found_by_text(work.spec, work.dataset, field, text, work.formats, record)
    if several is None:
        several = _by_value(work, field, text, record)
    if several is None and field.lookup and not field.lookup.others:
        several = found_by_start(work.spec, work.dataset, field, text, record)
    return several


def typed_in(work: Work, field: FieldSpec, text: str, choice: str, record: Mapping[str, Any]) -> Typed:
    """What typing a text into a field, or choosing a line of its list, stands for. Raises Problem."""
    dataset, lookup = work.dataset, field.lookup
    plain = Typed(dataset, field, work.formats, text)
    if lookup is None:
        return plain
    if choice:
        option = _chosen(field, choice)
        values = _values(field, option)
        if lookup.table and not still_offered(work.spec, dataset, field, {**record, **values}):
            raise Problem("This line is not in the list any more.", "Open the list and choose again.", code="bad")
        return Typed(dataset, field, work.formats, text, values)
    if not text.strip():
        # Of a reference over several columns only the field that was cleared is cleared.
        return Typed(dataset, field, work.formats, "", {field.name: None})
    try:
        meant = _found(work, field, text, record)
    except BrokenList:
        meant = None  # what was typed is kept, and the record says what is wrong with the list
    if meant is not None:
        return Typed(dataset, field, work.formats, text, _values(field, meant))
    return plain if lookup.others else Typed(dataset, field, work.formats, text, unread=True)


def typed_from(work: Work, field: FieldSpec, text: str, lines: WholeList) -> Typed:
    """What a text stands for in a field whose list is there as a whole."""
    if not text.strip():
        return Typed(work.dataset, field, work.formats, "", {field.name: None})
    option = lines.meant(field, text, work.formats)
    if option is not None:
        return Typed(work.dataset, field, work.formats, text, _values(field, option))
    assert field.lookup is not None
    return Typed(work.dataset, field, work.formats, text, unread=not field.lookup.others)


def _by_value(work: Work, field: FieldSpec, text: str, record: Mapping[str, Any]) -> Option | None:
    """The line of the list whose value, such as a number, was typed itself."""
    lookup = field.lookup
    assert lookup is not None
    if not lookup.table:
        return None
    try:
        value = KINDS[field.kind].parse(text, field, work.formats)
    except Unreadable:
        return None
    met = {**record, field.name: value}
    also = tuple((name, met.get(name)) for name, _ in lookup.also)
    return Option(value, (), also) if still_offered(work.spec, work.dataset, field, met) else None


def option_value(field: FieldSpec, option: Option) -> Any:
    """What a field stores for a line of its list."""
    lookup = field.lookup
    if lookup is not None and not lookup.table:
        return KINDS[field.kind].parse(option.value, field, Formats.of("en_GB"))
    return option.value


def _values(field: FieldSpec, option: Option) -> dict[str, Any]:
    return {**dict(option.also), field.name: option_value(field, option)}


def choice_of(option: Option) -> str:
    """A line of a list as a page names it."""
    return json.dumps([packed(option.value), *(packed(value) for _, value in option.also)])


def _chosen(field: FieldSpec, choice: str) -> Option:
    """The line that a page named. Raises Problem."""
    lookup = field.lookup
    assert lookup is not None
    try:
        values = json.loads(choice)
        value, *others = [unpacked(value) if isinstance(value, dict) else value for value in values]
        also = tuple(zip((name for name, _ in lookup.also), others, strict=True))
        known = bool(lookup.table) or value in dict(lookup.choices)
    except (ValueError, TypeError, KeyError, RecursionError):
        raise Problem("There is no such line in the list.", "Open the list and choose again.", code="bad") from None
    if not known:
        raise Problem("There is no such line in the list.", "Open the list and choose again.", code="bad")
    return Option(value, (), also)
