"""Conditions as a tree: tests of fields, joined by all, any or none of them; JSON out and in without loss."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from ..problem import Problem

MOST_DEPTH, MOST_PARTS, LONGEST = 6, 200, 20_000
MOST_VALUES, LONGEST_VALUE = 500, 400
JOINTS = ("all", "any", "none")
# By test, how many values it takes: (at least, at most).
TESTS: dict[str, tuple[int, int]] = {
    "says": (1, 1),  # as in the box under a heading
    "is": (1, 1),
    "is not": (1, 1),
    "less": (1, 1),
    "at most": (1, 1),
    "more": (1, 1),
    "at least": (1, 1),
    "between": (2, 2),
    "has": (1, 1),
    "lacks": (1, 1),
    "begins": (1, 1),
    "ends": (1, 1),
    "like": (1, 1),  # a pattern of SQL: % for any characters, _ for one
    "in": (1, MOST_VALUES),  # stored values, as a box asks for them to the last letter
    "not in": (1, MOST_VALUES),
    "empty": (0, 0),
    "filled": (0, 0),
    "last days": (1, 1),
    "next days": (1, 1),
    "this": (1, 1),
}


@dataclass(frozen=True)
class Test:
    """A test of one field. off: kept, and not asked."""

    field: str
    test: str
    values: tuple[str, ...] = ()
    off: bool = False


@dataclass(frozen=True)
class Typed:
    """A condition written as an SQL expression over the record."""

    sql: str
    off: bool = False


@dataclass(frozen=True)
class Anywhere:
    """A text that any of the fields that are shown has, or a value that any of them is."""

    text: str
    off: bool = False


@dataclass(frozen=True)
class Group:
    """Several conditions of which all, any or none hold."""

    joint: str
    parts: tuple[Condition, ...]
    off: bool = False


Condition = Test | Typed | Anywhere | Group


def conditions_of(text: str) -> tuple[Condition, ...]:
    """The conditions, all of which hold, behind what `to_text` made. Raises Problem."""
    if not text.strip():
        return ()
    try:
        # It comes from an address, which anybody can write.
        kept = json.loads(text) if len(text) <= LONGEST else None
    except (ValueError, RecursionError):
        kept = None
    return from_list(kept)


def from_list(kept: Any) -> tuple[Condition, ...]:
    """The conditions behind what `as_list` made. Raises Problem."""
    if not isinstance(kept, list):
        raise _wrong("they are no list")
    counted = [0]
    return tuple(_read(item, 1, counted) for item in kept)


def as_list(conditions: tuple[Condition, ...]) -> list[dict[str, Any]]:
    """The conditions as JSON has them."""
    return [_kept(item) for item in conditions]


def _read(kept: Any, depth: int, counted: list[int]) -> Condition:
    # Depth and number are bounded while reading: each part becomes a part of a statement.
    counted[0] += 1
    if depth > MOST_DEPTH or counted[0] > MOST_PARTS:
        raise _wrong("they are too many, or too deep in one another")
    if not isinstance(kept, dict):
        raise _wrong("one of them is no condition")
    off = kept.get("off") is True
    if isinstance(sql := kept.get("sql"), str):
        # Cut rather than refused: what is cut is no expression any more, and is told as such beside it.
        return Typed(sql[: LONGEST_VALUE * 5], off)
    if isinstance(text := kept.get("anywhere"), str):
        return Anywhere(text[:LONGEST_VALUE], off)
    joint = next((name for name in JOINTS if isinstance(kept.get(name), list)), "")
    if joint:
        return Group(joint, tuple(_read(item, depth + 1, counted) for item in kept[joint]), off)
    field, test, values = kept.get("field"), kept.get("test"), kept.get("values", [])
    if not isinstance(field, str) or test not in TESTS or not isinstance(values, list):
        raise _wrong("one of them is no condition")
    if not all(isinstance(value, str) and len(value) <= LONGEST_VALUE for value in values):
        raise _wrong("a value is no text, or too long")
    least, most = TESTS[test]
    if not least <= len(values) <= most:
        raise _wrong(f"“{test}” takes another number of values")
    return Test(field, test, tuple(values), off)


def to_text(conditions: tuple[Condition, ...]) -> str:
    """The conditions as text; `conditions_of` gives equal ones again."""
    return json.dumps(as_list(conditions), ensure_ascii=False, separators=(",", ":")) if conditions else ""


def _kept(condition: Condition) -> dict[str, Any]:
    off = {"off": True} if condition.off else {}
    if isinstance(condition, Typed):
        return {"sql": condition.sql, **off}
    if isinstance(condition, Anywhere):
        return {"anywhere": condition.text, **off}
    if isinstance(condition, Group):
        return {condition.joint: [_kept(part) for part in condition.parts], **off}
    return {"field": condition.field, "test": condition.test, "values": list(condition.values), **off}


def _wrong(why: str) -> Problem:
    return Problem(
        f"The conditions of this address can't be read: {why}.", "Show all rows, and set them anew.", code="bad"
    )
