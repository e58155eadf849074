"""Rows by their keys: conditions on one or several columns, and lists in parts that a statement takes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import ColumnElement, and_, not_, or_, tuple_

KEYS_A_STATEMENT = 300  # servers and drivers bound how many values one takes


def key_in(columns: Sequence[ColumnElement[Any]], keys: Sequence[tuple[Any, ...]]) -> ColumnElement[bool]:
    """The condition that a row's key is one of these. A part that is None is NULL."""
    loose = [key for key in keys if None in key]
    if loose:
        return or_(*(_same(columns, key) for key in loose), *_rest(columns, [key for key in keys if None not in key]))
    if len(columns) == 1:
        if len(keys) == 1:
            return columns[0] == keys[0][0]
        return columns[0].in_([key[0] for key in keys])
    if len(keys) == 1:
        return and_(*(column == value for column, value in zip(columns, keys[0], strict=True)))
    return tuple_(*columns).in_(keys)


def not_among(columns: Sequence[ColumnElement[Any]], keys: Sequence[tuple[Any, ...]]) -> list[ColumnElement[bool]]:
    """Conditions that leave out the rows of these keys, however many: none where there are none."""
    return [not_(key_in(columns, part)) for part in in_parts(list(keys), KEYS_A_STATEMENT)]


def _same(columns: Sequence[ColumnElement[Any]], key: tuple[Any, ...]) -> ColumnElement[bool]:
    return and_(*(c.is_(None) if v is None else c == v for c, v in zip(columns, key, strict=True)))


def _rest(columns: Sequence[ColumnElement[Any]], keys: Sequence[tuple[Any, ...]]) -> list[ColumnElement[bool]]:
    return [key_in(columns, keys)] if keys else []


def in_parts(items: list[Any], size: int) -> Iterator[list[Any]]:
    """A list in parts of at most `size`."""
    for i in range(0, len(items), size):
        yield items[i : i + size]
