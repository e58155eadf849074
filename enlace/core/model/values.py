"""Typed values as text, without loss: for drafts that are kept and for keys in addresses."""

from __future__ import annotations

import base64
import binascii
import datetime
import json
import uuid
from collections.abc import Callable, Collection, Iterable, Sequence
from decimal import Decimal, InvalidOperation
from typing import Any

import orjson

from .whole_column import whole

# Types that JSON lacks, as {"$": tag, "v": text}. Longest match first: bool is an int, datetime a date.
_TAGS: tuple[tuple[str, type, Callable[[Any], Any], Callable[[Any], Any]], ...] = (
    ("float", float, float.hex, float.fromhex),
    ("decimal", Decimal, str, Decimal),
    ("datetime", datetime.datetime, datetime.datetime.isoformat, datetime.datetime.fromisoformat),
    ("date", datetime.date, datetime.date.isoformat, datetime.date.fromisoformat),
    ("time", datetime.time, datetime.time.isoformat, datetime.time.fromisoformat),
    ("span", datetime.timedelta, lambda v: [v.days, v.seconds, v.microseconds], lambda v: datetime.timedelta(*v)),
    ("uuid", uuid.UUID, str, uuid.UUID),
    ("bytes", bytes, lambda v: base64.b64encode(v).decode(), base64.b64decode),
)
_any_json = json.JSONEncoder(ensure_ascii=False, separators=(",", ":")).encode
# Values with a type of their own are written by `packed`, and by no package's own idea of them.
_PLAIN = orjson.OPT_PASSTHROUGH_DATETIME | orjson.OPT_PASSTHROUGH_DATACLASS | orjson.OPT_PASSTHROUGH_SUBCLASS
AS_JSON = frozenset({int, str, bool, type(None)})
LONGEST_ID = 60_000
MOST_DIGITS = 20_000  # of a decimal number, before or after the point
_READERS = {tag: read for tag, _, _, read in _TAGS}
_WRITERS = {kind: (tag, write) for tag, kind, write, _ in _TAGS}


# Values that orjson writes as `packed` has them, or leaves to it: it has its own idea of floats and UUIDs.
_LEFT_TO_PACKED = frozenset({int, str, bool, type(None), Decimal, datetime.date, datetime.datetime, datetime.time})


def packed_json(value: Any, values: Iterable[Any]) -> str:
    """As `as_json` of `value` with all its stored values `packed`, which are `values`."""
    try:
        if _LEFT_TO_PACKED.issuperset(map(type, values)):
            return orjson.dumps(value, default=packed, option=_PLAIN).decode()
    except TypeError:
        pass
    return as_json(_packed_within(value))


def _packed_within(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _packed_within(inner) for name, inner in value.items()}
    return [_packed_within(inner) for inner in value] if isinstance(value, list) else packed(value)


def as_json(value: Any) -> str:
    """JSON without blanks, of what has no floats.

    >>> as_json(["Cais Norte", 10**30, None, {"a": True}])
    '["Cais Norte",1000000000000000000000000000000,null,{"a":true}]'
    """
    try:
        return orjson.dumps(value, option=_PLAIN).decode()
    except TypeError:
        # Numbers beyond 64 bits and halves of surrogate pairs, which databases have and JSON as such does not exclude.
        return _any_json(value)


def from_json(text: str | bytes) -> Any:
    """The value behind what `as_json` made of texts and of numbers of at most 64 bits. Raises ValueError."""
    try:
        return orjson.loads(text)
    except ValueError:
        return json.loads(text)  # which takes halves of surrogate pairs


def packed(value: Any) -> Any:
    """A value as what `json` can write; `unpacked` gives the same value of the same type again."""
    if value is None or isinstance(value, str | bool):
        return value
    if isinstance(value, int):
        # Readers of JSON may hold numbers as floats (RFC 8259, section 6); ours do not, but keys travel.
        return value
    if exact := _WRITERS.get(type(value)):
        return {"$": exact[0], "v": exact[1](value)}
    # By the first that fits: a class may be derived from one that is kept.
    for tag, kind, write, _ in _TAGS:
        if isinstance(value, kind):
            return {"$": tag, "v": write(value)}
    raise TypeError(f"a value of type {type(value).__name__} can't be kept")


