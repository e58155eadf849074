"""New records from rows of texts: what `blocks` makes of one record, for many that all begin alike."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as with_default
from typing import Any, NamedTuple

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import Held, give_new, leave_unread, new_id
from enlace.core.exchange.empties import EMPTY_TEXT
from enlace.core.kinds import Unreadable
from enlace.core.kinds.quick import text_reader
from enlace.core.problem import Problem

from .blocks import shut, typed_so
from .typed import Typed
from .work import Work

MOST_REMEMBERED = 5_000  # texts of a column: what repeats itself repeats itself soon


class Meant(NamedTuple):
    """What a text of a column stands for: values by field, a text that is none (values None), or why it can't be put there."""

    values: Mapping[str, Any] | None = None
    sentence: str = ""


@dataclass(frozen=True)
class Column:
    """A column of texts, what reads them, and what those that were met so far stand for.

    shut: why nobody enters anything there, else "". plain: a text stands for what its kind reads, and for nothing else.
    """

    head: str
    field: FieldSpec
    shut: str
    read: Callable[[str], Any]
    plain: bool
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
        # Of an empty text all columns of texts know what it stands for.
        told = {name for name, text in known if text != EMPTY_TEXT}
        self._columns = [
            Column(
                head,
                spec,
                shut(spec),
                text_reader(spec, work.formats),
                not (shut(spec) or spec.lookup or spec.name in told),
            )
            for head, spec in columns
        ]
        # Where a new record begins with nothing, there is nothing to put what is entered in the place of.
        self._bare = not (first.now or first.texts or first.waits_for)

    def entered(self, row: Mapping[str, str]) -> tuple[PendingRecord, list[tuple[str, str]]]:
        """A new record with a row's texts, and what can't be put where it would go, by heading."""
        first, faults = self.first, []
        now, texts, waits_for = dict(first.now), dict(first.texts), dict(first.waits_for)
        for column in self._columns:
            text = row[column.head]
            if not text or (text.isspace() and (column.field.name, text) not in self.known):
                continue  # it begins as a new record begins
            if column.plain and text != EMPTY_TEXT:
                self._give(column, text, now, texts, waits_for)
                continue
            meant = column.met.get(text) or self._meant(column, text)
            if meant.sentence:
                faults.append((column.head, meant.sentence))
            elif meant.values is None:
                leave_unread(now, texts, waits_for, column.field.name, text)
            else:
                for name, value in meant.values.items():
                    give_new(now, texts, waits_for, name, value)
        return PendingRecord(new_id(), "new", now=now, texts=texts, waits_for=waits_for), faults

    def _give(self, column: Column, text: str, now: Held, texts: Held, waits_for: Held) -> None:
        name = column.field.name
        try:
            value = column.read(text)
        except Unreadable:
            leave_unread(now, texts, waits_for, name, text)
        else:
            if self._bare and value is not None:
                now[name] = value
            else:
                give_new(now, texts, waits_for, name, value)

    def _meant(self, column: Column, text: str) -> Meant:
        if column.shut:
            meant = Meant(sentence=column.shut)
        else:
            made = typed_so(self.work, column.field, text, {}, self.known)
            meant = Meant(sentence=made) if isinstance(made, str) else self._of(made, column)
        if len(column.met) < MOST_REMEMBERED:
            column.met[text] = meant
        return meant

    def _of(self, typed: Typed, column: Column) -> Meant:
        if typed.unread:
            return Meant()
        return _read(column, typed.text) if typed.values is None else Meant(typed.values)


def _read(column: Column, text: str) -> Meant:
    try:
        return Meant({column.field.name: column.read(text)})
    except Unreadable:
        return Meant()
