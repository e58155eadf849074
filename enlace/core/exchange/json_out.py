"""Rows as JSON (RFC 8259) or as JSON Lines, an object at a time."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any

from .outgoing import Inside


def json_lines(names: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """JSON Lines: an object a line. Values: None, yes and no, texts, numbers, records inside; what is no JSON is a text.

    >>> list(json_lines(["code", "depth"], [["N3", Decimal("12.30")], ["N4", None]]))
    ['{"code": "N3", "depth": 12.3}\\n', '{"code": "N4", "depth": null}\\n']
    """
    for row in rows:
        yield f"{_object(names, row)}\n"


def json_list(names: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """One list of objects."""
    # The comma stands before each but the first, since nobody knows which row is the last.
    before = "[\n"
    for row in rows:
        yield f"{before}{_object(names, row)}"
        before = ",\n"
    yield "\n]\n" if before != "[\n" else "[]\n"


def _object(names: Sequence[str], row: Sequence[Any]) -> str:
    return json.dumps(_plain(Inside(names, [row]))[0], ensure_ascii=False)


def _plain(value: Any) -> Any:
    """A decimal goes out with all its digits: as a number where a reader's floating point gives the very same again."""
    if isinstance(value, Inside):
        return [dict(zip(value.heads, map(_plain, row), strict=True)) for row in value.rows]
    if isinstance(value, Decimal):
        short = float(value)
        return short if Decimal(repr(short)) == value and not value.is_nan() else str(value)
    # JSON has no word for it, and Python would write one that readers refuse.
    if isinstance(value, float) and value != value:
        return None
    return value if value is None or isinstance(value, bool | int | float | str) else str(value)
