"""What the schema's references suggest: lookups with something readable to show, and details to add up."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import replace

from sqlglot import exp

from ...expression import Unsupported
from ...expression.parse import MASTER, parsed
from ...model.catalog import Reference, Table
from ...model.dataset import ColumnSpec, DetailSpec, FieldSpec, LookupSpec, RuleSpec
from ...server.catalog import Catalog
from .kinds import NAMING, column_specs
from .labels import label_of

DESCRIBING = re.compile(r"descr", re.I)
UNREADABLE = re.compile(r"(^|[^a-z])(gid|guid|uuid|hash|digest|checksum|token|secret|password|passwd)($|[^a-z])", re.I)
MOST_SHOWN_LENGTH = 120


def lookup_name(field: str, table: str) -> str:
    """Under which name expressions reach a looked-up record: `vessel_id` → vessel."""
    short = re.sub(r"[_ ]?(id|code|no|nr|key|ref|uuid)$", "", field, flags=re.I)
    return short or table


def lookup_in(table: Table, reference: Reference) -> LookupSpec:
    """The lookup that a reference to a table suggests, for the last of its columns."""
    targets = reference.target_columns
    key_sets = [table.key, *(one.columns for one in table.uniques)]
    return LookupSpec(
        table=table.name,
        target=targets[-1],
        shows=shown_columns(table, targets[-1]),
        columns=column_specs(table),
        unique=any(one and set(one) <= set(targets) for one in key_sets),
        also=tuple(zip(reference.columns[:-1], targets[:-1], strict=True)),
        name=lookup_name(reference.columns[-1], table.name),
    )


def shown_columns(table: Table, target: str) -> tuple[str, ...]:
    """What to show for a row of a table: a telling name, and what tells rows of one name apart."""
    single = {one.columns[0] for one in table.uniques if len(one.columns) == 1} | set(table.key[:1])
    specs = column_specs(table)
    scored = [(score, -i, one) for i, one in enumerate(specs) if (score := _score(table, one, single))]
    if not scored:
        return (target,)
    best = max(scored)[2].name
    if best in single:
        return (best,)
    telling = next((one.name for one in specs if one.name in single and _readable_text(one)), None)
    return (best, telling) if telling else (best,)


def _named(name: str) -> int:
    return 4 if NAMING.search(name) else 3 if DESCRIBING.search(name) else 0


def _score(table: Table, one: ColumnSpec, single: set[str]) -> int:
    """How well a column tells a person which row it is; 0 for not at all."""
    column = next(c for c in table.columns if c.name == one.name)
    named = _named(one.name)
    # Many schemas give every text 255 characters or 2 000: a name is a name all the same.
    if not _readable_text(one) or (named < 4 and (column.length or 0) > MOST_SHOWN_LENGTH):
        return 0
    return named + (2 if one.name in single else 0) + (1 if not column.nullable else 0)


def called_by(fields: Sequence[FieldSpec]) -> tuple[str, ...]:
    """The fields that may tell a person which record it is, the most telling ones first."""
    texts = [one for one in fields if _readable_text(one) or (one.kind == "longtext" and _named(one.name))]
    return tuple(one.name for one in sorted(texts, key=lambda f: -_named(f.name)))


def _readable_text(one: ColumnSpec | FieldSpec) -> bool:
    """Whether people read it: not an identifier made for machines, and nothing that must not be shown."""
    return one.kind == "text" and one.storage in ("", "text") and not UNREADABLE.search(one.name)


def with_lookups(
    catalog: Catalog, table: Table, fields: Sequence[FieldSpec], rules: Sequence[RuleSpec]
) -> tuple[FieldSpec, ...]:
    """The fields of a table with the lookups that its references and its conditions suggest."""
    found = {f.name: f for f in fields}
    taken: set[str] = set()
    for reference in sorted(table.references, key=lambda r: len(r.columns)):
        last, target = reference.columns[-1], catalog.named(reference.target)
        if target is None or last not in found or found[last].lookup:
            continue
        lookup = lookup_in(target, reference)
        if lookup.name in taken or lookup.name == MASTER:
            lookup = replace(lookup, name=last)
        taken.add(lookup.name)
        found[last] = _readable(found[last], lookup)
    for rule in rules:
        name, choices = listed(rule.expression)
        field = found.get(name)
        if field is not None and field.lookup is None and field.kind in ("text", "whole"):
            found[name] = replace(field, lookup=LookupSpec(choices=choices))
    return tuple(found[f.name] for f in fields)


def _readable(field: FieldSpec, lookup: LookupSpec) -> FieldSpec:
    short = re.sub(r"[_ ]?id$", "", field.name, flags=re.I)
    label = label_of(short) if short and short != field.name else field.label
    wide = 180 if len(lookup.shows) > 1 else 150
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
    values = [one.unnest() for one in tree.expressions]
    if not values or not all(isinstance(one, exp.Literal) for one in values):
        return "", ()
    return tree.this.unnest().name, tuple((str(v.this), str(v.this)) for v in values)


def details_of(catalog: Catalog, table: Table) -> tuple[DetailSpec, ...]:
    """The tables whose rows belong to a row of this one, by the names under which expressions add them up."""
    found: dict[str, DetailSpec] = {}
    for reference in table.referenced_by:
        other = catalog.named(reference.table)
        if other is None or other.name == table.name:
            continue
        detail = detail_in(other, reference, found)
        found[detail.name] = detail
    return tuple(found.values())


def detail_in(table: Table, reference: Reference, taken: Collection[str]) -> DetailSpec:
    """The detail that a reference from a table makes of it, under a name that is not taken."""
    name = table.name if table.name not in taken else f"{table.name}_by_{reference.columns[-1]}"
    return DetailSpec(name, table.name, reference.columns, reference.target_columns, column_specs(table))
