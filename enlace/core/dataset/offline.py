"""Make a kept copy: the rows of some tables in a file, to work on while their server can't be reached."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import dialect as sqlite_dialect
from sqlalchemy.engine import Connection

from ..model.connection import ConnectionSpec
from ..model.dataset import ColumnSpec, DatasetSpec, FieldSpec
from ..problem import Problem
from ..server.dialects.kept import COLLATION, TYPE, open_kept, to_text
from ..server.engine import reading
from .compiled import derived
from .source import source_of, source_table

MOST_ROWS = 200_000  # of one table
MOST_BYTES = 512 * 1024 * 1024  # of text and bytes in all
BATCH = 1000
# Kinds whose values SQLite has types for, whatever server they come from.
NATIVE = ("text", "longtext", "whole", "picture", "binary")


@dataclass(frozen=True)
class KeptTable:
    """What a copy holds of one table."""

    name: str
    rows: int


def take_copy(spec: ConnectionSpec, datasets: Sequence[DatasetSpec], path: Path) -> list[KeptTable]:
    """Copy the rows of some datasets, all as of one moment, into a new file that replaces the one at `path`.

    Raises Problem when the server is away or there is too much to keep; an older copy stays then.
    """
    fresh = path.with_suffix(".new")
    fresh.unlink(missing_ok=True)
    os.close(os.open(fresh, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    try:
        with contextlib.closing(open_kept(str(fresh), "rwc")) as copy, reading(spec) as connection:
            copy.execute("BEGIN")
            budget = _Budget()
            made = [_copied(connection, copy, dataset, spec.kind, budget) for dataset in _once(datasets)]
            copy.execute("COMMIT")
        fresh.replace(path)
    except sqlite3.Error as error:
        raise Problem("The copy could not be kept.", "Look whether the disk is full.", str(error), "bad") from error
    finally:
        fresh.unlink(missing_ok=True)
    return made


@derived
def as_kept(dataset: DatasetSpec) -> DatasetSpec:
    """The dataset as it is read from a copy, where what a query listed is a table."""
    if not any(lookup.query for _, lookup in dataset.looked_up.values()):
        return dataset
    fields = (replace(f, lookup=replace(f.lookup, query="")) if f.lookup else f for f in dataset.fields)
    return replace(dataset, fields=tuple(fields))


def _once(datasets: Sequence[DatasetSpec]) -> list[DatasetSpec]:
    """One dataset for each table: the given ones, what their lookups list, and the details that they add up."""
    made: dict[str, DatasetSpec] = {}
    for dataset in datasets:
        _merge(made, DatasetSpec(table=dataset.table, fields=dataset.fields, key=dataset.key, locator=dataset.locator))
        for _, lookup in dataset.looked_up.values():
            keys = (lookup.target, *(c for _, c in lookup.also)) if lookup.unique else ()
            listed = DatasetSpec(table=lookup.table, fields=_fields(lookup.columns), key=keys, query=lookup.query)
            _merge(made, listed)
        for detail in dataset.details:
            _merge(made, DatasetSpec(table=detail.table, fields=_fields(detail.fields)))
    return list(made.values())


def _fields(columns: Sequence[ColumnSpec]) -> tuple[FieldSpec, ...]:
    return tuple(column.as_field() for column in columns)


def _merge(datasets: dict[str, DatasetSpec], dataset: DatasetSpec) -> None:
    there = datasets.get(dataset.table)
    if there is None:
        datasets[dataset.table] = dataset
        return
    more = tuple(f for f in dataset.fields if f.name not in there.by_name)
    datasets[dataset.table] = replace(there, fields=there.fields + more, key=there.key or dataset.key)


class _Budget:
    """How much may still be kept."""

    def __init__(self) -> None:
        self.left = MOST_BYTES

    def take(self, row: Sequence[Any]) -> None:
        self.left -= sum(len(v) for v in row if isinstance(v, str | bytes))
        if self.left < 0:
            raise Problem("There is too much to keep.", "A copy holds at most 512 MB of text and pictures.", code="bad")


def _copied(
    connection: Connection, copy: sqlite3.Connection, dataset: DatasetSpec, server: str, budget: _Budget
) -> KeptTable:
    table = source_of(dataset, server).base if dataset.query else source_table(dataset)
    columns = [c for c in table.c if c.name != dataset.locator]
    packs = [server != "sqlite" and _packs(dataset, str(c.name)) for c in columns]
    quoted = sqlite_dialect().identifier_preparer.quote_identifier
    declared = [
        f"{quoted(str(c.name))}{f' {TYPE} COLLATE {COLLATION}' if p else ''}"
        for c, p in zip(columns, packs, strict=True)
    ]
    key = f", PRIMARY KEY ({', '.join(map(quoted, dataset.key))})" if dataset.key else ""
    name = quoted(dataset.table)
    copy.execute(f"CREATE TABLE {name} ({', '.join(declared)}{key})")
    insert = f"INSERT INTO {name} VALUES ({', '.join('?' * len(columns))})"  # noqa: S608 (all quoted)
    result = connection.execute(select(*columns).limit(MOST_ROWS + 1))
    count = 0
    while rows := result.fetchmany(BATCH):
        count += len(rows)
        if count > MOST_ROWS:
            hint = f"At most {MOST_ROWS:,} rows of a table can be kept."
            raise Problem(f"{dataset.table} is too large for a copy.", hint, code="bad")
        for row in rows:
            budget.take(row)
        kept = ([to_text(v) if p else v for v, p in zip(row, packs, strict=True)] for row in rows)
        copy.executemany(insert, kept)
    return KeptTable(dataset.table, count)


def _packs(dataset: DatasetSpec, column: str) -> bool:
    field = dataset.by_name.get(column)
    return field is None or field.kind not in NATIVE
