"""New records from rows of texts: what `blocks` makes of one record, for many that all begin alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as with_default
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import give_new, leave_unread, new_id
from enlace.core.kinds import KINDS, Unreadable
from enlace.core.problem import Problem

from .blocks import shut, typed_so
from .typed import Typed
from .work import Work

MOST_REMEMBERED = 5_000  # texts of a column: what repeats itself repeats itself soon


@dataclass(frozen=True)
class Meant:
    """What a text of a column stands for: values by field, a text that is none (values None), or why it can't be put there."""

    values: Mapping[str, Any] | None = None
    sentence: str = ""


@dataclass(frozen=True)
class Column:
    """A column of texts, and what those that were met so far stand for."""

    head: str
    field: FieldSpec
    shut: str  # why nobody enters anything there, else ""
    met: dict[str, Meant] = with_default(default_factory=dict)


class Entering:
    """Enters rows into new records of one part.

    first: a new record as it starts. columns: (heading, field) pairs. known: what texts of fields with lists stand for, as far
    as that was found out already.
    """

    def __init__(
        self,
        work: Work,
        first: PendingRecord,
        columns: Sequence[tuple[str, FieldSpec]],
        known: dict[tuple[str, str], Typed | Problem],
    ) -> None:
        self.work, self.first, self.known = work, first, known
        self._columns = [Column(head, spec, shut(spec)) for head, spec in columns]

    def entered(self, row: Mapping[str, str]) -> tuple[PendingRecord, list[tuple[str, str]]]:
        """A new record with a row's texts, and what can't be put where it would go, by heading."""
        first, faults = self.first, []
        now, texts, waits_for = dict(first.now), dict(first.texts), dict(first.waits_for)
        for column in self._columns:
            text = row[column.head]
            if not text or text.isspace():
                continue  # it begins as a new record begins
            meant = column.met.get(text)
            if meant is None:
                meant = self._meant(column, text)
            if meant.sentence:
                faults.append((column.head, meant.sentence))
            elif meant.values is None:
                leave_unread(now, texts, waits_for, column.field.name, text)
            else:
                for name, value in meant.values.items():
                    give_new(now, texts, waits_for, name, value)
        return PendingRecord(new_id(), "new", now=now, texts=texts, waits_for=waits_for), faults

    def _meant(self, column: Column, text: str) -> Meant:
        if column.shut:
            meant = Meant(sentence=column.shut)
        elif column.field.lookup is None and (column.field.name, text) not in self.known:
            meant = self._parsed(column.field, text)
        else:
            made = typed_so(self.work, column.field, text, {}, self.known)
            meant = Meant(sentence=made) if isinstance(made, str) else self._of(made)
        if len(column.met) < MOST_REMEMBERED:
            column.met[text] = meant
        return meant

    def _of(self, typed: Typed) -> Meant:
        if typed.unread:
            return Meant()
        return self._parsed(typed.field, typed.text) if typed.values is None else Meant(typed.values)

    def _parsed(self, spec: FieldSpec, text: str) -> Meant:
        try:
            return Meant({spec.name: KINDS[spec.kind].typed_over(text, None, spec, self.work.formats)})
        except Unreadable:
            return Meant()
