"""Columns too narrow for the numbers that are in them, measured on some rows."""

from __future__ import annotations

from collections.abc import Iterator

from ..form import CONTROL_KINDS
from ..form.columns import columns_of, over_dataset
from .base import Fault, Wired

DIGIT = 8  # pixels of a digit in a grid
BESIDE = 16  # pixels beside it


def widths(wired: Wired) -> Iterator[Fault]:
    for source, dataset in wired.datasets.items():
        grid = next((control for control in wired.document.tied(source) if control.kind == "grid"), None)
        if dataset is None or grid is None:
            continue
        dataset = over_dataset(dataset, columns_of(CONTROL_KINDS["grid"].value(grid.settings, "columns")))
        for place, field in enumerate(dataset.fields):
            if field.hidden or field.lookup or field.kind not in ("whole", "decimal"):
                continue
            longest = max(
                (len(str(row[place])) for row in wired.rows.get(source, ()) if row[place] is not None), default=0
            )
            if longest * DIGIT + BESIDE > field.width:
                sentence = f"The column {field.label} is too narrow: a number of {longest} characters is cut off. Widen it on the field sheet, or in the grid's columns."
                yield Fault("widths", sentence, "warning", grid.id, source)
