"""Templates that are rendered once for each shape of what they show, and filled in from then on.

A template asks about some of what it is given and prints the rest. What it only prints (a record's id, the text of an
editor) is marked, the template is rendered with the marks, and what stands between them is kept: for the next record that
asks for the same, the values are put between them, escaped as the template would. Nothing makes a skeleton stale, since all
that its template asks about is part of its key.
"""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from secrets import token_hex
from typing import Any

from django.template.loader import render_to_string
from django.utils.html import conditional_escape
from django.utils.safestring import SafeString

MOST_CHARACTERS = 8_000_000  # of all skeletons that a process keeps: an editor has a thousand, a wide grid's head fifty
_TOKEN = token_hex(8)  # of this process: no text that anybody types has it
_MARKED = re.compile(f"\ue000{_TOKEN}:([a-z0-9_]+)\ue001")
_UNSAFE = re.compile("[&<>\"']").search
_INDENTED = re.compile(r"[ \t\n]*\n[ \t\n]*")
Shape = tuple[tuple[str, Hashable], ...]


def mark(name: str) -> str:
    """What stands for a value in the shape of what a template is given."""
    return f"\ue000{_TOKEN}:{name}\ue001"


@dataclass(frozen=True)
class Skeleton:
    """What stands between the values: one piece more than there are names."""

    pieces: tuple[str, ...]
    names: tuple[str, ...]

    @property
    def size(self) -> int:
        return sum(map(len, self.pieces))

    @classmethod
    def of(cls, html: str) -> Skeleton:
        """The skeleton of what a template made of marks, without the indentation, which a page would carry for each record."""
        parts = _MARKED.split(_INDENTED.sub("\n", html.strip()))
        return cls(tuple(parts[::2]), tuple(parts[1::2]))

    def filled(self, printed: Mapping[str, Any]) -> SafeString:
        """The HTML with values in their places."""
        texts = {name: escaped(value) for name, value in printed.items()}
        parts = [self.pieces[0]]
        for name, piece in zip(self.names, self.pieces[1:], strict=True):
            parts += (texts[name], piece)
        return SafeString("".join(parts))


def escaped(value: Any) -> str:
    """A value as a template would print it; most are texts with nothing in them that has to be written otherwise."""
    kind = type(value)
    if kind is SafeString or (kind is str and not _UNSAFE(value)):
        return value
    return str(value) if kind is int else str(conditional_escape(value))


def drawn(template: str, shape: Shape, printed: Mapping[str, Any]) -> SafeString:
    """A template with what it is given. shape: that as pairs, with marks for all that is only printed."""
    return _kept.of(template, shape, lambda: shape).filled(printed)


def drawn_by_key(template: str, key: Hashable, shape: Callable[[], Shape], printed: Mapping[str, Any]) -> SafeString:
    """As `drawn`, for a shape that takes longer to make than its key: that has all that tells one shape from another."""
    return _kept.of(template, key, shape).filled(printed)


class Kept:
    """Skeletons by what their templates ask about: those that were asked for last, up to so many characters."""

    def __init__(self, most: int = MOST_CHARACTERS) -> None:
        self.most, self.held = most, 0
        self._by_shape: dict[Hashable, Skeleton] = {}
        self._lock = threading.Lock()

    def of(self, template: str, shaped: Hashable, shape: Callable[[], Shape]) -> Skeleton:
        key = (template, shaped)
        with self._lock:
            skeleton = self._by_shape.pop(key, None)
            if skeleton is not None:
                self._by_shape[key] = skeleton  # at the end again: the front is what nobody has asked for longest
                return skeleton
        # Outside the lock: two threads may make one twice, and nobody waits for a template.
        made = Skeleton.of(render_to_string(template, dict(shape())))
        with self._lock:
            if key not in self._by_shape:
                self._by_shape[key] = made
                self.held += made.size
            while self.held > self.most and len(self._by_shape) > 1:
                self.held -= self._by_shape.pop(next(iter(self._by_shape))).size
        return made


_kept = Kept()
