"""What is kept on the disk of a file that is brought in: itself, its rows, and what the check found."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from django.conf import settings

from .firsts import Firsts
from .ready import Ready
from .verdicts import Verdicts


def folder() -> Path:
    """Where files that are brought in wait; only Enlace's user may look into it."""
    place: Path = settings.HOME / "incoming"
    place.mkdir(mode=0o700, exist_ok=True)
    return place


@dataclass(frozen=True)
class KeptFile:
    """number: of its row in Enlace's database."""

    number: int

    def _at(self, end: str) -> Path:
        return folder() / f"{self.number}.{end}"

    @property
    def file(self) -> Path:
        """As it came."""
        return self._at("file")

    @property
    def rows(self) -> Path:
        """Its rows, as the spool keeps them."""
        return self._at("rows")

    @property
    def verdicts(self) -> Verdicts:
        """What the check said of each row."""
        return Verdicts(self._at("verdicts"))

    @cached_property
    def firsts(self) -> Firsts:
        """Which rows were the first to have something."""
        return Firsts(self._at("firsts"))

    @property
    def ready(self) -> Ready:
        """The new records of its sound rows, as the draft keeps them."""
        return Ready(self._at("ready"))

    def drop(self) -> None:
        """Drop all of it."""
        for end in ("file", "rows", "new", "firsts", "verdicts"):
            self._at(end).unlink(missing_ok=True)
        self.ready.forget()
