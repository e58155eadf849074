"""Which row of a file was the first to have something that only one may have: kept beside the file, since its rows are looked
at in many requests."""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Iterable
from pathlib import Path

ENTRY = struct.Struct("<8sI")  # a digest, and the number of a row


class Firsts:
    """The first rows by what they have. Read whole at first need: twelve bytes for each row of the file."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._known: dict[bytes, int] | None = None
        self._fresh: list[tuple[bytes, int]] = []

    @property
    def known(self) -> dict[bytes, int]:
        if self._known is None:
            content = self.path.read_bytes() if self.path.exists() else b""
            self._known = dict(ENTRY.iter_unpack(content[: len(content) // ENTRY.size * ENTRY.size]))
        return self._known

    def of(self, several: Iterable[tuple[str, int]]) -> list[int]:
        """For each (text, number of its row) the number of the first row that had this; that of the row itself where none
        had."""
        known, blake2b, firsts = self.known, hashlib.blake2b, []
        for text, number in several:
            digest = blake2b(text.encode("utf-8", "surrogatepass"), digest_size=8).digest()
            first = known.setdefault(digest, number)
            if first == number:
                self._fresh.append((digest, number))
            firsts.append(first)
        return firsts

    def keep(self) -> None:
        """Keep what was met for the next request."""
        with self.path.open("ab") as file:
            file.write(b"".join(ENTRY.pack(*entry) for entry in self._fresh))
        self._fresh.clear()

    def release(self, number: int) -> None:
        """A row that is mended may have something else now: what it was the first to have is free again."""
        self._known = {digest: first for digest, first in self.known.items() if first != number}
        self.path.write_bytes(b"".join(ENTRY.pack(*entry) for entry in self._known.items()))

    def forget(self) -> None:
        self.path.unlink(missing_ok=True)
        self._known = None
