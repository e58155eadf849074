"""One rule asked of many records at once, whose values are columns."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any

from ..expression import ExpressionError
from ..expression.columns import NotTogether, Together
from ..model.whole_column import WholeColumn, looked_up, whole

Columns = Mapping[str, WholeColumn[Any]]
Read = Callable[[Any], Any]
UNTOLD = (
    KeyError,
    ExpressionError,
    ArithmeticError,
    TypeError,
    ValueError,
)  # a rule can't be computed: the server tells
# Classes of values of which those of one class are the same wherever they are equal.
ALIKE = (frozenset({str}), frozenset({int}), frozenset({bool}))


class Sign:
    """In the place of a value of a column. Signs are told apart from each other and from values by `is`."""


MISSING, UNREAD = Sign(), Sign()  # a record does not have one; what it has can't be read
SIGNS = {id(MISSING), id(UNREAD)}


def breaks(told: Any) -> bool:
    """Whether what a rule came to breaks it: only false does, unknown passes (ISO/IEC 9075-2, 4.25.3 "check constraints")."""
    return told is False or (told is not None and bool(told == 0))


def surely_held(
    run: Callable[[Any], Any],
    columns: Columns,
    count: int,
    readers: Mapping[str, Read | None],
    together: Together | None = None,
) -> list[bool]:
    """Of which records a rule surely holds, or lacks something that it needs.

    columns: of the fields that it is about, as stored, MISSING where a record has no such value. count: of the records.
    readers: by field, from a stored value to what expressions compute with, None where that is the same. together: the same as `run`, of columns.
    """
    if len(columns) == 1:
        [(name, column)] = columns.items()
        if column.classes in ALIKE and column.repeats:
            distinct = WholeColumn(column.distinct)
            held = surely_held(run, {name: distinct}, len(distinct), readers, together)
            told = dict(zip(distinct, held, strict=True))
            return [told[value] for value in column]
    read = {name: _read(readers[name], column) for name, column in columns.items()}
    if not any(map(has_signs, read.values())):
        # All at once: to be ready for what one can't compute costs more than most rules.
        if together is not None and columns:
            with suppress(NotTogether, *UNTOLD):
                return [made is True or not breaks(made) for made in together(read)]
        with suppress(*UNTOLD):
            return [made is True or not breaks(made) for made in map(run, _records(read, count))]
    return [_holds(run, record) for record in _records(read, count)]


def _read(read: Read | None, column: WholeColumn[Any]) -> WholeColumn[Any]:
    """What expressions compute with for each value: UNREAD where it can't be read."""
    if read is None:
        return column

    def tried(value: Any) -> Any:
        try:
            return value if value is MISSING else read(value)
        except UNTOLD:
            return UNREAD

    if not has_signs(column):
        with suppress(*UNTOLD):
            if column.classes in ALIKE and column.repeats:
                told = {value: read(value) for value in column.distinct}
                return looked_up(column, told)
            return WholeColumn(map(read, column))
    return WholeColumn(map(tried, column))


def has_signs(column: Sequence[Any]) -> bool:
    """Whether any value of a column is not there, or can't be read."""
    return Sign in whole(column).classes


def _records(columns: Mapping[str, Sequence[Any]], count: int) -> Iterator[dict[str, Any]]:
    """Records with the values of some columns: the same one, filled again and again, so each is to be looked at at once."""
    record: dict[str, Any] = {}
    if len(columns) == 1:
        [(name, column)] = columns.items()
        for record[name] in column:
            yield record
        return
    for given in zip(*columns.values(), strict=True) if columns else [()] * count:
        record.update(zip(columns, given, strict=False))
        yield record


def records_of(columns: Mapping[str, Sequence[Any]], count: int) -> Iterator[dict[str, Any]]:
    """Records with the values of some columns, without those that are MISSING."""
    gaps = any(map(has_signs, columns.values()))
    for values in zip(*columns.values(), strict=True) if columns else [()] * count:
        record = dict(zip(columns, values, strict=True))
        yield {name: value for name, value in record.items() if value is not MISSING} if gaps else record


def _holds(run: Callable[[Any], Any], record: Mapping[str, Any]) -> bool:
    signs = {id(value) for value in record.values()} & SIGNS
    if signs:
        return id(MISSING) in signs
    try:
        return not breaks(run(record))
    except UNTOLD:
        return False
