"""A column of values that many look at: what they all ask of it is found out once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any, TypeVar

T = TypeVar("T")
SAMPLE = 500
REPEATED = 4  # times that a value is there, of a column that repeats itself
BETWEEN = "\0"  # of texts that are looked at together


class WholeColumn(list[T]):
    """Values that do not change any more. The last four are of texts.

    >>> pieces = whole([3, None, 3])
    >>> pieces.classes == {int, type(None)}, pieces.distinct == {3, None}
    (True, True)
    """

    @cached_property
    def classes(self) -> frozenset[type]:
        """The classes of the values."""
        return frozenset(map(type, self))

    @cached_property
    def distinct(self) -> frozenset[T]:
        """The values, each once; they have to be hashable."""
        return frozenset(self)

    @property
    def repeats(self) -> bool:
        """Whether most values are surely there several times: by the first ones, then by all."""
        few = len(self) > SAMPLE and REPEATED * len(set(self[:SAMPLE])) > SAMPLE
        return not few and REPEATED * len(self.distinct) < len(self)

    @cached_property
    def joined(self) -> str:
        """All as one text, BETWEEN behind each: to look at them together costs less than a call for each."""
        return BETWEEN.join((*self, ""))  # type: ignore[arg-type]

    @cached_property
    def has_between(self) -> bool:
        """Whether one of them has BETWEEN in it."""
        return self.joined.count(BETWEEN) != len(self)

    @cached_property
    def has_blanks(self) -> bool:
        """Whether one of them is blanks alone."""
        return any(map(str.isspace, self))  # type: ignore[arg-type]

    @cached_property
    def longest(self) -> int:
        """The length of the longest one."""
        return max(map(len, self), default=0)  # type: ignore[arg-type]


def of_classes(values: Iterable[Any], classes: Iterable[type]) -> WholeColumn[Any]:
    """Values whose classes are known, and need not be looked for."""
    made = WholeColumn(values)
    made.classes = frozenset(classes)
    return made


def looked_up(keys: Sequence[Any], values: Mapping[Any, Any]) -> WholeColumn[Any]:
    """The values by some keys, all of which are there."""
    return of_classes([values[key] for key in keys], map(type, values.values()))


def whole(values: Sequence[Any]) -> WholeColumn[Any]:
    """Values as a WholeColumn: the same one where they are."""
    return values if isinstance(values, WholeColumn) else WholeColumn(values)
