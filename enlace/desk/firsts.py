"""Which row of a file was the first to have something that only one may have: kept beside the file, since its rows are looked
at in many requests."""

from __future__ import annotations

from array import array
from collections.abc import Sequence
from pathlib import Path
from typing import IO

from xxhash import xxh3_64_intdigest

COUNT, DIGEST, NUMBER = "Q", "Q", "I"  # of a block: how many it has, their digests, the numbers of their rows
ITEM = array(COUNT).itemsize


class Firsts:
    """The first rows by what they have. Read whole at first need, twelve bytes for each row of the file; then only what another
    window has put behind it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._known: dict[int, int] = {}
        self._size = 0  # of the file, as far as it is known
        self._fresh: list[dict[int, int]] = []

    @property
    def known(self) -> dict[int, int]:
        size = self.path.stat().st_size if self.path.exists() else 0
        if size < self._size:
            self._known, self._size = {}, 0
        if size > self._size:
            with self.path.open("rb") as file:
                file.seek(self._size)
                while block := _next(file, size):
                    self._met(block)
                    self._size = file.tell()
        return self._known

    def _met(self, beyond: dict[int, int]) -> None:
        """Others were met; the earlier one counts, whoever met it."""
        if self._known.keys().isdisjoint(beyond):
            self._known.update(beyond)
        else:
            self._known = beyond | self._known

    def of(self, texts: Sequence[str], numbers: Sequence[int]) -> Sequence[int]:
        """For each text, of the row with a number, the number of the first row that had it: that of the row itself where none
        had, and `numbers` itself where that is so of all."""
        digests, known = _digests(texts), self.known
        fresh = dict(zip(digests, numbers, strict=True))
        # At once, as most files have nothing twice.
        if len(fresh) == len(digests) and known.keys().isdisjoint(fresh):
            known.update(fresh)
            self._fresh.append(fresh)
            return numbers
        firsts = [known.setdefault(digest, number) for digest, number in zip(digests, numbers, strict=True)]
        told = zip(digests, firsts, numbers, strict=True)
        self._fresh.append({digest: number for digest, first, number in told if first == number})
        return firsts

    def keep(self) -> None:
        """Keep what was met for the next request."""
        kept = b"".join(map(_block, self._fresh))
        self._fresh = []
        with self.path.open("ab") as file:
            file.write(kept)
            # What another window has put between is read at the next need, and this with it.
            if file.tell() == self._size + len(kept):
                self._size = file.tell()

    def release(self, number: int) -> None:
        """A row that is mended may have something else now: what it was the first to have is free again."""
        self.path.write_bytes(_block({digest: first for digest, first in self.known.items() if first != number}))
        self._known, self._size = {}, 0

    def forget(self) -> None:
        self.path.unlink(missing_ok=True)
        self._known, self._size = {}, 0


def _digests(texts: Sequence[str]) -> list[int]:
    try:
        return list(map(xxh3_64_intdigest, map(str.encode, texts)))
    except UnicodeEncodeError:
        return [xxh3_64_intdigest(text.encode("utf-8", "surrogatepass")) for text in texts]


def _block(firsts: dict[int, int]) -> bytes:
    if not firsts:
        return b""  # what reads them goes on as long as there is one
    arrays = array(COUNT, [len(firsts)]), array(DIGEST, firsts), array(NUMBER, firsts.values())
    return b"".join(map(bytes, arrays))


def _next(file: IO[bytes], size: int) -> dict[int, int]:
    """The next block of a file of so many bytes; nothing where there is no whole one, as while another window writes it."""
    if size - file.tell() < ITEM:
        return {}
    [count] = array(COUNT, file.read(ITEM))
    if size - file.tell() < count * (ITEM + array(NUMBER).itemsize):
        return {}
    digests = array(DIGEST, file.read(count * ITEM))
    return dict(zip(digests, array(NUMBER, file.read(count * array(NUMBER).itemsize)), strict=True))
