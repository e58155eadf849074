"""Which row of a file was the first to have something that only one may have: kept beside the file, since its rows are looked
at in many requests."""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Sequence
from itertools import starmap
from pathlib import Path

ENTRY = struct.Struct("<8sI")  # a digest, and the number of a row


class Firsts:
    """The first rows by what they have. Read whole at first need, twelve bytes for each row of the file; then only what another
    window has put behind it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._known: dict[bytes, int] = {}
        self._size = 0  # of the file, as far as it is known
        self._fresh: list[tuple[bytes, int]] = []

    @property
    def known(self) -> dict[bytes, int]:
        size = self.path.stat().st_size // ENTRY.size * ENTRY.size if self.path.exists() else 0
        if size < self._size:
            self._known, self._size = {}, 0
        if size > self._size:
            with self.path.open("rb") as file:
                file.seek(self._size)
                beyond = dict(ENTRY.iter_unpack(file.read(size - self._size)))
            # The earlier one counts, whoever met it.
            self._known = beyond | self._known
            self._size = size
        return self._known

    def of(self, texts: Sequence[str], numbers: Sequence[int]) -> Sequence[int]:
        """For each text, of the row with a number, the number of the first row that had it: that of the row itself where none
        had, and `numbers` itself where that is so of all."""
        blake2b = hashlib.blake2b
        digests = [blake2b(text.encode("utf-8", "surrogatepass"), digest_size=8).digest() for text in texts]
        known = self.known
        # At once, as most files have nothing twice.
        if known.keys().isdisjoint(digests) and len(set(digests)) == len(digests):
            fresh = list(zip(digests, numbers, strict=True))
            known.update(fresh)
            self._fresh += fresh
            return numbers
        firsts = []
        for digest, number in zip(digests, numbers, strict=True):
            first = known.setdefault(digest, number)
            if first == number:
                self._fresh.append((digest, number))
            firsts.append(first)
        return firsts

    def keep(self) -> None:
        """Keep what was met for the next request."""
        kept = b"".join(starmap(ENTRY.pack, self._fresh))
        self._fresh.clear()
        with self.path.open("ab") as file:
            file.write(kept)
            # What another window has put between is read at the next need, and this with it.
            if file.tell() == self._size + len(kept):
                self._size = file.tell()

    def release(self, number: int) -> None:
        """A row that is mended may have something else now: what it was the first to have is free again."""
        left = {digest: first for digest, first in self.known.items() if first != number}
        self.path.write_bytes(b"".join(starmap(ENTRY.pack, left.items())))
        self._known, self._size = {}, 0

    def forget(self) -> None:
        self.path.unlink(missing_ok=True)
        self._known, self._size = {}, 0
