"""Undo and redo: each step holds the records it touched, before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from .pending import PendingRecord

Address = tuple[str, str]  # (part, record id)
Records = Mapping[Address, PendingRecord | None]


@dataclass(frozen=True)
class Step:
    """One thing a person did: what it is called, and each record before and after it (None: not pending)."""

    label: str
    before: Records
    after: Records


def undone(step: Step) -> Step:
    """The step that takes this one back."""
    return Step(step.label, step.after, step.before)
