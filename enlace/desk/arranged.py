"""How a grid is arranged: its columns, its rows, its totals. Kept for a person, for all, or under a name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db.models import Q

from enlace.core.dataset.totals import Total
from enlace.core.form.columns import GridColumn, columns_of
from enlace.workshop.models import Form

from .models import Arrangement, SharedArrangement

SPLITS = ("", "below", "beside")
# The key of the second view of a grid that is split: no control has an id with a dash in it.
SPLIT = "split-view"


def arranged_key(key: str) -> str:
    """The key under which a grid is arranged: a second view is arranged as the first one is."""
    return "" if key == SPLIT else key


@dataclass(frozen=True)
class Arranged:
    """A grid as somebody wants it.

    columns: none where they are as the form has them. lines: of each row. striped: every other row has another ground.
    merged: a value that stands in the row above too, in a column that the rows are ordered by, is not written again.
    totals: below the grid. split: "" or where a second view of the same rows stands, which scrolls apart. rows: ids of the
    records that stay in sight above the others.
    """

    columns: tuple[GridColumn, ...] = ()
    lines: int = 1
    striped: bool = False
    merged: bool = False
    totals: tuple[Total, ...] = ()
    split: str = ""
    rows: tuple[str, ...] = ()

    @classmethod
    def of(cls, kept: Arrangement) -> Arranged:
        wanted = tuple(Total(str(field), str(function)) for field, function in kept.totals)
        split = kept.split if kept.split in SPLITS else ""
        rows = tuple(str(row) for row in kept.rows)
        return cls(columns_of(kept.columns), kept.lines, kept.striped, kept.merged, wanted, split, rows)

    def kept(self) -> dict[str, Any]:
        """What an `Arrangement` keeps of it."""
        return {
            "columns": [column.kept() for column in self.columns],
            "lines": self.lines,
            "striped": self.striped,
            "merged": self.merged,
            "totals": [[total.field, total.function] for total in self.totals],
            "split": self.split,
            "rows": list(self.rows),
        }


def shared(form: Form, token: str) -> dict[tuple[str, str], Arranged]:
    """What an address shares, by part and a grid's key; nothing for one that is not known, or of another form."""
    kept = SharedArrangement.objects.filter(form=form, token=token).first() if token else None
    several = {}
    for grid in kept.grids if kept else ():
        place = {name: grid.pop(name) for name in ("part", "grid")}
        several[place["part"], place["grid"]] = Arranged.of(Arrangement(**grid))
    return several


def in_force(form: Form, person: Any) -> Mapping[tuple[str, str], Arranged]:
    """By part and a grid's key, how it is arranged for a person: by themselves, else for all."""
    several = form.arrangements.filter(Q(person=person) | Q(person=None), name="")
    by_grid: dict[tuple[str, str], Arranged] = {}
    for kept in sorted(several, key=lambda kept: kept.person_id is not None):
        by_grid[kept.part, kept.grid] = Arranged.of(kept)
    return by_grid
