"""Datasets made of queries. Where each row of a query stands for one row of one table, that table's columns can be edited."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlglot import exp

from ..labels import label_of
from ..model.catalog import Table
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec, FieldSpec
from ..problem import Problem
from ..server.catalog import Catalog
from .called_rows import ROW
from .inference.kinds import kind_of_values
from .inference.make import make_dataset
from .inference.widths import width_of
from .query import SAMPLE, Query, Result, checked_query, run_query


@dataclass(frozen=True)
class Trace:
    """To which table's rows a query's rows belong, and which of its columns are that table's; or why to none."""

    table: str = ""
    columns: tuple[str, ...] = ()
    why_not: str = ""


def query_dataset(spec: ConnectionSpec, sql: str, parameter_values: Mapping[str, Any]) -> DatasetSpec:
    """The dataset that a query suggests: its columns as fields, those of the table that it can be traced to editable.

    given: values of its parameters, to try it with. Raises Problem.
    """
    query = checked_query(sql, spec.kind, spec, calls=True)
    result = run_query(spec, query, parameter_values, SAMPLE)
    doubled = sorted({c for c in result.columns if result.columns.count(c) > 1})
    if doubled:
        raise Problem(f"Two columns are called {doubled[0]}.", "Give one of them another name with AS.", code="bad")
    trace = traced(query, Catalog.of(spec), result.columns)
    own = make_dataset(spec, trace.table) if trace.table else None
    fields, extra = [], []
    for i, name in enumerate(result.columns):
        values = [row[i] for row in result.rows if row[i] is not None]
        if own is not None and name in trace.columns:
            fields.append(own.by_name[name])
        else:
            field = _outside(name, values)
            exact = field.kind == "decimal" and field.storage != "float" and result.scales
            extra.append(replace(field, scale=result.scales[i]) if exact else field)
    if own is None:
        return DatasetSpec(
            table=QUERY_TABLE,
            fields=tuple(replace(f, outside=False) for f in extra),
            read_only_because=trace.why_not,
            order=result.columns,
            query=query.sql,
            locator=ROW if query.called else None,
            sorted_by=_own_order(query.tree, result.columns),
        )
    kept = [name for name in own.by_name if name in trace.columns]
    return replace(
        own,
        fields=tuple(own.by_name[name] for name in kept),
        extra=tuple(extra),
        order=result.columns,
        query=query.sql,
        sorted_by=_own_order(query.tree, result.columns),
        rules=tuple(rule for rule in own.rules),
    )


def _own_order(tree: exp.Query, columns: Sequence[str]) -> tuple[tuple[str, bool], ...]:
    """The order that a query asks for, as far as its own columns tell it."""
    asked = tree.args.get("order")
    behind = {select.this.sql().lower(): select.alias for select in tree.selects if isinstance(select, exp.Alias)}
    behind |= {select.sql().lower(): select.alias_or_name for select in tree.selects if isinstance(select, exp.Column)}
    terms = []
    for term in asked.expressions if asked else ():
        said = term.this if isinstance(term, exp.Ordered) else term
        if isinstance(said, exp.Literal) and said.name.isdecimal():
            name = columns[int(said.name) - 1] if 0 < int(said.name) <= len(columns) else ""
        else:
            name = behind.get(said.sql().lower(), said.name if isinstance(said, exp.Column) and not said.table else "")
        if name not in columns:
            break  # what follows orders within what can't be told
        terms.append((name, bool(term.args.get("desc"))))
    return tuple(terms)


QUERY_TABLE = "(query)"


def _outside(name: str, values: Sequence[Any]) -> FieldSpec:
    kind, facts = kind_of_values(values)
    label = label_of(name)
    width = width_of(kind, label, values)
    return FieldSpec(name, label, kind, "query", width, read_only=True, outside=True, **facts)


def result_fields(result: Result) -> list[FieldSpec]:
    """A field for each column of a result, of the kind and width that its values suggest."""
    return [
        _outside(name, [row[i] for row in result.rows[:SAMPLE] if row[i] is not None])
        for i, name in enumerate(result.columns)
    ]


