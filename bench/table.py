"""The table that everything is measured on: a million rows, one column with an index, one without."""

from __future__ import annotations

import random
import sqlite3

ROWS = 1_000_000


def make(path: str, rows: int = ROWS) -> None:
    """Make the database file."""
    dice = random.Random(7)
    with sqlite3.connect(path) as db:
        db.execute(
            "CREATE TABLE reading (id INTEGER PRIMARY KEY, code INTEGER NOT NULL, gauge VARCHAR(8), taken_at TIMESTAMP, "
            "level DECIMAL(8, 3), quality INTEGER, checked BOOLEAN, note VARCHAR(60))"
        )
        stamps = [f"2026-{m:02}-{d:02} {h:02}:15:00" for m in range(1, 13) for d in range(1, 29) for h in range(24)]
        db.executemany(
            "INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (
                (
                    n,
                    dice.randrange(10**7),
                    f"G{n % 17}",
                    stamps[n % len(stamps)],
                    dice.randrange(10**6) / 1000,
                    n % 4,
                    n % 2,
                    f"note {n}",
                )
                for n in range(1, rows + 1)
            ),
        )
        db.execute("CREATE INDEX reading_code ON reading (code)")
    db.close()
