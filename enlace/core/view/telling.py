"""Conditions in words, as they stand in the sentence above a grid."""

from __future__ import annotations

from ..dataset.reached import field_named
from ..model.dataset import DatasetSpec
from .conditions import Anywhere, Condition, Group, Test, Typed

WORDS = {
    "says": "{0}",
    "is": "is {0}",
    "is not": "is not {0}",
    "less": "less than {0}",
    "at most": "at most {0}",
    "more": "more than {0}",
    "at least": "at least {0}",
    "between": "from {0} to {1}",
    "has": "has “{0}”",
    "lacks": "does not have “{0}”",
    "begins": "begins with “{0}”",
    "ends": "ends with “{0}”",
    "like": "is like “{0}”",
    "empty": "is empty",
    "filled": "is not empty",
    "last days": "in the last {0} days",
    "next days": "in the next {0} days",
    "this": "this {0}",
}
# Of moments one says it otherwise.
OF_TIME = {"less": "before {0}", "at most": "not after {0}", "more": "after {0}", "at least": "not before {0}"}
TIMES = ("date", "datetime", "time")
MOST_NAMED = 3  # values of a choice that are named; of more their number is told


def words_of(condition: Condition, dataset: DatasetSpec) -> str:
    """A condition in words."""
    if isinstance(condition, Typed):
        return condition.sql
    if isinstance(condition, Anywhere):
        return f"“{condition.text}” in any field"
    if isinstance(condition, Group):
        parts = [words_of(part, dataset) for part in condition.parts if not part.off]
        if not parts:
            return "nothing yet"
        joined = (" and " if condition.joint == "all" else " or ").join(
            f"({text})" if isinstance(part, Group) and len(condition.parts) > 1 else text
            for part, text in zip([p for p in condition.parts if not p.off], parts, strict=True)
        )
        return f"not ({joined})" if condition.joint == "none" else joined
    field = field_named(dataset, condition.field)
    label = field.label if field is not None and not field.hidden else condition.field
    return f"{label} {_tested(condition, field is not None and field.kind in TIMES)}"


def _tested(condition: Test, of_time: bool) -> str:
    if condition.test in ("in", "not in"):
        named = [_plain(value) for value in condition.values]
        said = " or ".join(named) if len(named) <= MOST_NAMED else f"one of {len(named)}"
        return said if condition.test == "in" else f"not {said}"
    words = (OF_TIME if of_time and condition.test in OF_TIME else WORDS)[condition.test]
    return words.format(*condition.values)


def _plain(value: str) -> str:
    """A stored value as a box asks for it, as people read it."""
    if value == "no value":
        return "empty"
    return value.lstrip("=") or "an empty text"
