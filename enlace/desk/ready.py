"""New records of a file's sound rows, as the draft will keep them: made when the rows are checked, put in later."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from enlace.core.model.values import as_json, from_json

from .draft_rows import DraftRow


@dataclass(frozen=True)
class Ready:
    """Rows of the draft in a folder, a file for each stretch of the file that is brought in."""

    folder: Path

    def keep(self, start: int, stamp: str, rows: Mapping[int, DraftRow]) -> None:
        """Keep the records of a stretch by the numbers of their rows. stamp: what they depend on."""
        self.folder.mkdir(mode=0o700, exist_ok=True)
        kept = as_json([stamp, list(rows), list(map(tuple, rows.values()))])
        self._file(start).write_bytes(kept.encode("utf-8", "surrogatepass"))

    def of(self, start: int, stamp: str) -> dict[int, DraftRow]:
        """What was kept of a stretch; nothing of one that depends on something else by now, or that is not there."""
        try:
            known, numbers, rows = from_json(self._file(start).read_bytes())
        except (FileNotFoundError, ValueError):
            return {}
        return dict(zip(numbers, map(DraftRow._make, rows), strict=True)) if known == stamp else {}

    def forget(self) -> None:
        """Drop all of it."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def _file(self, start: int) -> Path:
        return self.folder / f"{start}.json"
