"""What the server has of the records of a save, and what became of those that are not there any more."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.engine import Connection

from ..dataset.asked import own_rows
from ..dataset.keys import KEYS_A_STATEMENT, in_parts, key_in
from ..dataset.source import source_of
from ..dataset.window import source_table
from ..draft.pending import Conflict, PendingRecord
from ..model.dataset import DatasetSpec
from ..model.values import record_id

Key = tuple[Any, ...]


def current_rows(
    connection: Connection, dataset: DatasetSpec, names: Sequence[str], keys: list[Key], lock: bool = True
) -> dict[Key, tuple[Any, ...]]:
    """By key, the values that some columns have now; locked until the end of the transaction where that is asked for."""
    table = source_table(dataset)
    key = [table.c[name] for name in dataset.key]
    columns = [table.c[n].label(f"f{i}") for i, n in enumerate(names)]
    by_key = {}
    for some in in_parts(keys, KEYS_A_STATEMENT):
        statement = select(*(c.label(f"k{i}") for i, c in enumerate(key)), *columns).where(key_in(key, some))
        wanted = set(some)
        for row in connection.execute(statement.with_for_update() if lock else statement):
            met = tuple(row[: len(key)])
            if met not in wanted:  # what is not equal to itself, a NaN, is known by its id
                met = next((item for item in some if record_id(item) == record_id(met)), met)
            by_key[met] = tuple(row[len(key) :])
    return by_key


def outside(connection: Connection, dataset: DatasetSpec, keys: Collection[Key]) -> list[Key]:
    """Those of some keys whose rows are there, and are not what the condition of the dataset lets in. Raises Problem."""
    server = connection.dialect.name
    condition, joins = own_rows(dataset, server)
    source = source_of(dataset, server)
    key = [source.base.c[name] for name in dataset.key]
    left = []
    for some in in_parts(list(keys), KEYS_A_STATEMENT):
        wanted = select(*(c.label(f"k{i}") for i, c in enumerate(key))).select_from(source.joined(joins))
        met = {tuple(row) for row in connection.execute(wanted.where(key_in(key, some), condition))}
        left += [item for item in some if item not in met]
    there = current_rows(connection, dataset, [], left, lock=False) if left else {}
    return [item for item in left if item in there]


def what_became_of(connection: Connection, dataset: DatasetSpec, record: PendingRecord) -> Conflict:
    """The conflict of a record that is not under its key any more: it may have been given another one."""
    table, whole = source_table(dataset), [f.name for f in dataset.fields]
    for columns in dataset.uniques:
        known = [record.was.get(name) for name in columns]
        if any(v is None for v in known) or set(columns) <= set(dataset.key):
            continue
        key = [table.c[n].label(f"k{i}") for i, n in enumerate(dataset.key)]
        fields = [table.c[n].label(f"f{i}") for i, n in enumerate(whole)]
        condition = key_in([table.c[n] for n in columns], [tuple(known)])
        row = connection.execute(select(*key, *fields).where(condition)).first()
        if row is not None:
            theirs = dict(zip(whole, row[len(key) :], strict=True))
            return Conflict(theirs, "key changed", record_id(tuple(row[: len(key)])))
    return Conflict(None, "removed")