def traced(query: Query, catalog: Catalog, columns: Sequence[str]) -> Trace:
    """Whether every row of a query is one row of one table, told from the statement alone."""
    tree = query.tree
    if not isinstance(tree, exp.Select) or tree.args.get("with_") or tree.args.get("with"):
        return Trace(
            why_not="The query joins several SELECTs, so its rows are not rows of one table: they can be read, but not edited."
        )
    grouping = ("group", "having", "distinct", "limit", "offset", "qualify")
    if any(tree.args.get(part) for part in grouping) or next(tree.find_all(exp.AggFunc, exp.Window), None) is not None:
        return Trace(why_not="The query groups, counts or limits rows, so its rows can be read, but not edited.")
    source = tree.args.get("from_") or tree.args.get("from")
    base = source.this if source is not None else None
    if not isinstance(base, exp.Table):
        return Trace(why_not="The query reads from no table directly, so its rows can be read, but not edited.")
    if not isinstance(base.this, exp.Identifier):
        return Trace(why_not="The query reads what a function gives, so its rows can be read, but not edited.")
    table = catalog.named(base.name)
    if table is None or table.is_view or not table.key:
        return Trace(why_not=f"{base.name} has no primary key, so the rows of the query can be read, but not edited.")
    doubles = next((item for item in tree.args.get("joins") or () if not _one_each(item, catalog)), None)
    if doubles is not None:
        name = doubles.this.name
        why = f"A row of {table.name} may come several times, once for each row of {name}: the rows can be read, but not edited."
        return Trace(why_not=why)
    own = _own_columns(tree, base, table, catalog, columns)
    lacking = [name for name in table.key if name not in own]
    if lacking:
        told = ", ".join(lacking)
        return Trace(
            why_not=f"The query leaves out the key of {table.name} ({told}): with it, its rows could be edited."
        )
    return Trace(table.name, tuple(own))


def _one_each(join: exp.Join, catalog: Catalog) -> bool:
    """Whether a join finds one row at most for each row before it: it compares a whole key of the joined table."""
    target = join.this
    table = catalog.named(target.name) if isinstance(target, exp.Table) else None
    condition = join.args.get("on")
    if table is None or condition is None or join.args.get("side") == "RIGHT" or join.args.get("side") == "FULL":
        return False
    if join.args.get("kind") not in (None, "", "INNER", "OUTER"):
        return False
    matched = set()
    for term in condition.flatten() if isinstance(condition, exp.And) else [condition]:
        if not isinstance(term, exp.EQ):
            continue
        for side, other in ((term.this, term.expression), (term.expression, term.this)):
            if _of(side, target) and not _of(other, target):
                matched.add(side.name.lower())
    keys = [table.key, *(unique.columns for unique in table.uniques)]
    return any(key and {c.lower() for c in key} <= matched for key in keys)


def _of(side: exp.Expr, table: exp.Table) -> bool:
    return isinstance(side, exp.Column) and side.table == table.alias_or_name


def _own_columns(
    tree: exp.Select, base: exp.Table, table: Table, catalog: Catalog, columns: Sequence[str]
) -> list[str]:
    """The columns of the result that are columns of the base table under their own names."""
    names = {c.name.lower(): c.name for c in table.columns}
    others = [catalog.named(join.this.name) for join in tree.args.get("joins") or ()]
    ambiguous = {c.name.lower() for other in others if other is not None for c in other.columns}
    expression = []
    for shown in tree.expressions:
        if isinstance(shown, exp.Star) and not others:
            expression += [name for name in names.values() if name in columns]
        if not isinstance(shown, exp.Column):
            continue
        if isinstance(shown.this, exp.Star):
            expression += [n for n in names.values() if shown.table == base.alias_or_name and n in columns]
            continue
        ours = shown.table == base.alias_or_name or (not shown.table and shown.name.lower() not in ambiguous)
        if ours and shown.name.lower() in names and names[shown.name.lower()] in columns:
            expression.append(names[shown.name.lower()])
    return list(dict.fromkeys(expression))
