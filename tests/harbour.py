"""Databases for tests: the harbour's, and small ones made on the spot."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
from functools import lru_cache
from pathlib import Path

from demo.harbour.generate import make_database
from enlace.core.dataset.anchors import forget_anchors
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import as_read, with_text
from enlace.core.kinds import Formats
from enlace.core.model.connection import ConnectionSpec
from enlace.core.server import forget_engines

ENGLISH = Formats.of("en_GB")


def folder() -> Path:
    return Path(os.environ.get("ENLACE_TEST_FOLDER") or tempfile.gettempdir())


@lru_cache(maxsize=1)
def _harbour() -> Path:
    path = folder() / "harbour-original.sqlite3"
    make_database(path, 5_000)
    return path


def harbour_copy() -> Path:
    """A fresh copy of the harbour's database with 5 000 tide readings."""
    return Path(shutil.copy(_harbour(), new_path()))


def new_path() -> Path:
    handle, name = tempfile.mkstemp(suffix=".sqlite3", dir=folder())
    os.close(handle)
    return Path(name)


def made(*statements: str, rows: dict[str, list[tuple]] | None = None) -> ConnectionSpec:
    """A new SQLite file from statements, and rows for its tables by name."""
    path = new_path()
    with sqlite3.connect(path) as db:
        for statement in statements:
            db.execute(statement)
        for table, several in (rows or {}).items():
            marks = ", ".join("?" * len(several[0]))
            db.executemany(f'INSERT INTO "{table}" VALUES ({marks})', several)
    db.close()
    return ConnectionSpec.of("sqlite", path=str(path))


def ask(spec: ConnectionSpec, sql: str, *values) -> list[tuple]:
    """What another program sees in the file."""
    with sqlite3.connect(spec["path"]) as db:
        rows = db.execute(sql, values).fetchall()
    db.close()
    return rows


class Bench:
    """One table to try things on: its rows, and edits of its records."""

    def __init__(self, spec: ConnectionSpec, table: str, order=()) -> None:
        self.spec, self.dataset = spec, make_dataset(spec, table)
        self.rows = Rows.of(spec, self.dataset, order)

    def read(self, identifier: str):
        """A pending record without edits, over the record as it is now."""
        from enlace.core.model.values import key_of

        values = self.rows.row(identifier)
        assert values is not None
        row = dict(zip([f.name for f in self.dataset.fields], values, strict=True))
        return as_read(self.dataset, identifier, key_of(identifier), row)

    def edit(self, identifier: str, **texts: str):
        """A pending record with texts typed into its fields."""
        record = self.read(identifier)
        for name, text in texts.items():
            record = with_text(record, self.dataset.by_name[name], text, ENGLISH)
        return record


def forget() -> None:
    forget_engines()
    forget_anchors()
