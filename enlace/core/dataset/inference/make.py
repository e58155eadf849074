"""A dataset from a table: labels, kinds, widths and rules that the catalog and some rows suggest."""

from __future__ import annotations

import re
from typing import Any

from ...model.catalog import Column, Table
from ...model.connection import ConnectionSpec
from ...model.dataset import DatasetSpec, FieldSpec, RuleSpec
from ...server.catalog import Catalog, first_rows
from ...server.dialects import server_kind
from ...server.engine import reading
from .kinds import is_made_up, kind_of
from .labels import label_of
from .references import details_of, with_lookups
from .widths import width_of

SAMPLE_ROWS = 50
SAMPLE_CUT = 400
YEAR = re.compile(r"(^|[^a-z])(year|yr|ano)$|Year$", re.I)


def make_dataset(spec: ConnectionSpec, name: str) -> DatasetSpec:
    """The dataset that a table or view suggests. Raises Problem when there is no such table."""
    catalog = Catalog.of(spec)
    table = catalog.table(name)
    with reading(spec) as connection:
        rows = first_rows(connection, table, SAMPLE_ROWS, SAMPLE_CUT)
        types = server_kind(spec.kind).stored_types(connection, name, [c.name for c in table.columns if is_made_up(c)])
    samples = [[row[i] for row in rows if row[i] is not None] for i in range(len(table.columns))]
    for i, one in enumerate(table.columns):
        # What a declared type of somebody's own means, the rows tell: one value of each type that is there.
        samples[i] += types.get(one.name, [])
    fields = tuple(_field(spec, table, one, samples[i]) for i, one in enumerate(table.columns))
    rules = tuple(RuleSpec(check.expression, check.name) for check in table.checks) + _enumerations(table)
    return DatasetSpec(
        table=table.name,
        fields=with_lookups(catalog, table, fields, rules),
        key=table.identity,
        # A row number may be another row's by now, and all columns are what people edit: the whole record is compared.
        compare="edited"
        if set(table.identity) <= {*table.key, *(c for u in table.uniques for c in u.columns)}
        else "all",
        read_only_because=why_read_only(table),
        rules=rules,
        uniques=tuple(one.columns for one in table.uniques),
        is_view=table.is_view,
        order=tuple(one.name for one in fields),
        details=details_of(catalog, table),
    )


def _enumerations(table: Table) -> tuple[RuleSpec, ...]:
    """An enumeration's values as rules, so that a wrong one is told while somebody types."""

    def quoted(text: str, mark: str) -> str:
        return mark + text.replace(mark, mark * 2) + mark

    return tuple(
        RuleSpec(f"{quoted(c.name, chr(34))} IN ({', '.join(quoted(one, chr(39)) for one in c.choices)})")
        for c in table.columns
        if c.choices
    )


def why_read_only(table: Table) -> str:
    """Why the records of a table can't be edited; "" when they can."""
    if table.is_view:
        return (
            f"{table.name} is a view: its rows are computed from other tables, so they can be read but not edited here."
        )
    if not table.identity:
        return (
            f"{table.name} has no key, and its columns can't be compared one by one, so two of its rows could not be told apart when saving. "
            "They can be read but not edited. A primary key on the table would change that."
        )
    return ""


def _field(spec: ConnectionSpec, table: Table, column: Column, values: list[Any]) -> FieldSpec:
    kind, facts = kind_of(column, table, values)
    server = server_kind(spec.kind)
    if kind in ("date", "time", "datetime") and not column.family:
        facts["storage"] = server.storage_of(values, kind)
    shown_only = kind == "binary" or column.family == "shown"
    read_only = bool(why_read_only(table)) or column.computed or shown_only
    # A key that is a reference as well (one-to-one tables) is chosen from its list, whoever could number it.
    numbered = column.numbered and all(column.name not in one.columns for one in table.references)
    made = numbered or column.computed
    needed = not column.nullable or (column.name in table.key and column.default is None)
    return FieldSpec(
        name=column.name,
        label=label_of(column.name),
        kind=kind,
        format=_format(table, column, kind),
        type_text=column.type_text,
        width=max(width_of(kind, label_of(column.name), values, facts.get("length")), 100 if column.numbered else 0),
        nullable=column.nullable,
        required=needed and not made,
        read_only=read_only or numbered,
        numbered=numbered,
        computed=column.computed,
        default=column.default,
        help="Values of this type are shown here but can't be edited." if column.family == "shown" else "",
        **facts,
    )


def _format(table: Table, column: Column, kind: str) -> str:
    """Whole numbers that are names rather than amounts (keys, references, years) are written without groups of digits."""
    referring = {name for one in table.references for name in one.columns}
    named = column.name in (*table.key, *referring) or YEAR.search(column.name)
    return "0" if kind == "whole" and named and not column.numbered else ""
