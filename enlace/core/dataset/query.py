"""Queries that a builder writes: checked as one statement that only reads, run, and made into datasets.

A query is parsed and refused here when it would change anything, and it runs in a transaction that the server holds
to reading. Where each of its rows stands for one row of one table, that table's columns can be edited.
"""

from __future__ import annotations

import sqlite3
import sys
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import islice
from typing import Any

import sqlglot
from sqlalchemy import TextClause
from sqlalchemy.dialects.sqlite import dialect as sqlite_dialect
from sqlalchemy.engine import Connection
from sqlglot import exp

from ..expression.parse import parser_words
from ..labels import label_of
from ..model.catalog import Table
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec, FieldSpec
from ..problem import Problem
from ..server.apart import Apart
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.dialects.sqlite import WAIT_FOR_LOCK_MS
from ..server.engine import explained, reading, use_once
from ..server.functions import check_calls
from ..server.running import running
from .inference.kinds import kind_of_values
from .inference.make import make_dataset
from .inference.widths import width_of
from .parameters import WRITES, bound_text

MOST_CHARACTERS = 20_000
MOST_ROWS = 200
SAMPLE = 50
STREAM = 1000  # rows that are fetched at a time
# What changes data, the server, or files, whatever it is wrapped in.
REFUSED = (
    exp.Insert,
    exp.Update,
    exp.Delete,
    exp.Merge,
    exp.Create,
    exp.Drop,
    exp.Alter,
    exp.Command,
    exp.Into,
    exp.Lock,
)


@dataclass(frozen=True)
class Query:
    """A query that was checked. parameters: the names after a colon, in order."""

    sql: str
    server: str
    parameters: tuple[str, ...]
    tree: exp.Query

    def bound(self, parameter_values: Mapping[str, Any]) -> TextClause:
        """The statement with its parameters bound. Raises Problem when one is missing."""
        lacking = [name for name in self.parameters if name not in parameter_values]
        if lacking:
            raise Problem(f"The query asks for {', '.join(lacking)}.", "Give a value for each.", code="parameters")
        return bound_text(self.sql, self.server, parameter_values)


@dataclass(frozen=True)
class Result:
    """What a query gave: its columns, its first rows, whether there are more, and how long it took in seconds."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    more: bool
    seconds: float


def checked_query(sql: str, server: str, spec: ConnectionSpec | None = None) -> Query:
    """A text as one query that only reads. spec: where functions that are not known here are looked up. Raises Problem
    with a sentence."""
    query = _parsed(sql, server)
    check_calls(query.sql, server, WRITES[server], spec)
    return query


def _parsed(sql: str, server: str) -> Query:
    if len(sql) > MOST_CHARACTERS:
        raise Problem("The query is too long.", f"At most {MOST_CHARACTERS} characters fit.", code="bad")
    dialect = WRITES[server]
    sql = sql.strip().rstrip(";").strip()
    try:
        trees = [expr for expr in sqlglot.parse(sql, read=dialect) if expr is not None]
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
        raise Problem("The query can't be understood.", "Check its SQL.", parser_words(error), code="bad") from None
    if len(trees) != 1:
        hint = "Write one SELECT." if trees else "Write a SELECT."
        raise Problem("This is not one statement.", hint, code="bad")
    tree = trees[0]
    if not isinstance(tree, exp.Query) or next(tree.find_all(*REFUSED), None) is not None:
        raise Problem("This statement would not only read.", "A query is one SELECT, and changes nothing.", code="bad")
    names = dict.fromkeys(str(placeholder.this) for placeholder in tree.find_all(exp.Placeholder) if placeholder.this)
    return Query(sql, server, tuple(names), tree)


@lru_cache(maxsize=256)
def parameters_of(sql: str, server: str) -> tuple[str, ...]:
    """The names of a query's parameters; none of no query."""
    return _parsed(sql, server).parameters if sql else ()  # it was checked when it was kept


def run_query(
    spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any], most: int = MOST_ROWS, run: str = ""
) -> Result:
    """The first rows of a query. run: a name under which `stop` ends it. Raises Problem."""
    began = time.monotonic()
    with _rows(spec, query, parameter_values, most + 1, run) as (columns, result):
        rows = tuple(islice(result, most + 1))
    return Result(columns, rows[:most], len(rows) > most, time.monotonic() - began)


def stream_query(spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any]) -> Iterator[tuple[Any, ...]]:
    """All rows of a query, read once and kept nowhere: first its columns' names, then its rows. Raises Problem."""
    with _rows(spec, query, parameter_values, sys.maxsize, "") as (columns, result):
        yield columns
        yield from result


@contextmanager
def _rows(
    spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any], most: int, run: str
) -> Iterator[tuple[tuple[str, ...], Iterator[tuple[Any, ...]]]]:
    """A query's columns and rows. On SQLite in a process of its own; elsewhere in a transaction that only reads."""
    statement = query.bound(parameter_values)
    if spec.kind == "sqlite":
        with _apart(spec, statement, most, run) as told:
            yield told
        return
    with only_reading(spec) as connection, running(run, spec.kind, int(_session(spec, connection))):
        result = connection.execution_options(stream_results=True, yield_per=STREAM).execute(statement)
        rows = (tuple(row) for row in result)
        yield tuple(str(name) for name in result.keys()), rows  # noqa: SIM118 (a result is no mapping)
        result.close()


@contextmanager
def _apart(
    spec: ConnectionSpec, statement: TextClause, most: int, run: str
) -> Iterator[tuple[tuple[str, ...], Iterator[tuple[Any, ...]]]]:
    """A query on an SQLite file, in a process that is there for this query only."""
    compiled = statement.compile(dialect=sqlite_dialect())
    bound, parameter_values = server_kind(spec.kind).bound, compiled.construct_params()
    process = Apart(spec["path"], WAIT_FOR_LOCK_MS)
    try:
        with running(run, "process", process.process.pid):
            heard = process.ask(
                str(compiled), [bound(parameter_values[name]) for name in compiled.positiontup or ()], most
            )
            names = next(heard)
            if names is None:
                raise Problem("This statement gives no rows.", "A query is one SELECT.", code="bad")
            yield tuple(names), (row for rows in heard for row in rows)
    except sqlite3.Error as error:
        raise explained(spec, error) from None
    finally:
        process.close()


def _session(spec: ConnectionSpec, connection: Connection) -> Any:
    return server_kind(spec.kind).session_of(connection) or 0


@contextmanager
def only_reading(spec: ConnectionSpec) -> Iterator[Connection]:
    """A transaction that the server itself holds to reading, in a session that is not used again."""
    with reading(spec) as connection:
        if spec.kind != "sqlite":
            use_once(connection)
            yield connection
            return
        # SQLite has no read-only transactions, but a switch of the connection ("PRAGMA query_only").
        connection.exec_driver_sql("PRAGMA query_only = ON")
        try:
            yield connection
        finally:
            connection.exec_driver_sql("PRAGMA query_only = OFF")


# -- datasets ----------------------------------------------------------------------------------------------


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
    query = checked_query(sql, spec.kind, spec)
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
            extra.append(_outside(name, values))
    if own is None:
        return DatasetSpec(
            table=QUERY_TABLE,
            fields=tuple(replace(f, outside=False) for f in extra),
            read_only_because=trace.why_not,
            order=result.columns,
            query=query.sql,
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
