"""Rows that were read from a file, kept beside it so that any stretch of them is found at once: JSON, a block of rows in two lines,
of which the first has their places in the file and the second their texts, as columns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from ..model.values import as_json, from_json
from .incoming import Row, Rows

EVERY = 1_000  # rows of a block
MOST_ROWS = 2_000_000
WHOLE = slice(0, EVERY)


@dataclass(frozen=True)
class Spool:
    """heads: the names of the columns. count: how many rows. places: where in the file each block of EVERY rows begins."""

    heads: tuple[str, ...]
    count: int
    places: tuple[int, ...]

    def columns(self, path: Path, start: int, size: int) -> tuple[list[int], list[list[str]]]:
        """Some rows from one on, counted from 0: their places in their file, and their texts, a column for each heading."""
        places: list[int] = []
        columns: list[list[str]] = [[] for _ in self.heads]
        end = min(start + size, self.count)
        if start >= end:
            return places, columns
        with path.open("rb") as file:
            file.seek(self.places[start // EVERY])
            for begins in range(start - start % EVERY, end, EVERY):
                inside = slice(max(start - begins, 0), end - begins)
                places += from_json(file.readline())[inside]
                for column, texts in zip(columns, from_json(file.readline()), strict=True):
                    column += texts if inside == WHOLE else texts[inside]
        return places, columns

    def stretch(self, path: Path, start: int, size: int) -> Iterator[Row]:
        """Some rows from one on, counted from 0."""
        places, columns = self.columns(path, start, size)
        return zip(places, map(list, zip(*columns, strict=True)), strict=True)

    def place(self, path: Path, number: int) -> int:
        """Where in its file a row stands, counted from 1 as the rows are."""
        with path.open("rb") as file:
            file.seek(self.places[(number - 1) // EVERY])
            places: Sequence[int] = from_json(file.readline())
            return places[(number - 1) % EVERY]


def spooled(rows: Rows, path: Path) -> Spool:
    """Write all rows to a file. Raises Problem where one can't be read: the file is not there then."""
    count, begins = 0, []
    fresh = path.with_suffix(".new")
    try:
        with fresh.open("wb") as file:
            heads = tuple(next(rows)[1])
            while several := list(islice(rows, EVERY)):
                begins.append(file.tell())
                places, texts = zip(*several, strict=True)
                for line in (places, list(zip(*texts, strict=True))):
                    # Half of a surrogate pair, as JSON may have it, is kept too; whoever checks the row says what is
                    # wrong with it.
                    file.write(as_json(line).encode("utf-8", "surrogatepass") + b"\n")
                count += len(several)
        # At once and whole: a file that breaks off in the middle leaves the rows of the reading before.
        fresh.replace(path)
    finally:
        fresh.unlink(missing_ok=True)
    return Spool(heads, count, tuple(begins))


def in_blocks(path: Path, heads: Sequence[str]) -> Spool:
    """The spool of rows that were kept a line a row, as they were once, with its place first or none."""

    def rows() -> Rows:
        yield 0, heads
        with path.open("rb") as file:
            for row in map(from_json, file):
                yield (row[0], row[1:]) if isinstance(row[0], int) else (0, row)

    return spooled(rows(), path)
