"""Queries that a builder writes: checked as one statement that only reads, and run.

A query is parsed and refused here when it would change anything, and it runs in a transaction that the server holds
to reading. It is one SELECT, or, where a server's procedures give rows, the CALL of one.
"""

from __future__ import annotations

import sqlite3
import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from itertools import islice
from typing import Any

import sqlglot
from sqlalchemy import CursorResult, TextClause
from sqlalchemy.dialects.sqlite import dialect as sqlite_dialect
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError
from sqlglot import exp

from ..expression.parse import parser_words
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec
from ..problem import Problem
from ..server.apart import Apart
from ..server.dialects import server_kind
from ..server.dialects.sqlite import WAIT_FOR_LOCK_MS
from ..server.engine import explained, reading, use_once
from ..server.functions import called, check_calls
from ..server.running import running
from .called_rows import MOST_CALLED, called_in, with_rows
from .parameters import WRITES, bound_text

MOST_CHARACTERS = 20_000
MOST_ROWS = 200
SAMPLE = 50
ACTS = "Only what it selects could be shown: one that acts is run by a server action."
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
    """A query that was checked. parameters: the names after a colon, in order. tree: of a CALL the SELECT of what it gives.
    called: whether it is one."""

    sql: str
    server: str
    parameters: tuple[str, ...]
    tree: exp.Query
    called: bool = False

    def bound(self, parameter_values: Mapping[str, Any]) -> TextClause:
        """The statement with its parameters bound. Raises Problem when one is missing."""
        lacking = [name for name in self.parameters if name not in parameter_values]
        if lacking:
            raise Problem(f"The query asks for {', '.join(lacking)}.", "Give a value for each.", code="parameters")
        return bound_text(self.sql, self.server, parameter_values)


@dataclass(frozen=True)
class Result:
    """What a query gave: its columns, its first rows, whether there are more, and how long it took in seconds.

    scales: of the columns of a procedure's rows, as PEP 249 has them: how many digits there are behind a decimal's point.
    """

    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    more: bool
    seconds: float
    scales: tuple[int | None, ...] = ()


def checked_query(sql: str, server: str, spec: ConnectionSpec | None = None, calls: bool = False) -> Query:
    """A text as one query that only reads. spec: where functions that are not known here are looked up. calls: whether it may
    be the CALL of a procedure that gives rows. Raises Problem with a sentence."""
    query = _parsed(sql, server)
    if query.called and not calls:
        raise Problem("The rows of a procedure can't be used here.", "Write a SELECT.", code="bad")
    check_calls(query.sql, server, WRITES[server], spec, procedures=query.called)
    if query.called and spec is not None:
        _keeps_its_transaction(query, spec)
    return query


def _keeps_its_transaction(query: Query, spec: ConnectionSpec) -> None:
    """The transaction that holds a procedure to reading must not be ended by it. Raises Problem."""
    with reading(spec) as connection:
        for name in called(called_in(query.sql, query.server), WRITES[query.server]):
            if server_kind(spec.kind).commits_by_itself(connection, name):
                what = f"{name} ends the transaction that it runs in, and so would not only read."
                raise Problem(what, "Take COMMIT, and what defines tables, out of it.", code="bad")


def _parsed(sql: str, server: str) -> Query:
    if len(sql) > MOST_CHARACTERS:
        raise Problem("The query is too long.", f"At most {MOST_CHARACTERS} characters fit.", code="bad")
    dialect = WRITES[server]
    sql = sql.strip().rstrip(";").strip()
    call = called_in(sql, server)
    try:
        read = f"SELECT * FROM {call}" if call else sql  # noqa: S608 (it is only read, and never run)
        trees = [expr for expr in sqlglot.parse(read, read=dialect) if expr is not None]
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
        raise Problem("The query can't be understood.", "Check its SQL.", parser_words(error), code="bad") from None
    if len(trees) != 1:
        hint = "Write one SELECT." if trees else "Write a SELECT."
        raise Problem("This is not one statement.", hint, code="bad")
    tree = trees[0]
    if not isinstance(tree, exp.Query) or next(tree.find_all(*REFUSED), None) is not None:
        raise Problem("This statement would not only read.", "A query is one SELECT, and changes nothing.", code="bad")
    if call and not _is_called_alone(tree):
        raise Problem("This is not the call of one procedure.", "Write CALL, its name, and its values.", code="bad")
    names = dict.fromkeys(str(placeholder.this) for placeholder in tree.find_all(exp.Placeholder) if placeholder.this)
    return Query(sql, server, tuple(names), tree, bool(call))


