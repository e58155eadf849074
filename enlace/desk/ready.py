"""New records of a file's sound rows, as the draft will keep them: made when the rows are checked, put in later."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from enlace.core.model.values import as_json, from_json

from .draft_bundles import Bundle
from .draft_rows import DraftRow
from .drafts import New


@dataclass(frozen=True)
class Ready:
    """Rows of the draft in a folder, a file for each stretch of the file that is brought in."""

    folder: Path

    def keep(self, start: int, stamp: str, numbers: Sequence[int], rows: Sequence[New]) -> None:
        """Keep the records of a stretch. stamp: what they depend on. numbers: of their rows in the file."""
        self.folder.mkdir(mode=0o700, exist_ok=True)
        kept = as_json([stamp, list(numbers), list(map(tuple, rows))])
        self._file(start).write_bytes(kept.encode("utf-8", "surrogatepass"))

    def of(self, start: int, stamp: str) -> tuple[set[int], list[New]]:
        """What was kept of a stretch, the numbers of the rows first; nothing of one that depends on something else by now, or
        that is not there."""
        try:
            known, numbers, rows = from_json(self._file(start).read_bytes())
        except (FileNotFoundError, ValueError):
            return set(), []
        if known != stamp:
            return set(), []
        return set(numbers), [Bundle(*row) if len(row) == len(Bundle._fields) else DraftRow(*row) for row in rows]

    def forget(self) -> None:
        """Drop all of it."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def _file(self, start: int) -> Path:
        return self.folder / f"{start}.json"
