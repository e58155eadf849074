"""New records of a file's sound rows, as the draft will keep them: made when the rows are checked, put in later."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from enlace.core.model.values import as_json, from_json

from .draft_bundles import Bundle
from .draft_new import New
from .draft_rows import DraftRow


@dataclass(frozen=True)
class Ready:
    """Rows of the draft in a folder, a file for each stretch of the file that is brought in."""

    folder: Path

    def keep(self, start: int, stamp: str, numbers: Sequence[int], rows: Sequence[New]) -> None:
        """Keep the records of a stretch. stamp: what they depend on. numbers: of their rows in the file."""
        self.folder.mkdir(mode=0o700, exist_ok=True)
        bodies = [row.body.encode("utf-8", "surrogatepass") for row in rows]
        # Apart from all else, so that they are no texts within a text.
        places = [[*row[:-1], len(body)] for row, body in zip(rows, bodies, strict=True)]
        with self._file(start).open("wb") as file:
            file.write(as_json([stamp, list(numbers), places]).encode("utf-8", "surrogatepass") + b"\n")
            file.writelines(bodies)

    def of(self, start: int, stamp: str) -> tuple[set[int], list[New]]:
        """What was kept of a stretch, the numbers of the rows first; nothing of one that depends on something else by now, or
        that is not there."""
        try:
            with self._file(start).open("rb") as file:
                known, numbers, places = from_json(file.readline())
                if known != stamp:
                    return set(), []
                rows = [(*row, file.read(size).decode("utf-8", "surrogatepass")) for *row, size in places]
        except (FileNotFoundError, ValueError):
            return set(), []
        return set(numbers), [Bundle(*row) if len(row) == len(Bundle._fields) else DraftRow(*row) for row in rows]

    def forget(self) -> None:
        """Drop all of it."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def _file(self, start: int) -> Path:
        return self.folder / f"{start}.json"
