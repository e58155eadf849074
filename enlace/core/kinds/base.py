"""What a field kind must answer."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ..model.dataset import FieldSpec
from ..words import within_sentence
from .formats import Formats


class Unreadable(ValueError):
    """Text that is not a value of the kind; its message is a sentence for the person who typed it."""


@dataclass(frozen=True)
class Nonconforming:
    """A stored value that is not of its field's kind, such as text in a number column."""

    raw: Any


WRITTEN_OUT = 40  # digits


def raw_text(raw: Any) -> str:
    """A stored value of any type as plain text."""
    if isinstance(raw, bytes | bytearray | memoryview):
        return f"binary, {len(raw)} bytes"
    if isinstance(raw, Decimal) and raw.is_finite() and abs(raw.adjusted()) < WRITTEN_OUT:
        return f"{raw:f}"  # str() writes a computed 0 as 0E+1, and 1000 as 1E+3
    return str(raw)


def stored_as(raw: Any) -> str:
    """What a stored value is, in words."""
    names: tuple[tuple[type | tuple[type, ...], str], ...] = (
        (str, "a text"), ((bool, int, float, Decimal), "a number"), ((bytes, bytearray, memoryview), "bytes"),
        (datetime.datetime, "a date and time"), (datetime.date, "a date"), (datetime.time, "a time"),
    )  # fmt: skip
    return next((words for kinds, words in names if isinstance(raw, kinds)), "a value of another type")


class Kind:
    """One kind of field: how text becomes a value, how a value becomes text.

    name: its name in definitions. label: its name for people. align: "start" or "end".
    editor: which control edits it: "line", "lines", "tick", "picture" or "none".
    inputmode: the HTML inputmode of its editor. example: what to type, for the editor's hint.
    """

    name: str
    label: str
    align = "start"
    editor = "line"
    inputmode = "text"
    example = ""

    @property
    def phrase(self) -> str:
        """The label as a part of a sentence: "a whole number"."""
        words = within_sentence(self.label)
        return words if words in ("yes or no", "binary data") else f"a {words}"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        """A stored value as the kind's own Python value; Nonconforming when it is none, None for NULL."""
        raise NotImplementedError

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        """Typed text as the value to store, None for nothing typed. Raises Unreadable."""
        raise NotImplementedError

    def typed_over(self, text: str, was: Any, field: FieldSpec, formats: Formats) -> Any:
        """`parse`, for a field that holds a value already: where a column takes any type, that of the value stays."""
        return self.parse(text, field, formats)

    def text(self, raw: Any, field: FieldSpec) -> str:
        """A stored value as text, the same in every locale: what fixed lists and definitions hold."""
        value = self.read(raw, field)
        if value is None:
            return ""
        return raw_text(value.raw) if isinstance(value, Nonconforming) else str(value)

    def as_typed(self, raw: Any, field: FieldSpec, formats: Formats) -> str:
        """A stored value as the text an editor shows: `parse(as_typed(v))` gives v again, in every locale."""
        return self.text(raw, field)

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        """A function from a stored value to the text that a grid shows. Made once a window, called once a cell."""

        def show(raw: Any) -> str:
            return "" if raw is None else self.text(raw, field)

        return show

    def same(self, a: Any, b: Any, field: FieldSpec) -> bool:
        """Whether two stored values are the same value, so that nothing would change."""
        if a is None or b is None:
            return a is None and b is None
        return bool(self.read(a, field) == self.read(b, field))

    def is_nonconforming(self, raw: Any, field: FieldSpec) -> bool:
        """Whether a stored value is not of the kind."""
        return isinstance(self.read(raw, field), Nonconforming)
