"""Columns too narrow for what is in them, measured on some rows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

from ..form import CONTROL_KINDS, Control, FormDocument
from ..form.columns import MOST_WIDTH, columns_of, over_dataset
from ..form.edit import column
from ..form.fields import fields_of
from ..kinds import KINDS
from ..model.dataset import FieldSpec
from .base import Fault, Wired

# Pixels of a character: numbers are written in digits of one width, dates and times in letters of several. What is cut off of
# a text still reads as its beginning; of a number or a date another value is left.
CHARACTER = {"whole": 8, "decimal": 8, "date": 7.5, "time": 7.5, "datetime": 7.5}
BESIDE = 16  # pixels beside it


def widths(wired: Wired) -> Iterator[Fault]:
    for grid in wired.document.all():
        dataset = wired.datasets.get(grid.source)
        if grid.kind != "grid" or dataset is None:
            continue
        names = fields_of(grid, dataset)
        over = over_dataset(dataset, columns_of(CONTROL_KINDS["grid"].value(grid.settings, "columns")))
        rows = wired.rows.get(grid.source, ())
        for place, field in enumerate(dataset.fields):
            field = over.by_name[field.name]
            if field.name not in names or field.lookup or field.kind not in CHARACTER:
                continue
            longest = max((_written(wired, field, row[place]) for row in rows), key=len, default="")
            needed = round(len(longest) * CHARACTER[field.kind]) + BESIDE
            if needed > field.width:
                sentence = f"The column {field.label} is too narrow: {longest} has no room in it."
                repair = partial(_wider, grid=grid, names=names, field=field.name, width=min(needed, MOST_WIDTH))
                yield Fault("widths", sentence, "warning", grid.id, grid.source, repair, "Make it wide enough")


def _written(wired: Wired, field: FieldSpec, value: Any) -> str:
    """A stored value as the grid shows it; "" for one that is not of the field's kind, which is told elsewhere."""
    kind = KINDS[field.kind]
    if value is None or kind.is_nonconforming(value, field):
        return ""
    return kind.formatter(field, wired.formats)(value)


def _wider(document: FormDocument, grid: Control, names: Sequence[str], field: str, width: int) -> FormDocument:
    return column(document, grid.id, names, field, "width", str(width))
