"""The rows of a part as they go out, a column of a stretch at a time, since values of one kind go out alike: as cells of a CSV
file, or as values of their kinds for formats that tell these apart.

Texts of a CSV file are kept from being taken for formulas. Numbers and no value are left to its writer, which writes them as they
are stored.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import chosen_text, shown_writer
from enlace.core.dataset.window import CUT, Row
from enlace.core.dataset.window_rows import identity_of
from enlace.core.draft import PendingRecord
from enlace.core.exchange.csv_out import RISKY, csv_cell, guarded
from enlace.core.exchange.outgoing import value_out
from enlace.core.kinds import KINDS, TEXTS, raw_text

from .controls.base import records_of
from .taking import AT_ONCE, Taken, cut_of, value_of
from .work import Work

AS_THEY_ARE = {int, float, bool, type(None)}
# By kind, the class of values that go out as they are stored.
USUAL: dict[str, type] = {"whole": int, "text": str, "longtext": str, "decimal": Decimal}
Column = Sequence[Any]
Write = Callable[[Sequence[Row], Column], Column]


@dataclass(frozen=True)
class Out:
    """How a field goes out. of_rows: its column, from rows and what they store; of_records: the same from records as the draft
    has them."""

    of_rows: Write
    of_records: Callable[[Sequence[Mapping[str, Any]]], Column]


def cells(taken: Taken) -> Iterator[Sequence[Any]]:
    """All rows in the order of the grid, with the draft laid over them, as cells of a CSV file."""
    return _rows(taken, [_cell_of(taken, field) for field in taken.columns])


def values_out(taken: Taken) -> Iterator[Sequence[Any]]:
    """The same as values: numbers, dates, texts, and None."""
    return _rows(taken, [_value_of(taken, field) for field in taken.columns])


def _rows(taken: Taken, outs: Sequence[Out]) -> Iterator[Sequence[Any]]:
    work = taken.work
    every = (*work.dataset.fields, *work.dataset.extra)
    names, texts = [field.name for field in every], [i for i, field in enumerate(every) if field.kind in TEXTS]
    columns = [(names.index(field.name), out) for field, out in zip(taken.columns, outs, strict=True)]
    keys = len(identity_of(work.dataset))
    bare = taken.stored and not work.store.pending_here()  # which rows these are is asked by nobody then
    start, count = 0, AT_ONCE
    while count == AT_ONCE:
        read = work.rows.bare_window(start, AT_ONCE) if bare else None
        stored = list(zip(*read, strict=True))[keys:] if read else []
        if not read or any(_may_be_cut(stored[i]) for i in texts):
            rows, pending = work.window(start, AT_ONCE)
            yield from _with_draft(taken, rows, pending, columns, texts)
            count = len(rows)
        else:
            yield from zip(*(out.of_rows((), stored[place]) for place, out in columns), strict=True)
            count = len(read)
        start += count


def _with_draft(
    taken: Taken,
    rows: Sequence[Row],
    pending: Mapping[str, PendingRecord],
    columns: Sequence[tuple[int, Out]],
    texts: Sequence[int],
) -> Iterator[Sequence[Any]]:
    """Some rows; a stretch that the draft touches, or that holds only the start of a text, record by record."""
    work = taken.work
    stored = list(zip(*(row.values + row.extra if row.extra else row.values for row in rows), strict=True))
    cut = cut_of(rows) if any(_may_be_cut(stored[i]) for i in texts if stored) else []
    if not pending and not cut:
        yield from zip(*(out.of_rows(rows, stored[place]) for place, out in columns if stored), strict=True)
        return
    records = records_of(work, rows, pending, work.stored_of(cut))
    if not taken.stored:
        work.words.prefetch(work.dataset, records)
    yield from zip(*(out.of_records(records) for _, out in columns), strict=True)


def _cell_of(taken: Taken, field: FieldSpec) -> Out:
    work = taken.work
    if taken.stored:
        return Out(
            lambda rows, stored: _stored(stored),
            lambda records: _stored([record.get(field.name) for record in records]),
        )
    words = _words(work, field)
    return Out(
        lambda rows, stored: _guarded(field, words(rows, stored)),
        lambda records: _guarded(field, [work.words.of(work.dataset, field, record) for record in records]),
    )


def _value_of(taken: Taken, field: FieldSpec) -> Out:
    work = taken.work

    def of_records(records: Sequence[Mapping[str, Any]]) -> Column:
        return [value_of(work, field, record, taken.stored) for record in records]

    if field.lookup and not taken.stored:
        words = _words(work, field)
        return Out(lambda rows, stored: [word or None for word in words(rows, stored)], of_records)
    usual = {USUAL.get(field.kind), type(None)}
    # Of what is shown, what stands for no value is asked once.
    nothing = None if taken.stored else work.words.of(work.dataset, field, {}) or None

    def of_rows(rows: Sequence[Row], stored: Column) -> Column:
        if nothing is None and set(map(type, stored)) <= usual:
            return stored
        return [nothing if raw is None else value_out(field, raw) for raw in stored]

    return Out(of_rows, of_records)


def _guarded(field: FieldSpec, words: Column) -> Column:
    return [guarded(text) for text in words] if field.kind in TEXTS or field.lookup else words


def _may_be_cut(stored: Column) -> bool:
    """Whether a text of a column may be only the start of one. Values without a length are none."""
    try:
        return max(map(len, filter(None, stored)), default=0) >= CUT
    except TypeError:
        return any(isinstance(value, str) and len(value) >= CUT for value in stored)


def _stored(stored: Column) -> Column:
    kinds = set(map(type, stored))
    if kinds <= AS_THEY_ARE:
        return stored
    if kinds <= {str, type(None)}:
        return [v if v and v[0] not in RISKY else "" if v is None else csv_cell(v) for v in stored]
    return ["" if v is None else csv_cell(v) if isinstance(v, str) else raw_text(v) for v in stored]


def _words(work: Work, field: FieldSpec) -> Write:
    """What people read for the values of a field, as `Words.of` has it."""
    lookup, plain = field.lookup, KINDS[field.kind].formatter(field, work.formats)
    if lookup is None:
        return lambda rows, values: [plain(value) for value in values]
    if not lookup.table:
        return lambda rows, values: [
            "" if value is None else plain(value) if (text := chosen_text(field, value)) is None else text
            for value in values
        ]
    place = [other.name for other, _ in work.dataset.looked_up.values()].index(field.name)
    write = shown_writer(lookup, work.formats) if lookup.shows else lambda shown: None

    def shown(rows: Sequence[Row], values: Column) -> Column:
        return [
            "" if value is None else plain(value) if (text := write(row.shown[place])) is None else text
            for row, value in zip(rows, values, strict=True)
        ]

    return shown
