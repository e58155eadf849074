"""What a check said of each row of a file: a byte a row, so that putting the sound ones in need not check them again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

SOUND, OTHER = b"+", b"-"  # OTHER: faulty, or to be left out


@dataclass(frozen=True)
class Verdicts:
    """Verdicts in a file, by the place of a row from 0."""

    path: Path

    def note(self, start: int, sound: Sequence[bool]) -> None:
        """Keep what was said of some rows, from one on."""
        self.path.touch(0o600)
        with self.path.open("r+b") as file:
            file.seek(start)
            file.write(b"".join([SOUND if one else OTHER for one in sound]))

    def sound(self, start: int, size: int) -> list[bool]:
        """Whether each of some rows is sound; of a file that was checked before verdicts were kept, nothing."""
        if not self.path.exists():
            return []
        with self.path.open("rb") as file:
            file.seek(start)
            return [one == SOUND[0] for one in file.read(size)]
