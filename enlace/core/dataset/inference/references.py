"""What the schema's references suggest: lookups with something readable to show, and details to add up."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from typing import Any

from sqlglot import exp

from ...expression import Unsupported
from ...expression.parse import MASTER, parsed
from ...labels import REFERRING, list_label
from ...model.catalog import Reference, Table
from ...model.dataset import DetailSpec, FieldSpec, LookupSpec, RuleSpec
from ...server.catalog import Catalog
from .kinds import column_specs
from .telling import shown_columns


def lookup_name(field: str, table: str) -> str:
    """Under which name expressions reach a looked-up record: `vessel_id` → vessel."""
    return REFERRING.sub("", field) or table


def lookup_in(table: Table, reference: Reference, rows: Sequence[Sequence[Any]] = ()) -> LookupSpec:
    """The lookup that a reference to a table suggests, for the last of its columns. rows: some of the table's."""
    targets = reference.target_columns
    key_sets = [table.key, *(unique.columns for unique in table.uniques)]
    return LookupSpec(
        table=table.name,
        target=targets[-1],
        shows=shown_columns(table, targets[-1], rows),
        columns=column_specs(table),
        unique=any(key_set and set(key_set) <= set(targets) for key_set in key_sets),
        also=tuple(zip(reference.columns[:-1], targets[:-1], strict=True)),
        name=lookup_name(reference.columns[-1], table.name),
    )


def with_lookups(
    catalog: Catalog, table: Table, fields: Sequence[FieldSpec], rules: Sequence[RuleSpec]
) -> tuple[FieldSpec, ...]:
    """The fields of a table with the lookups that its references and its conditions suggest."""
    by_name = {f.name: f for f in fields}
    taken: set[str] = set()
    for reference in (*sorted(table.references, key=lambda r: len(r.columns)), *_onward(catalog, table)):
        last, target = reference.columns[-1], catalog.named(reference.target)
        if target is None or last not in by_name or by_name[last].lookup:
            continue
        lookup = lookup_in(target, reference, catalog.sample(target.name))
        if lookup.name in taken or lookup.name == MASTER:
            lookup = replace(lookup, name=last)
        taken.add(lookup.name)
        by_name[last] = _readable(by_name[last], lookup, catalog.words)
    for rule in rules:
        name, choices = listed(rule.expression)
        field = by_name.get(name)
        if field is not None and field.lookup is None and field.kind in ("text", "whole"):
            by_name[name] = replace(field, lookup=LookupSpec(choices=choices))
    return tuple(by_name[f.name] for f in fields)


def _onward(catalog: Catalog, table: Table) -> Iterator[Reference]:
    """What a part of the columns of a longer reference refers to beyond the table that they name together.

    A row that belongs to (house 7, bed 9) has its house in the beds, and each house of the beds is one of the houses.
    """
    several, known = deque(table.references), set[tuple[str, tuple[str, ...]]]()
    while several:
        reference = several.popleft()
        target = catalog.named(reference.target) if len(reference.columns) > 1 else None
        if target is None or (target.name, reference.columns) in known:
            continue
        known.add((target.name, reference.columns))  # references may go round
        own = dict(zip(reference.target_columns, reference.columns, strict=True))
        for further in target.references:
            if own.keys() >= set(further.columns):
                composed = replace(further, name="", table=table.name, columns=tuple(own[c] for c in further.columns))
                several.append(composed)
                yield composed


def _readable(field: FieldSpec, lookup: LookupSpec, words: Collection[str]) -> FieldSpec:
    wide = 180 if len(lookup.shows) > 1 else 150
    label = list_label(field.name, lookup.table, words)
    return replace(field, lookup=lookup, label=label, width=max(field.width, wide))


def listed(expression: str) -> tuple[str, tuple[tuple[str, str], ...]]:
    """(column, choices) of a condition such as `status IN ('a', 'b')`; ("", ()) for any other."""
    try:
        tree = parsed(expression).unnest()
    except Unsupported:
        return "", ()
    if isinstance(tree, exp.Or) and any(isinstance(side.unnest(), exp.Is) for side in (tree.this, tree.expression)):
        tree = next((s.unnest() for s in (tree.this, tree.expression) if not isinstance(s.unnest(), exp.Is)), tree)
    if not isinstance(tree, exp.In) or not isinstance(tree.this.unnest(), exp.Column):
        return "", ()
    values = [expression.unnest() for expression in tree.expressions]
    if not values or not all(isinstance(value, exp.Literal) for value in values):
        return "", ()
    return tree.this.unnest().name, tuple((str(v.this), str(v.this)) for v in values)


def details_of(catalog: Catalog, table: Table) -> tuple[DetailSpec, ...]:
    """The tables whose rows belong to a row of this one, by the names under which expressions add them up."""
    details: dict[str, DetailSpec] = {}
    for reference in table.referenced_by:
        other = catalog.named(reference.table)
        if other is None or other.name == table.name:
            continue
        detail = detail_in(other, reference, details)
        details[detail.name] = detail
    return tuple(details.values())


def detail_in(table: Table, reference: Reference, taken: Collection[str]) -> DetailSpec:
    """The detail that a reference from a table makes of it, under a name that is not taken."""
    name = table.name if table.name not in taken else f"{table.name}_by_{reference.columns[-1]}"
    return DetailSpec(name, table.name, reference.columns, reference.target_columns, column_specs(table))
