"""How wide the columns of a grid are, and which of them share what is left of its width."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from math import isfinite

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.window import Row
from enlace.core.kinds import KINDS, TEXTS

from .contexts import on_grid, sides_now
from .work import Work

DIGIT, BESIDE = 8.9, 18  # pixels of a digit in a grid, and beside a number


def widths_of(work: Work, rows: Sequence[Row] = (), key: str = "") -> str:
    """The widths of a grid's columns, a + behind those that share what is left of its width. rows: that it shows."""
    shown, sides = on_grid(work, key).shown, sides_now(work, key)
    sharing = _sharing(work.dataset, [field for field in shown if field.name not in sides])
    return " ".join(f"{_width(work, f, rows)}px{'+' * (f.name in sharing)}" for f in shown)


def _sharing(dataset: DatasetSpec, shown: Sequence[FieldSpec]) -> set[str]:
    """The columns that share what is left of a grid's width: texts where there are some, which need it most, else all.

    One whose width somebody said keeps it, as those do that stay at a side.
    """
    free = [field for field in shown if field.width == dataset.any_name[field.name].width]
    texts = [field for field in free if field.kind in TEXTS or field.lookup]
    return {field.name for field in texts or free}


def blank_widths(dataset: DatasetSpec, shown: Sequence[FieldSpec]) -> str:
    """The widths of a grid that has no rows yet."""
    sharing = _sharing(dataset, shown)
    return " ".join(f"{field.width}px{'+' * (field.name in sharing)}" for field in shown)


def _width(work: Work, field: FieldSpec, rows: Sequence[Row]) -> int:
    """How wide a column is: as the dataset says, and never so narrow that a number on the page is cut off."""
    if field.kind not in ("whole", "decimal") or field.lookup or not rows:
        return field.width
    stored = field.name in work.dataset.by_name
    names = [other.name for other in (work.dataset.fields if stored else work.dataset.extra)]
    place = names.index(field.name)
    values = [row.values[place] if stored else row.extra[place] for row in rows if stored or place < len(row.extra)]
    # Those that are no finite numbers are short words.
    numbers = [v for v in values if isinstance(v, int) or (isinstance(v, float | Decimal) and isfinite(v))]
    write = KINDS[field.kind].formatter(field, work.formats)
    longest = max(len(write(value)) for value in {min(numbers), max(numbers)}) if numbers else 0
    return max(field.width, int(longest * DIGIT) + BESIDE)
