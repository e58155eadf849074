"""A server's refusal as a sentence on the record and the fields concerned."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import and_, func, select
from sqlalchemy.engine import Connection

from ..draft.pending import PendingRecord
from ..kinds import raw_text
from ..model.catalog import Reference, Table
from ..model.dataset import DatasetSpec
from ..rules.record import Complaint, RecordRules
from ..server.dialects import server_kind
from ..server.names import quoted_table
from ..server.refusal import Refusal


def explain(
    connection: Connection, rules: RecordRules, table: Table, record: PendingRecord, refusal: Refusal
) -> Complaint:
    """What the server refused, in words. Asks the server where its own message names too little."""
    dataset = rules.dataset
    if refusal.code == "not null":
        return Complaint(
            "server", f"{_labels(dataset, refusal.columns)} needs a value.", _known(dataset, refusal.columns)
        )
    if refusal.code == "unique":
        return _unique(dataset, table, record, refusal)
    if refusal.code in ("long", "range"):
        named = _known(dataset, refusal.columns)
        fault = "longer than" if refusal.code == "long" else "outside of what"
        column = _labels(dataset, named) or "one of its columns"
        return Complaint("server", f"A value is {fault} {column} can hold. Make it fit ({refusal.words}).", named)
    if refusal.code == "check":
        constraint = rules.by_constraint(refusal.constraint)
        if constraint:
            return Complaint("server", constraint[0], constraint[1])
        return Complaint("server", f"The table's condition “{refusal.constraint}” does not hold.", ())
    if refusal.code == "reference":
        return _reference(connection, dataset, table, record, refusal)
    if refusal.code == "type":
        named = _known(dataset, refusal.columns)
        return Complaint(
            "server",
            f"The value is of the wrong type for {_labels(dataset, named) or 'its column'} ({refusal.words}).",
            named,
        )
    return Complaint("server", f"The database refused this record: {refusal.words}", ())


def _known(dataset: DatasetSpec, columns: Sequence[str]) -> tuple[str, ...]:
    return tuple(name for name in columns if name in dataset.by_name)


def _labels(dataset: DatasetSpec, columns: Sequence[str]) -> str:
    names = [dataset.by_name[c].label if c in dataset.by_name else c for c in columns]
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def _unique(dataset: DatasetSpec, table: Table, record: PendingRecord, refusal: Refusal) -> Complaint:
    named = next((unique.columns for unique in table.uniques if unique.name == refusal.constraint), ())
    # From the surest to the least: what the server named, the constraint it named, the only one there is, the key.
    columns = refusal.columns or named or _columns_of_index(dataset, refusal.constraint) or dataset.key
    values = record.values()
    shown = ", ".join(raw_text(values[c]) for c in columns if values.get(c) is not None)
    labels = _labels(dataset, columns)
    sentence = f"Another record already has this {labels}{f' ({shown})' if shown else ''}. Choose a different one."
    return Complaint("server", sentence, _known(dataset, columns))


def _columns_of_index(dataset: DatasetSpec, name: str) -> tuple[str, ...]:
    # MariaDB and PostgreSQL call every primary key so: the name tells nothing about which columns.
    generic = name.upper() == "PRIMARY" or name.endswith("_pkey")
    return dataset.uniques[0] if name and not generic and len(dataset.uniques) == 1 else ()


def _reference(
    connection: Connection, dataset: DatasetSpec, table: Table, record: PendingRecord, refusal: Refusal
) -> Complaint:
    broken = broken_reference(connection, dataset, table, record)
    words = f"A reference to or from this record would be broken: {refusal.words}."
    return broken or Complaint("server", words, ())


def broken_reference(
    connection: Connection, dataset: DatasetSpec, table: Table, record: PendingRecord
) -> Complaint | None:
    """Which reference is broken: SQLite does not say, so each is looked at. None where none is seen."""
    values = record.values()
    if record.state != "removed":
        for reference in table.references:
            wanted = [server_kind(connection.dialect.name).bound(values.get(c)) for c in reference.columns]
            # SQL: a reference with a NULL in it refers to nothing, and is not checked.
            if None in wanted or _rows(connection, reference.target, reference.target_columns, wanted):
                continue
            shown = ", ".join(raw_text(v) for v in wanted)
            sentence = f"There is no {shown} in {reference.target}. Choose one that exists, or add it there first."
            return Complaint("server", sentence, _known(dataset, reference.columns))
    if record.state == "new":
        return None
    used = {reference.table: 0 for reference in table.referenced_by}
    for reference in table.referenced_by:
        # Where the schema says what becomes of them (CASCADE, SET NULL), they are no reason for a refusal.
        if not (reference.on_delete if record.state == "removed" else reference.on_update):
            used[reference.table] += _uses(connection, dataset, record, reference)
    users = [f"{count} {'row' if count == 1 else 'rows'} of {name}" for name, count in used.items() if count]
    if not users:
        return None
    verb = "removed" if record.state == "removed" else "given another key"
    refer = "refers" if sum(used.values()) == 1 else "refer"
    return Complaint("server", f"This record can't be {verb}: {' and '.join(users)} still {refer} to it.", ())


def _uses(connection: Connection, dataset: DatasetSpec, record: PendingRecord, reference: Reference) -> int:
    """How many rows refer to the values that a record gives up."""
    wanted = [_as_read(dataset, record, name) for name in reference.target_columns]
    # The values that they refer to stay as they are.
    if record.state != "removed" and record.touched.isdisjoint(reference.target_columns):
        return 0
    return 0 if None in wanted else _rows(connection, reference.table, reference.columns, wanted)


def _as_read(dataset: DatasetSpec, record: PendingRecord, name: str) -> Any:
    if name in dataset.key:
        return record.key[dataset.key.index(name)]
    return record.was.get(name)


def _rows(connection: Connection, table: str, columns: Sequence[str], values: Sequence[Any]) -> int:
    source = quoted_table(table, columns)
    condition = and_(*(source.c[c] == v for c, v in zip(columns, values, strict=True)))
    return int(connection.execute(select(func.count()).select_from(source).where(condition)).scalar() or 0)
