"""What expressions take from outside of a record: looked-up records and totals of its details."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.engine import Connection

from ..kinds import KINDS, Nonconforming
from ..model.connection import ConnectionSpec
from ..model.dataset import ColumnSpec, DatasetSpec
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.engine import reading
from ..server.names import quoted_table
from .keys import KEYS_A_STATEMENT, in_parts, key_in
from .source import detail_column, list_table

Record = Mapping[str, Any]
# For (connection, aggregates, records): by aggregate and by the place of a record, the values that a draft has a part in.
Totals = Callable[[Connection, Sequence[str], Sequence[Record]], Mapping[str, Mapping[int, Any]]]


def related_values(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    names: Collection[str],
    record: Mapping[str, Any],
    totals: Totals | None = None,
) -> dict[str, Any]:
    """The values of `lookup.column` and `sum(detail.column)` names for a record; None where there is none.

    record: stored values by field. totals: gives the aggregates over details where a draft has to be counted. Raises
    Problem.
    """
    return related_rows(spec, dataset, names, [record], totals)[0]


def related_rows(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    names: Collection[str],
    records: Sequence[Mapping[str, Any]],
    totals: Totals | None = None,
) -> list[dict[str, Any]]:
    """`related_values` for several records: one query for each lookup and each aggregate, whatever their number."""
    if not records or not any("." in name for name in names):
        return [{} for _ in records]
    with reading(spec) as connection:
        return related_on(connection, dataset, names, records, totals)


def related_on(
    connection: Connection,
    dataset: DatasetSpec,
    names: Collection[str],
    records: Sequence[Mapping[str, Any]],
    totals: Totals | None = None,
) -> list[dict[str, Any]]:
    """`related_rows` within a transaction."""
    wanted = sorted(name for name in names if "." in name)
    related: list[dict[str, Any]] = [{} for _ in records]
    for lookup in sorted({name.partition(".")[0] for name in wanted if "(" not in name}):
        columns = [inner for owner, _, inner in (n.partition(".") for n in wanted) if owner == lookup]
        if lookup in dataset.looked_up:
            _look_up(connection, dataset, lookup, columns, records, related)
    aggregates = [name for name in wanted if "(" in name]
    drafted = totals(connection, aggregates, records) if totals and aggregates else {}
    for name in aggregates:
        _add_up(connection, dataset, name, records, related, drafted.get(name, {}))
    return related


def _look_up(
    connection: Connection,
    dataset: DatasetSpec,
    name: str,
    columns: Collection[str],
    records: Sequence[Mapping[str, Any]],
    related: list[dict[str, Any]],
) -> None:
    field, lookup = dataset.looked_up[name]
    matched = [(lookup.target, field.name), *((c, f) for f, c in lookup.also)]
    known = {c: lookup.by_name[c] for c in columns if c in lookup.by_name}
    table = list_table(lookup, dict.fromkeys([*(c for c, _ in matched), *known]))
    rows = _rows_by_key(
        connection, table, [c for c, _ in matched], [table.c[c] for c in known], [f for _, f in matched], records
    )
    for record, values in zip(records, related, strict=True):
        row = rows.get(_key(connection, record, [f for _, f in matched]))
        values |= {f"{name}.{c}": None for c in columns}
        if row is not None:
            values |= {f"{name}.{c}": typed(column, v) for (c, column), v in zip(known.items(), row, strict=True)}


def _key(connection: Connection, record: Mapping[str, Any], names: Sequence[str]) -> tuple[Any, ...]:
    bound = server_kind(connection.dialect.name).bound
    return tuple(bound(record.get(name)) for name in names)


def _rows_by_key(
    connection: Connection,
    table: Any,
    columns: Sequence[str],
    selected: Sequence[Any],
    names: Sequence[str],
    records: Sequence[Mapping[str, Any]],
    grouped: bool = False,
) -> dict[tuple[Any, ...], tuple[Any, ...]]:
    """What is selected for the rows whose columns hold what records have in the fields `names`, by those values."""
    keys = {key: key for record in records if None not in (key := _key(connection, record, names))}
    alike = spelled(keys)
    by_key: dict[tuple[Any, ...], tuple[Any, ...]] = {}
    for part in in_parts(list(keys), KEYS_A_STATEMENT):
        statement = select(*(table.c[c] for c in columns), *selected)
        statement = statement.where(key_in([table.c[c] for c in columns], part))
        if grouped:
            statement = statement.group_by(*(table.c[c] for c in columns))
        for row in connection.execute(statement):
            key = tuple(row[: len(columns)])
            # The first that comes: a list over a column that is not unique shows one of its lines, too.
            by_key.setdefault(alike(key), tuple(row[len(columns) :]))
    return by_key


def spelled(keys: Iterable[tuple[Any, ...]]) -> Callable[[tuple[Any, ...]], tuple[Any, ...]]:
    """A function that tells which of some keys a server means by one of its own: it may spell it in another way.

    A number with more digits equals ours; a text may differ by capitals, accents or blanks at its end where the server's
    collation holds them for one.
    """
    ours = {key: key for key in keys}
    loose = {_loose(key): key for key in ours}
    return lambda key: ours.get(key) or loose.get(_loose(key), key)


def _loose(key: tuple[Any, ...]) -> tuple[Any, ...]:
    return tuple(folded(item).rstrip() if isinstance(item, str) else item for item in key)


def typed(column: ColumnSpec, value: Any) -> Any:
    """A stored value of another table as expressions compute with it."""
    read = KINDS[column.kind].read(value, column.as_field())
    return read.raw if isinstance(read, Nonconforming) else read


def _add_up(
    connection: Connection,
    dataset: DatasetSpec,
    name: str,
    records: Sequence[Mapping[str, Any]],
    related: list[dict[str, Any]],
    drafted: Mapping[int, Any],
) -> None:
    function, _, inner = name[:-1].partition("(")
    detail, other = detail_column(dataset, inner)
    for i, value in drafted.items():
        related[i][name] = value
    left = [i for i in range(len(records)) if i not in drafted]
    some = [records[i] for i in left]
    table = quoted_table(detail.table, dict.fromkeys([*detail.columns, other.name]))
    made = getattr(func, function)(table.c[other.name])
    rows = _rows_by_key(connection, table, detail.columns, [made], detail.master_columns, some, grouped=True)
    for i in left:
        row = rows.get(_key(connection, records[i], detail.master_columns))
        # As SQL has it over no rows: none are counted as 0, and add up to NULL.
        value = (0 if function == "count" else None) if row is None else row[0]
        related[i][name] = value if function == "count" else typed(other, value)
