"""A form that nobody gets to: not on the start page, and no button opens it."""

from __future__ import annotations

from collections.abc import Iterator

from .base import Fault, Wired


def reach(wired: Wired) -> Iterator[Fault]:
    if not wired.reached:
        sentence = "Nobody gets to this form: it has no tile on the start page, and no other form's button opens it."
        yield Fault("reach", sentence, "warning")
