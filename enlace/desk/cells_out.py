"""The rows of a part as cells of a CSV file: a column of a stretch at a time, since values of one kind are written alike.

Texts are kept from being taken for formulas. Numbers and no value are left to the writer, which writes them as they are stored.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import chosen_text, shown_writer
from enlace.core.dataset.window import CUT, Row
from enlace.core.dataset.window_rows import identity_of
from enlace.core.draft import PendingRecord
from enlace.core.exchange.csv_out import RISKY, csv_cell, guarded
from enlace.core.kinds import KINDS, TEXTS, raw_text

from .controls.base import records_of
from .taking import AT_ONCE, Taken, cut_of
from .work import Work

AS_THEY_ARE = {int, float, bool, type(None)}
Column = Sequence[Any]
Write = Callable[[Sequence[Row], Column], Column]


def cells(taken: Taken) -> Iterator[Sequence[Any]]:
    """All rows in the order of the grid, with the draft laid over them."""
    work = taken.work
    every = (*work.dataset.fields, *work.dataset.extra)
    names, texts = [field.name for field in every], [i for i, field in enumerate(every) if field.kind in TEXTS]
    columns = [(names.index(field.name), _writer(work, field, taken.stored)) for field in taken.columns]
    keys = len(identity_of(work.dataset))
    bare = taken.stored and not work.store.pending_here()  # which rows these are is asked by nobody then
    start, count = 0, AT_ONCE
    while count == AT_ONCE:
        read = work.rows.bare_window(start, AT_ONCE) if bare else None
        values = list(zip(*read, strict=True))[keys:] if read else []
        if not read or any(_may_be_cut(values[i]) for i in texts):
            rows, pending = work.window(start, AT_ONCE)
            yield from _with_draft(taken, rows, pending, columns, texts)
            count = len(rows)
        else:
            yield from zip(*(write((), values[place]) for place, write in columns), strict=True)
            count = len(read)
        start += count


def _with_draft(
    taken: Taken,
    rows: Sequence[Row],
    pending: Mapping[str, PendingRecord],
    columns: Sequence[tuple[int, Write]],
    texts: Sequence[int],
) -> Iterator[Sequence[Any]]:
    """Some rows; a stretch that the draft touches, or that holds only the start of a text, record by record."""
    work = taken.work
    values = list(zip(*(row.values + row.extra if row.extra else row.values for row in rows), strict=True))
    cut = cut_of(rows) if any(_may_be_cut(values[i]) for i in texts if values) else []
    if not pending and not cut:
        yield from zip(*(write(rows, values[place]) for place, write in columns if values), strict=True)
        return
    records = records_of(work, rows, pending, work.stored_of(cut))
    if not taken.stored:
        work.words.prefetch(work.dataset, records)
    yield from zip(*(_of_records(taken, field, records) for field in taken.columns), strict=True)


def _of_records(taken: Taken, field: FieldSpec, records: Sequence[Mapping[str, Any]]) -> Column:
    if taken.stored:
        return _stored([record.get(field.name) for record in records])
    words = taken.work.words
    return _guarded(field, [words.of(taken.work.dataset, field, record) for record in records])


def _writer(work: Work, field: FieldSpec, stored: bool) -> Write:
    if stored:
        return lambda rows, values: _stored(values)
    words = _words(work, field)
    return lambda rows, values: _guarded(field, words(rows, values))


def _guarded(field: FieldSpec, words: Column) -> Column:
    return [guarded(text) for text in words] if field.kind in TEXTS or field.lookup else words


def _may_be_cut(values: Column) -> bool:
    """Whether a text of a column may be only the start of one. Values without a length are none."""
    try:
        return max(map(len, filter(None, values)), default=0) >= CUT
    except TypeError:
        return any(isinstance(value, str) and len(value) >= CUT for value in values)


def _stored(values: Column) -> Column:
    kinds = set(map(type, values))
    if kinds <= AS_THEY_ARE:
        return values
    if kinds <= {str, type(None)}:
        return [v if v and v[0] not in RISKY else "" if v is None else csv_cell(v) for v in values]
    return ["" if v is None else csv_cell(v) if isinstance(v, str) else raw_text(v) for v in values]


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
