"""Where a query that is being written is wrong: stretches of its text, each with a sentence."""

from __future__ import annotations

from collections.abc import Iterator

import sqlglot
from sqlglot import exp
from sqlglot.optimizer.scope import Scope, traverse_scope

from ..expression.faults import TextFault, fault_at, parser_fault, unclosed
from ..model.connection import ConnectionSpec
from ..near import closest
from ..problem import Problem
from ..server.catalog import Catalog
from .parameters import WRITES
from .query import MOST_CHARACTERS, checked_query

MOST = 20


def query_faults(sql: str, spec: ConnectionSpec, catalog: Catalog) -> list[TextFault]:
    """What is wrong with a query, by its text and by what the database holds; nothing is run. At most MOST."""
    if not sql.strip() or len(sql) > MOST_CHARACTERS:
        return []
    dialect = WRITES[spec.kind]
    try:
        trees = [tree for tree in sqlglot.parse(sql, read=dialect) if tree is not None]
    except sqlglot.errors.ParseError as error:
        return [parser_fault(sql, dialect, error, "The query")]
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
        return [unclosed(sql, error, "The query")]
    if len(trees) == 1:
        # A subquery's names are met once more in what it stands in.
        faults = list(dict.fromkeys(_of_names(trees[0], catalog)))[:MOST]
        if faults:
            return faults
    try:
        checked_query(sql, spec.kind, spec, calls=True)
    except Problem as problem:
        return [TextFault(0, len(sql.rstrip()), str(problem))]
    return []


def _of_names(tree: exp.Expr, catalog: Catalog) -> Iterator[TextFault]:
    try:
        scopes = traverse_scope(tree)
    except (sqlglot.errors.SqlglotError, RecursionError):
        return  # the server will tell; what can't be told apart here is not called wrong
    for scope in scopes:
        for source in scope.sources.values():
            if isinstance(source, exp.Table):
                yield from _of_table(source, catalog)
        for column in scope.columns:
            yield from _of_column(column, scope, catalog)


def _of_table(table: exp.Table, catalog: Catalog) -> Iterator[TextFault]:
    # With a schema, or as a function, it is none that the catalog lists.
    if not isinstance(table.this, exp.Identifier) or table.args.get("db") or catalog.name_of(table.name):
        return
    near = closest(table.name, [*catalog.tables, *catalog.views])
    hint = f" The closest name is {near}." if near else ""
    yield fault_at(table.this, f"There is no table {table.name}.{hint}")


def _of_column(column: exp.Column, scope: Scope, catalog: Catalog) -> Iterator[TextFault]:
    if not isinstance(column.this, exp.Identifier):
        return
    known = _known(column.table, scope, catalog)
    if known is None or column.name.lower() in known:
        return
    if column.table and not known:
        yield fault_at(column.args["table"], f"Nothing in the query is called {column.table}.")
        return
    near = closest(column.name, known)
    hint = f" The closest name is {near}." if near else ""
    yield fault_at(
        column.this, f"There is no column {column.name}{' in ' + column.table if column.table else ''}.{hint}"
    )


def _known(qualifier: str, within: Scope, catalog: Catalog) -> set[str] | None:
    """The names that a column may have, in small letters; None where not all of them can be told."""
    names: set[str] = set()
    scope: Scope | None = within
    while scope is not None:
        if not qualifier and isinstance(scope.expression, exp.Select):
            # ORDER BY, and on some servers GROUP BY and HAVING, may name what the SELECT calls so.
            names |= {s.alias.lower() for s in scope.expression.selects if isinstance(s, exp.Alias)}
        for name, source in scope.sources.items():
            if qualifier and name.lower() != qualifier.lower():
                continue
            columns = _columns(source, catalog)
            if columns is None:
                return None
            if qualifier:
                return columns
            names |= columns
        scope = scope.parent  # what a subquery does not find, it looks for around it
    return names


def _columns(source: exp.Table | Scope, catalog: Catalog) -> set[str] | None:
    if isinstance(source, exp.Table):
        name = "" if source.args.get("db") else catalog.name_of(source.name)
        # A row's own number has a name in some servers that no catalog lists.
        return {c.lower() for c in catalog.column_names()[name]} | {"rowid", "oid", "ctid", "xmin"} if name else None
    selects = source.expression.selects if isinstance(source.expression, exp.Query) else []
    if not selects or any(select.is_star for select in selects):
        return None
    return {select.alias_or_name.lower() for select in selects}