def packed_column(column: Sequence[Any]) -> Sequence[Any]:
    """All values of a column `packed`: the column itself where they are as JSON has them."""
    classes = whole(column).classes
    if classes <= AS_JSON:
        return column
    if exact := _writer_of_all(classes):
        tag, write = exact
        return [{"$": tag, "v": text} for text in map(write, column)]
    return list(map(packed, column))


def _writer_of_all(classes: Collection[type]) -> tuple[str, Callable[[Any], Any]] | None:
    return _WRITERS.get(next(iter(classes))) if len(classes) == 1 else None


def column_text(column: Sequence[Any]) -> Any:
    """A column as what `json` can write, shorter than `packed_column` of values that are all of one type of their own.

    >>> column_text([Decimal("1.50"), Decimal(2)])
    {'$': 'decimal', 'v': ['1.50', '2']}
    """
    classes = whole(column).classes
    if exact := _writer_of_all(classes):
        return {"$": exact[0], "v": list(map(exact[1], column))}
    return packed_column(column)


def column_of(text: Any) -> Sequence[Any]:
    """The column behind what `column_text` made."""
    if isinstance(text, dict):
        return list(map(_READERS[text["$"]], text["v"]))
    return list(map(unpacked, text)) if dict in set(map(type, text)) else text


def unpacked(value: Any) -> Any:
    """The value behind what `packed` made. Raises ValueError."""
    if isinstance(value, list | float):
        raise ValueError("not a kept value")
    if not isinstance(value, dict):
        return value
    try:
        tag, text = value["$"], value["v"]
        read = _READERS[tag](text)
    except (KeyError, TypeError, AttributeError, ArithmeticError, InvalidOperation) as error:
        raise ValueError("not a kept value") from error
    if isinstance(read, Decimal) and (read.is_snan() or (read.is_finite() and abs(read.adjusted()) > MOST_DIGITS)):
        raise ValueError("not a kept value")
    return read


def record_id(key: tuple[Any, ...]) -> str:
    """A record's key as a short text that is safe in addresses and element ids; `key_of` gives the key again.

    >>> record_id((7,)), record_id(("N3", 2)), key_of(record_id(("N3", 2)))
    ('i7', 'kWyJOMyIsMl0', ('N3', 2))
    """
    if len(key) == 1 and type(key[0]) is int and -(2**63) <= key[0] < 2**63:
        return f"i{key[0]}"
    text = as_json([packed(v) for v in key])
    return "k" + base64.urlsafe_b64encode(text.encode("utf-8", "surrogatepass")).decode().rstrip("=")


def record_ids(keys: Sequence[tuple[Any, ...]]) -> list[str]:
    """The ids of many records."""
    if all(len(key) == 1 and type(key[0]) is int for key in keys):
        return [f"i{key[0]}" if -(2**63) <= key[0] < 2**63 else record_id(key) for key in keys]
    return [record_id(key) for key in keys]


def key_of(identifier: str) -> tuple[Any, ...]:
    """The key behind a record id. Raises ValueError for a text that is none.

    Only the id that `record_id` gives is one: a text that merely decodes to a key is not, so that an id can be written
    wherever it is needed, and a record has one name.
    """
    if len(identifier) > LONGEST_ID:
        raise ValueError("not a record id")
    if identifier[:1] == "i":
        number = int(identifier[1:])
        if not -(2**63) <= number < 2**63 or str(number) != identifier[1:]:
            raise ValueError("not a record id")
        return (number,)
    if identifier[:1] != "k":
        raise ValueError("not a record id")
    body = identifier[1:]
    try:
        text = base64.urlsafe_b64decode(body + "=" * (-len(body) % 4)).decode("utf-8", "surrogatepass")
        values = json.loads(text)
    except (binascii.Error, ValueError, RecursionError) as error:
        raise ValueError("not a record id") from error
    if not isinstance(values, list):
        raise ValueError("not a record id")
    key = tuple(unpacked(v) for v in values)
    if record_id(key) != identifier or any(isinstance(v, int) and abs(v) >= 2**64 for v in key):
        raise ValueError("not a record id")
    return key
