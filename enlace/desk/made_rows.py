"""What rows of a file come to: records that surely go in as they are, and rows that have to be looked at."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as with_default
from itertools import compress, repeat
from typing import Any, NamedTuple

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import new_ids
from enlace.core.model.whole_column import WholeColumn
from enlace.core.rules.together import records_of

from .typed import Typed

Faults = tuple[tuple[str, str], ...]


class Row(NamedTuple):
    """One row of a file as it would go in. number: counted from 1, without headings. identifier: of the record that is there
    already, else "". faults: by heading ("" for the row as a whole), why not. skipped: it is there already, and stays. record:
    as it would be pending, None where it is to be removed. alone: what no other row may have, each with the fields that it is of in words."""

    number: int
    texts: dict[str, str]
    identifier: str
    cells: tuple[tuple[FieldSpec, Typed], ...]
    faults: Faults
    skipped: bool = False
    record: PendingRecord | None = None
    alone: tuple[tuple[str, str], ...] = ()

    @property
    def sound(self) -> bool:
        """Whether it can go in."""
        return not (self.faults or self.skipped)


@dataclass(frozen=True)
class New:
    """Rows of a file that are surely new records without anything to tell of.

    numbers: of the rows, rising. columns: of each field's values, MISSING where a row has none. alone: what no other row of the file may have, each the fields that it is of in words, and the texts of all rows, None where
    one has nothing.
    """

    numbers: Sequence[int] = ()
    columns: Mapping[str, WholeColumn[Any]] = with_default(default_factory=dict)
    alone: Sequence[tuple[str, Sequence[str | None]]] = ()

    def without(self, numbers: Collection[int]) -> New:
        """Those of other rows."""
        if not numbers:
            return self
        left = [number not in numbers for number in self.numbers]
        columns = {name: WholeColumn(compress(column, left)) for name, column in self.columns.items()}
        return New(list(compress(self.numbers, left)), columns, [(w, list(compress(t, left))) for w, t in self.alone])

    @property
    def records(self) -> Iterator[PendingRecord]:
        """As pending records."""
        count = len(self.numbers)
        return map(PendingRecord.entered, new_ids(count), records_of(self.columns, count), repeat({}))


@dataclass(frozen=True)
class Made:
    """What rows of a file come to. rows: those that have to be looked at, by their numbers; new: the others."""

    rows: dict[int, Row]
    new: New = New()
