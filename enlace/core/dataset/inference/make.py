"""A dataset from a table: labels, kinds, widths and rules that the catalog and some rows suggest."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from ...kinds import TEXTS
from ...labels import label_of
from ...model.catalog import Column, Table
from ...model.connection import ConnectionSpec
from ...model.dataset import DatasetSpec, FieldSpec, RuleSpec
from ...server.catalog import Catalog, first_rows
from ...server.dialects import server_kind
from ...server.engine import reading
from .kinds import JSON_CHECK, is_made_up, kind_of
from .references import details_of, with_lookups
from .widths import width_of

SAMPLE_ROWS = 50
SAMPLE_CUT = 400
DECIMALS = 4  # more of them say nothing to people
YEAR = re.compile(r"(^|[^a-z])(year|yr|ano)$|Year$", re.I)


def make_dataset(spec: ConnectionSpec, name: str) -> DatasetSpec:
    """The dataset that a table or view suggests. Raises Problem when there is no such table."""
    catalog = Catalog.of(spec)
    table = catalog.table(name)
    with reading(spec) as connection:
        rows = first_rows(connection, table, SAMPLE_ROWS, SAMPLE_CUT)
        types = server_kind(spec.kind).stored_types(connection, name, [c.name for c in table.columns if is_made_up(c)])
    samples = [[row[i] for row in rows if row[i] is not None] for i in range(len(table.columns))]
    for i, column in enumerate(table.columns):
        # What a declared type of somebody's own means, the rows tell: one value of each type that is there.
        samples[i] += types.get(column.name, [])
    fields = tuple(_field(spec, table, column, samples[i], catalog.words) for i, column in enumerate(table.columns))
    rules = tuple(_rules(table)) + _enumerations(table)
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
        uniques=tuple(unique.columns for unique in table.uniques),
        is_view=table.is_view,
        order=tuple(field.name for field in fields),
        details=details_of(catalog, table),
    )


def _rules(table: Table) -> Iterator[RuleSpec]:
    for check in table.checks:
        if not JSON_CHECK.fullmatch(check.expression):
            yield RuleSpec(check.expression, check.name)


def _enumerations(table: Table) -> tuple[RuleSpec, ...]:
    """An enumeration's values as rules, so that a wrong one is told while somebody types."""

    def quoted(text: str, mark: str) -> str:
        return mark + text.replace(mark, mark * 2) + mark

    return tuple(
        RuleSpec(f"{quoted(c.name, chr(34))} IN ({', '.join(quoted(choice, chr(39)) for choice in c.choices)})")
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


def _field(spec: ConnectionSpec, table: Table, column: Column, values: list[Any], words: Collection[str]) -> FieldSpec:
    kind, facts = kind_of(column, table, values)
    server = server_kind(spec.kind)
    if kind in ("date", "time", "datetime") and not column.family:
        facts["storage"] = server.storage_of(values, kind)
    shown_only = kind == "binary" or column.family == "shown"
    read_only = bool(why_read_only(table)) or column.computed or shown_only
    # A key that is a reference as well (one-to-one tables) is chosen from its list, whoever could number it.
    numbered = column.numbered and all(column.name not in reference.columns for reference in table.references)
    made = numbered or column.computed
    needed = not column.nullable or (column.name in table.key and column.default is None)
    label = label_of(column.name, words)
    kept_apart = _nobodys(table, column, kind)
    left_empty = needed and _may_be_empty(table, column, kind, values)
    begins = "1" if kept_apart else "''" if left_empty else ""
    return FieldSpec(
        name=column.name,
        label=label,
        kind=kind,
        format=_format(table, column, kind, values),
        type_text=column.type_text,
        width=max(width_of(kind, label, values, facts.get("length")), 100 if column.numbered else 0),
        nullable=column.nullable,
        required=needed and not made and not left_empty,
        read_only=read_only or numbered or kept_apart,
        hidden=kept_apart,
        initial=begins if needed and column.default is None else "",
        numbered=numbered,
        computed=column.computed,
        default=column.default,
        help="Values of this type are shown here but can't be edited." if column.family == "shown" else "",
        **facts,
    )


# What programs count the changes of a row with (common practice), and what servers keep for their own search.
VERSION = re.compile(r"(row|lock|record|opt)?[_ ]?(version|lock)([_ ]?(no|number|id))?", re.I)
SEARCHED = ("tsvector",)
EMPTY_DEFAULT = re.compile(r"""(''|"")?(::[\w ]+)?""")  # PostgreSQL writes the type behind it, MySQL nothing at all
SECRET = re.compile(r"(^|_)(password|passwd|pwd|secret|token|salt)(_?hash)?$", re.I)


def _nobodys(table: Table, column: Column, kind: str) -> bool:
    """Whether nobody should see or type a column: a row's version, what a server searches by, secrets that may be empty."""
    sets = [unique.columns for unique in table.uniques] + [reference.columns for reference in table.references]
    told_by_it = any(column.name in columns for columns in sets)
    version = kind == "whole" and not column.nullable and not told_by_it and bool(VERSION.fullmatch(column.name))
    secret = bool(SECRET.search(column.name)) and (column.nullable or column.default is not None)
    if column.name in table.key:
        return False
    return version or secret or column.type_text.lower() in SEARCHED


def _may_be_empty(table: Table, column: Column, kind: str, values: list[Any]) -> bool:
    """Whether an empty text stands for nothing in a column that is not NULL, as many programs have it: some of its rows
    have one, or it begins with one."""
    if kind not in TEXTS or column.storage not in ("", "text") or column.computed:
        return False
    if any(column.name in columns for columns in (table.key, *(r.columns for r in table.references))):
        return False
    return "" in values or (column.default is not None and bool(EMPTY_DEFAULT.fullmatch(column.default)))


def _format(table: Table, column: Column, kind: str, values: list[Any]) -> str:
    """Whole numbers that are names rather than amounts (keys, references, years) are written without groups of digits.

    Numbers that a server computes are written with as many digits as say something.
    """
    if kind == "decimal" and column.scale is None and (table.is_view or column.computed):
        return "#,##0.00##" if any(len(str(v).partition(".")[2]) > DECIMALS for v in values) else ""
    referring = {name for reference in table.references for name in reference.columns}
    named = column.name in (*table.key, *referring) or YEAR.search(column.name)
    return "0" if kind == "whole" and named and not column.numbered else ""