def _is_called_alone(tree: exp.Query) -> bool:
    """Whether a SELECT has what one routine gives, and nothing else."""
    source: Any = tree.args.get("from_") or tree.args.get("from")
    alone = not any(value for part, value in tree.args.items() if part not in ("expressions", "from_", "from"))
    return alone and isinstance(source.this, exp.Table) and isinstance(source.this.this, exp.Func)


@lru_cache(maxsize=256)
def parameters_of(sql: str, server: str) -> tuple[str, ...]:
    """The names of a query's parameters; none of no query."""
    return _parsed(sql, server).parameters if sql else ()  # it was checked when it was kept


def run_query(
    spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any], most: int = MOST_ROWS, run: str = ""
) -> Result:
    """The first rows of a query. run: a name under which `stop` ends it. Raises Problem."""
    began = time.monotonic()
    with _rows(spec, query, parameter_values, most + 1, run) as (columns, scales, result):
        rows = tuple(islice(result, most + 1))
    return Result(columns, rows[:most], len(rows) > most, time.monotonic() - began, scales)


def stream_query(spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any]) -> Iterator[tuple[Any, ...]]:
    """All rows of a query, read once and kept nowhere: first its columns' names, then its rows. Raises Problem."""
    with _rows(spec, query, parameter_values, sys.maxsize, "") as (columns, _, result):
        yield columns
        yield from result


@contextmanager
def _rows(
    spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any], most: int, run: str
) -> Iterator[tuple[tuple[str, ...], tuple[int | None, ...], Iterator[tuple[Any, ...]]]]:
    """A query's columns, their scales and rows. On SQLite in a process of its own; elsewhere in a transaction that only reads."""
    statement = query.bound(parameter_values)
    if spec.kind == "sqlite":
        with _apart(spec, statement, most, run) as (names, rows):
            yield names, (), rows
        return
    with only_reading(spec) as connection, running(run, spec.kind, int(_session(spec, connection))):
        if query.called:
            server_kind(spec.kind).hold_to_reading(connection)
        result = _executed(connection.execution_options(stream_results=True, yield_per=STREAM), statement, query)
        rows = (tuple(row) for row in result)
        scales = tuple(column[5] for column in result.cursor.description) if query.called else ()
        yield tuple(str(name) for name in result.keys()), scales, rows  # noqa: SIM118 (a result is no mapping)
        result.close()


def _executed(connection: Connection, statement: TextClause, query: Query) -> CursorResult[Any]:
    try:
        result = connection.execute(statement)
    except DBAPIError as error:
        if query.called and server_kind(query.server).refusal(error.orig).code == "read-only":
            raise Problem("The procedure would change something.", ACTS, code="bad") from error
        raise
    if not result.returns_rows:
        raise Problem("The procedure gives no rows.", ACTS, code="bad")
    return result


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


def called_dataset(spec: ConnectionSpec, dataset: DatasetSpec) -> DatasetSpec:
    """The dataset with the rows that its procedure gives now, where its rows are a procedure's; else as it is. Raises Problem."""
    if not dataset.query or not called_in(dataset.query, spec.kind):
        return dataset
    query = _parsed(dataset.query, spec.kind)
    result = run_query(spec, query, dict(dataset.parameter_values), MOST_CALLED)
    if result.more:
        what = f"The procedure gives more than {MOST_CALLED:,} rows, which are too many to travel back and forth."
        raise Problem(what, "Have it give fewer, by its parameters.", code="bad")
    return with_rows(dataset, result.columns, result.rows)
