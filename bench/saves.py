"""Saving ten thousand records at once, against programs that use the driver alone.

Each turn edits, adds or removes the same records on a fresh state; what is measured is the saving itself: for Enlace
`save`, for the other one `executemany` with the values as read in WHERE, keys of new rows asked for, and COMMIT.
"""

from __future__ import annotations

import gc
import tempfile
import tracemalloc
from collections.abc import Callable
from pathlib import Path
from statistics import median

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import PendingRecord, as_read, new_record, removed, with_value
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.save import save
from enlace.core.server import forget_engines
from scripts.throwaway import PostgreSQL

from .results import Results, milliseconds

MANY, TURNS = 10_000, 7
COLUMNS = ("code", "gauge", "taken_at", "level", "quality", "checked", "note")
SCHEMA = """CREATE TABLE reading (id {number}, code VARCHAR(12) NOT NULL UNIQUE, gauge VARCHAR(4) NOT NULL,
taken_at VARCHAR(19) NOT NULL, level {real}, quality INTEGER NOT NULL, checked INTEGER NOT NULL, note TEXT)"""


class ByHand:
    """The hand-written program for one driver. mark: its placeholder. same: its NULL-safe comparison."""

    def __init__(self, connect: Callable, mark: str, same: str, numbers: str) -> None:
        self.connect, self.mark, self.same = connect, mark, same
        self.db = connect()
        self.run(SCHEMA.format(number=numbers, real="REAL" if mark == "?" else "DOUBLE PRECISION"))

    def run(self, sql: str) -> None:
        self.db.execute(sql)
        self.db.commit()

    def fill(self) -> None:
        self.db.execute("DELETE FROM reading")
        rows = [(n, f"C{n:07}", "MOLH", "2026-05-01 10:00:00", n / 7, 2, 1, f"note {n}") for n in range(1, MANY + 1)]
        self._many(f"INSERT INTO reading (id, {', '.join(COLUMNS)}) VALUES ({self._marks(8)})", rows)
        self.db.commit()

    def _marks(self, count: int) -> str:
        return ", ".join([self.mark] * count)

    def _many(self, sql: str, rows: list[tuple]) -> int:
        cursor = self.db.cursor()
        cursor.executemany(sql, rows)
        return cursor.rowcount

    def edit(self, records: list[PendingRecord]) -> None:
        sql = f"UPDATE reading SET note = {self.mark} WHERE id = {self.mark} AND note {self.same} {self.mark}"
        assert self._many(sql, [(r.now["note"], r.key[0], r.was["note"]) for r in records]) == len(records)
        self.db.commit()

    def remove(self, records: list[PendingRecord]) -> None:
        conditions = " AND ".join(f"{name} {self.same} {self.mark}" for name in ("id", *COLUMNS))
        names = ("id", *COLUMNS)
        rows = [tuple([r.was[name] for name in names]) for r in records]
        assert (
            self._many(f"DELETE FROM reading WHERE id = {self.mark} AND {conditions}", [(r[0], *r) for r in rows])
            == MANY
        )
        self.db.commit()

    def insert(self, records: list[PendingRecord]) -> list[int]:
        """The keys come back too: a form has to know them."""
        rows = [tuple([r.now[name] for name in COLUMNS]) for r in records]
        sql = f"INSERT INTO reading ({', '.join(COLUMNS)}) VALUES ({self._marks(7)}) RETURNING id"
        cursor = self.db.cursor()
        if self.mark == "?":
            keys = [cursor.execute(sql, row).fetchone()[0] for row in rows]
        else:
            cursor.executemany(sql, rows, returning=True)
            keys = [cursor.fetchone()[0]]
            while cursor.nextset():
                keys.append(cursor.fetchone()[0])
        self.db.commit()
        return keys


def measure(results: Results, name: str, spec: ConnectionSpec, hand: ByHand) -> None:
    """Edited, new and removed records, each against the hand-written program."""
    hand.fill()
    dataset = make_dataset(spec, "reading")
    names, fields = [f.name for f in dataset.fields], dataset.by_name
    turn = iter(range(10**6))

    def read() -> list[PendingRecord]:
        rows = Rows.of(spec, dataset).whole_rows([f"i{n}" for n in range(1, MANY + 1)])
        return [as_read(dataset, item, key_of(item), dict(zip(names, row, strict=True))) for item, row in rows.items()]

    def edited() -> list[PendingRecord]:
        text = f"edit {next(turn)}"
        return [with_value(record, fields["note"], text) for record in read()]

    def new() -> list[PendingRecord]:
        first, made = 10**6 * next(turn), []
        for n in range(MANY):
            values = (f"N{first + n}", "FOZ", "2026-06-01 10:00:00", n / 3, 1, 0, "new")
            record = new_record()
            made.append(PendingRecord(record.id, "new", now=dict(zip(COLUMNS, values, strict=True))))
        return made

    def gone() -> list[PendingRecord]:
        hand.fill()
        return [record for item in read() if (record := removed(item))]

    def ours(records: list[PendingRecord]) -> None:
        outcome = save(spec, dataset, records)
        assert outcome.committed and len(outcome.ids) == MANY, outcome

    for what, prepare, theirs in (
        ("edited", edited, hand.edit),
        ("new", new, hand.insert),
        ("removed", gone, hand.remove),
    ):
        pairs = []
        for _ in range(TURNS):
            first, second = prepare(), None
            gc.collect()
            mine = milliseconds(lambda records=first: ours(records))
            second = prepare()
            gc.collect()
            pairs.append((mine, milliseconds(lambda records=second: theirs(records))))  # noqa: B023
        line = f"saving {MANY:,} {what} records on {name} against the driver alone".replace(",", " ")
        results.ratio(line, median(p[0] for p in pairs), median(p[1] for p in pairs), "ms", 1.5)
    hand.fill()
    _memory(results, name, edited)


def _memory(results: Results, name: str, edited: Callable[[], list[PendingRecord]]) -> None:
    if name != "SQLite":
        return
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    records = edited()
    held = tracemalloc.get_traced_memory()[0] - before
    tracemalloc.stop()
    results.bound("memory of one pending change of eight fields", held / len(records) / 1024, "KB", 8)


def main(results: Results) -> None:
    """On SQLite and on a throwaway PostgreSQL that writes through to the disk."""
    import sqlite3

    with tempfile.TemporaryDirectory(prefix="enlace-bench-") as folder:
        path = str(Path(folder) / "saves.sqlite3")
        sqlite3.connect(path).close()
        hand = ByHand(lambda: sqlite3.connect(path), "?", "IS", "INTEGER PRIMARY KEY")
        measure(results, "SQLite", ConnectionSpec.of("sqlite", path=path), hand)
        hand.db.close()
        forget_engines()
    host = PostgreSQL(safe=True)
    host.start()
    try:
        hand = ByHand(
            host.connect, "%s", "IS NOT DISTINCT FROM", "INTEGER PRIMARY KEY GENERATED BY DEFAULT AS IDENTITY"
        )
        hand.run("SELECT setval(pg_get_serial_sequence('reading', 'id'), 1000000)")
        measure(results, "PostgreSQL", ConnectionSpec.of("postgresql", host.password, **host.parameters), hand)
        hand.db.close()
    finally:
        forget_engines()
        host.end()
