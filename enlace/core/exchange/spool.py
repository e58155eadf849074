"""Rows that were read from a file, kept beside it so that any stretch of them is found at once: JSON, a row a line, with its
place in the file first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from ..model.values import as_json, from_json
from .incoming import Row, Rows

EVERY = 500  # rows between the places that are noted
MOST_ROWS = 2_000_000


@dataclass(frozen=True)
class Spool:
    """heads: the names of the columns. count: how many rows. places: where in the file each EVERY-th row begins."""

    heads: tuple[str, ...]
    count: int
    places: tuple[int, ...]

    def stretch(self, path: Path, start: int, size: int) -> Iterator[Row]:
        """Some rows from one on, counted from 0."""
        if start >= self.count:
            return
        with path.open("rb") as file:
            file.seek(self.places[start // EVERY])
            for _ in range(start % EVERY):
                file.readline()
            left = min(size, self.count - start)
            while left > 0 and (lines := list(islice(file, min(left, EVERY)))):
                left -= len(lines)
                for row in from_json(b"[" + b",".join(lines) + b"]"):
                    # Rows that were kept before places were have none: they are counted.
                    yield (row[0], row[1:]) if isinstance(row[0], int) else (0, row)

    def place(self, path: Path, number: int) -> int:
        """Where in its file a row stands, counted from 1 as the rows are."""
        return next(self.stretch(path, number - 1, 1))[0]


def spooled(rows: Rows, path: Path) -> Spool:
    """Write all rows to a file. Raises Problem where one can't be read: the file is not there then."""
    count, places = 0, []
    fresh = path.with_suffix(".new")
    try:
        with fresh.open("wb") as file:
            heads = tuple(next(rows)[1])
            for number, texts in rows:
                if count % EVERY == 0:
                    places.append(file.tell())
                # Half of a surrogate pair, as JSON may have it, is kept too; whoever checks the row says what is
                # wrong with it.
                file.write(as_json([number, *texts]).encode("utf-8", "surrogatepass") + b"\n")
                count += 1
        # At once and whole: a file that breaks off in the middle leaves the rows of the reading before.
        fresh.replace(path)
    finally:
        fresh.unlink(missing_ok=True)
    return Spool(heads, count, tuple(places))
