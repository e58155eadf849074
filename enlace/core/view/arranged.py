"""How a grid is arranged: its columns, its rows, its totals."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..dataset.totals import Total
from ..form.columns import GridColumn, columns_of

SPLITS = ("", "below", "beside")


@dataclass(frozen=True)
class Arranged:
    """A grid as somebody wants it.

    columns: none where they are as the form has them. lines: of each row. striped: every other row has another ground.
    merged: a value that stands in the row above too, in a column that the rows are ordered by, is not written again.
    totals: below the grid. split: "" or where a second view of the same rows stands, which scrolls apart. rows: ids of the
    records that stay in sight above the others.

    >>> arranged = Arranged((GridColumn("eta", width=90),), lines=2, totals=(Total("tonnes", "sum"),))
    >>> Arranged.of(arranged.kept()) == arranged
    True
    """

    columns: tuple[GridColumn, ...] = ()
    lines: int = 1
    striped: bool = False
    merged: bool = False
    totals: tuple[Total, ...] = ()
    split: str = ""
    rows: tuple[str, ...] = ()

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Arranged:
        """What is kept of it; what that does not say is as by itself. Raises Problem for columns that are none."""
        totals = tuple(Total(str(field), str(function)) for field, function in kept.get("totals", ()))
        split = kept.get("split", "")
        return cls(
            columns_of(kept.get("columns", ())),
            kept.get("lines", 1),
            kept.get("striped", False),
            kept.get("merged", False),
            totals,
            split if split in SPLITS else "",
            tuple(str(row) for row in kept.get("rows", ())),
        )

    def kept(self) -> dict[str, Any]:
        """What JSON keeps of it."""
        return {
            "columns": [column.kept() for column in self.columns],
            "lines": self.lines,
            "striped": self.striped,
            "merged": self.merged,
            "totals": [[total.field, total.function] for total in self.totals],
            "split": self.split,
            "rows": list(self.rows),
        }
