"""The steps of testing an SQLite file. Each returns what it found, or raises Problem."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from sqlalchemy import text

from ...model.connection import ConnectionSpec
from ...near import closest
from ...problem import Problem
from ..dialects.sqlite_sentences import SENTENCES
from ..engine import reading, writing
from ..places import checked_file
from .step import Steps

HEADER = b"SQLite format 3\x00"


def file_found(spec: ConnectionSpec) -> str:
    path = Path(spec["path"])
    if not spec["path"].strip() or "\0" in spec["path"]:
        raise Problem("No file is named.", "Give the full path of the database file.", code="missing")
    try:
        if path.is_dir():
            raise Problem(f"{path} is a folder.", "Give the path of the database file inside it.", code="missing")
        if not path.exists():
            raise Problem(f"There is no file {path}.", _nearest_file(path), code="missing")
    except PermissionError as error:
        hint = "Ask for the right to enter the folders above it."
        raise Problem(f"The folder of {path} may not be entered.", hint, str(error), "unreadable") from None
    except OSError as error:
        raise Problem(f"The path {path} can't be used.", "Check it for typing errors.", str(error), "missing") from None
    return f"{path.stat().st_size:,} bytes"


def _nearest_file(path: Path) -> str:
    folder = path.parent
    while not folder.is_dir() and folder != folder.parent:
        folder = folder.parent
    if folder != path.parent:
        return f"The folder {folder} exists, but not {path.parent}. Check the path."
    try:
        names = [p.name for p in folder.iterdir() if p.is_file()]
    except OSError:
        names = []
    if near := closest(path.name, names):
        return f"The closest name in that folder is {near}. Check the path."
    return "Check the path; Enlace does not make a new file."


def file_readable(spec: ConnectionSpec) -> str:
    checked_file(spec["path"])
    return "Read"


def is_database(spec: ConnectionSpec) -> str:
    _answer(spec, "SELECT count(*) FROM sqlite_master")  # the first read of the file's inside, by SQLite itself
    version = _answer(spec, "SELECT sqlite_version()")
    return f"Read with SQLite {version}" + ("" if os.path.getsize(spec["path"]) else "; the file is empty")


def tables_listed(spec: ConnectionSpec) -> str:
    count = _answer(
        spec, "SELECT count(*) FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite%'"
    )
    return f"{count} tables and views" if count != 1 else "1 table or view"


def may_write(spec: ConnectionSpec) -> str:
    if not os.access(spec["path"], os.W_OK):
        raise Problem(*SENTENCES["read-only"], code="read-only")
    with writing(spec) as connection:
        # Taking the write lock proves it; rolled back, so nothing changes.
        connection.rollback()
    return "Yes"


def _answer(spec: ConnectionSpec, sql: str) -> Any:
    with reading(spec) as connection:
        return connection.execute(text(sql)).scalar()


STEPS: Steps = (
    ("File found", file_found),
    ("File can be read", file_readable),
    ("It is an SQLite database", is_database),
    ("Tables listed", tables_listed),
    ("May write", may_write),
)
