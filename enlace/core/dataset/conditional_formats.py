"""Colour-when: a condition that gives a field one of a few tones.

A condition is read with the rows, as a hidden calculated field, so that the server computes it for a whole window and
what Enlace computes for a pending record is the same expression.
"""

from __future__ import annotations

from collections.abc import Iterable

from ..model.dataset import DatasetSpec, FieldSpec

# The tones and what they are called. Each has a mark of its own, so that colour is never the only sign.
TONES = {"calm": "Calm", "good": "Good", "watch": "Watch", "alarm": "Alarm", "faded": "Faded"}
ROW = "row"  # behind a tone: the whole row has it
MARK = "\1"  # no column's name begins so


def tone_fields(fields: Iterable[FieldSpec]) -> tuple[FieldSpec, ...]:
    """The hidden fields that compute the tones of some fields."""
    return tuple(
        FieldSpec(
            name=f"{MARK}{tone}{MARK}{i}{MARK}{field.name}",
            label="",
            kind="whole",
            hidden=True,
            read_only=True,
            formula=f"CASE WHEN {condition} THEN 1 ELSE 0 END",
        )
        for field in fields
        for i, (condition, tone) in enumerate(field.conditional_formats)
    )


def tones_of(dataset: DatasetSpec) -> list[tuple[str, str, str]]:
    """(hidden field, field, tone) of a dataset, the first condition of a field first."""
    tones = []
    for field in dataset.extra:
        if field.name.startswith(MARK):
            _, tone, _, name = field.name.split(MARK, 3)
            tones.append((field.name, name, tone))
    return tones
