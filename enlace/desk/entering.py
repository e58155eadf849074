"""New records from rows of texts: what `blocks` makes of one record, for many that all begin alike."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as with_default
from typing import Any, NamedTuple

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import give_new, leave_unread, new_ids
from enlace.core.exchange.empties import EMPTY_TEXT
from enlace.core.kinds import TEXTS, Unreadable
from enlace.core.kinds.quick import ReadAll, column_reader, text_reader
from enlace.core.model.whole_column import WholeColumn, looked_up
from enlace.core.problem import Problem
from enlace.core.rules.together import MISSING, Sign, records_of

from .blocks import shut, typed_so
from .stretch import Stretch
from .typed import Typed
from .work import Work

MOST_REMEMBERED = 5_000  # texts of a column: what repeats itself repeats itself soon
ODD = Sign()  # in the place of a value: the row has to be looked at for it
Entered = tuple[PendingRecord, list[tuple[str, str]]]


class Meant(NamedTuple):
    """What a text of a column stands for: values by field, a text that is none (values None), or why it can't be put there."""

    values: Mapping[str, Any] | None = None
    sentence: str = ""


@dataclass(frozen=True)
class Column:
    """A column of texts, what reads them, and what those that were met so far stand for.

    shut: why nobody enters anything there, else "". plain: a text stands for what its kind reads, and for nothing else.
    read_all: reads texts together that are all in the plain form.
    """

    head: str
    field: FieldSpec
    shut: str
    read: Callable[[str], Any]
    read_all: ReadAll
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
                column_reader(spec, work.formats),
                not (shut(spec) or spec.lookup or spec.name in told),
            )
            for head, spec in columns
        ]
        self._names = [spec.name for _, spec in columns]
        # A row is told by its columns where nothing that the record begins with stands in the way of what is entered.
        self._by_column = bool(columns) and not (first.texts or first.waits_for.keys() & set(self._names))

    def columns(self, rows: Stretch) -> tuple[dict[str, WholeColumn[Any]], list[int]] | None:
        """The values that rows give new records, by field, MISSING where one has none; and the places of the rows that have
        to be looked at on their own. None where all have to be.
        """
        if not self._by_column:
            return None
        count, begun = len(rows.numbers), self.first.now
        columns, odd = {name: WholeColumn([value] * count) for name, value in begun.items()}, [False] * count
        for column in self._columns:
            name = column.field.name
            values, signs = self._values(column, rows.columns[column.head])
            if ODD in signs:
                odd = [so or value is ODD for so, value in zip(odd, values, strict=True)]
            if MISSING in signs and name in begun:
                values = WholeColumn([begun[name] if value is MISSING else value for value in values])
            columns[name] = values
        return columns, [at for at, so in enumerate(odd) if so]

    def entered(self, rows: Stretch) -> list[Entered]:
        """A new record with each row's texts, and what can't be put where it would go, by heading."""
        ids, told = new_ids(len(rows.numbers)), self.columns(rows)
        if told is None:
            return [self._one(identifier, rows.texts(at)) for at, identifier in enumerate(ids)]
        columns, odd = told[0], set(told[1])
        return [
            self._one(ids[at], rows.texts(at))
            if at in odd
            else (PendingRecord.entered(ids[at], now, self.first.waits_for), [])
            for at, now in enumerate(records_of(columns, len(ids)))
        ]

    def _values(self, column: Column, texts: WholeColumn[str]) -> tuple[WholeColumn[Any], set[object]]:
        """The values that texts of a column give a new record, and which of MISSING and ODD are among them."""
        values = column.read_all(texts) if column.plain else None
        # Blanks alone may say nothing, whatever they would be read as.
        if values is not None and (column.field.kind not in TEXTS or not texts.has_blanks):
            return values, set()
        told = {text: self._value(column, text) for text in texts.distinct}
        # By what they are: to compare a Decimal with something else takes Python long.
        return looked_up(texts, told), {v for v in told.values() if v is ODD or v is MISSING}

    def _value(self, column: Column, text: str) -> Any:
        if self._begins_as_new(column, text):
            return MISSING
        try:
            if column.plain and text != EMPTY_TEXT:
                value = column.read(text)
            else:
                [(name, value)] = ((column.met.get(text) or self._meant(column, text)).values or {}).items()
                value = value if name == column.field.name else None
        except ValueError:  # no value, or several fields that are filled
            return ODD
        return ODD if value is None else value

    def _begins_as_new(self, column: Column, text: str) -> bool:
        return not text or (text.isspace() and (column.field.name, text) not in self.known)

    def _one(self, identifier: str, row: Mapping[str, str]) -> Entered:
        """A new record with the texts of one row, whatever they are."""
        first, faults = self.first, []
        now, texts, waits_for = dict(first.now), dict(first.texts), dict(first.waits_for)
        for column in self._columns:
            text = row[column.head]
            if self._begins_as_new(column, text):
                continue
            plain = column.plain and text != EMPTY_TEXT
            meant = _read(column, text) if plain else column.met.get(text) or self._meant(column, text)
            if meant.sentence:
                faults.append((column.head, meant.sentence))
            elif meant.values is None:
                leave_unread(now, texts, waits_for, column.field.name, text)
            else:
                for name, value in meant.values.items():
                    give_new(now, texts, waits_for, name, value)
        return PendingRecord(identifier, "new", now=now, texts=texts, waits_for=waits_for), faults

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
