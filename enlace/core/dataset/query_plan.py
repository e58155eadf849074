"""How a server would run a query, as a tree of steps in words, with what is slow marked.

Asked with EXPLAIN, which runs nothing. What the steps are called is each server's own; the sentences are ours, and the
server's words stand beside them.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import func, literal, select
from sqlglot import exp

from ..model.connection import ConnectionSpec
from ..problem import Problem
from ..server.engine import reading
from ..server.names import quoted_table
from .query import Query, only_reading, run_query

LINES = "EXPLAIN QUERY PLAN "  # tells the steps as rows
EXPLAIN = {
    "sqlite": LINES,
    "kept": LINES,
    "postgresql": "EXPLAIN (FORMAT JSON) ",
    "mariadb": "EXPLAIN FORMAT=JSON ",
}
MANY = 10_000  # rows; reading all of so many to find some is worth an index
SHARE = 0.5  # of the whole cost, from which on one step is called slow
COSTLY = 1000.0  # PostgreSQL's unit is one page read in order; below this nobody waits


@dataclass(frozen=True)
class PlanStep:
    """One step of a plan. words: the server's own. rows: how many it expects. slow: why it may take long, "" else."""

    sentence: str
    words: str = ""
    rows: int | None = None
    slow: str = ""
    steps: tuple[PlanStep, ...] = ()


def query_plan(spec: ConnectionSpec, query: Query, parameter_values: Mapping[str, Any]) -> tuple[PlanStep, ...]:
    """The steps of a query, outermost first. Raises Problem."""
    if spec.kind not in EXPLAIN:
        raise Problem("Plans are not read from this kind of server.", "Ask its own tools.", code="bad")
    if query.called:
        raise Problem("A procedure has no plan.", "Ask for those of the statements that it runs.", code="bad")
    # Some plans name a table by what the query calls it.
    called = {t.alias: f"{t.name} ({t.alias})" for t in query.tree.find_all(exp.Table) if t.alias}
    asked = replace(query, sql=EXPLAIN[spec.kind] + query.sql)
    if EXPLAIN[spec.kind] == LINES:
        return _of_sqlite(spec, run_query(spec, asked, parameter_values, most=1000).rows, called)
    with only_reading(spec) as connection:  # not as a query's rows are read: no cursor can be made of EXPLAIN
        told = connection.execute(asked.bound(parameter_values)).scalar()
    body: Any = json.loads(told) if isinstance(told, str | bytes) else told
    if spec.kind == "postgresql":
        plan = body[0]["Plan"]
        return (_of_postgresql(plan, float(plan.get("Total Cost", 0)) or 1.0),)
    return _of_mariadb(body.get("query_block", body), called)


# -- SQLite (https://www.sqlite.org/eqp.html) ----------------------------------------------------------------


def _of_sqlite(
    spec: ConnectionSpec, rows: tuple[tuple[Any, ...], ...], called: Mapping[str, str]
) -> tuple[PlanStep, ...]:
    under: dict[int, list[tuple[int, str]]] = {}
    for number, parent, _, words in rows:
        under.setdefault(parent, []).append((number, words))

    def steps(parent: int) -> tuple[PlanStep, ...]:
        return tuple(replace(made[number], steps=steps(number)) for number, _ in under.get(parent, ()))

    made = {number: _step(spec, words, called) for several in under.values() for number, words in several}
    if not any(step.slow for step in made.values()):
        return steps(0)
    # SQLite tells no numbers: a sort is called slow beside a scan that is.
    made = {n: replace(step, slow=SORTED) if step.words.startswith(SORTS) else step for n, step in made.items()}
    return steps(0)


SORTS = "USE TEMP B-TREE FOR "
SORTED = "All rows have to be there before the first one is shown."


def _step(spec: ConnectionSpec, words: str, called: Mapping[str, str]) -> PlanStep:
    if match := re.fullmatch(r"SCAN (\S+)( USING.*)?", words):
        table, index = match[1], match[2] or ""
        if "CONSTANT ROW" in words:
            return PlanStep("Takes one row", words)
        count = _counted(spec, called.get(table, table).partition(" (")[0])
        sentence = f"Reads all rows of {called.get(table, table)}" + (", from an index" if index else "")
        # A subquery's rows are no table's: how many they are is not known here.
        slow = f"It reads {MANY:,} rows or more one by one." if count is not None and count >= MANY else ""
        return PlanStep(sentence, words, count, slow)
    if match := re.fullmatch(r"SEARCH (\S+) USING (.*)", words):
        table = called.get(match[1], match[1])
        if "AUTOMATIC" in match[2]:
            slow = "The server makes this index each time the query runs: one that stays would spare that."
            return PlanStep(f"Finds rows of {table} by an index made for this query", words, slow=slow)
        key = "its key" if "PRIMARY KEY" in match[2] else f"the index {_index(match[2])}"
        return PlanStep(f"Finds rows of {table} by {key}", words)
    if match := re.fullmatch(r"USING ROWID SEARCH ON TABLE (\S+) FOR IN-OPERATOR", words):
        return PlanStep(f"Looks up rows of {match[1]} by their keys for IN", words)
    if words.startswith(SORTS):
        return PlanStep(f"Sorts for {words.removeprefix(SORTS)}", words)
    return PlanStep(words.capitalize(), words)


def _index(words: str) -> str:
    match = re.search(r"INDEX (\S+)", words)
    return match[1] if match else words


def _counted(spec: ConnectionSpec, table: str) -> int | None:
    """How many rows a table has, counted no further than MANY; None where there is no such table."""
    few = select(literal(1)).select_from(quoted_table(table, ())).limit(MANY).subquery()
    try:
        with reading(spec) as connection:
            return int(connection.execute(select(func.count()).select_from(few)).scalar() or 0)
    except Problem:
        return None


# -- PostgreSQL (https://www.postgresql.org/docs/current/using-explain.html) ---------------------------------

NODES = {
    "Seq Scan": "Reads all rows of {table}",
    "Index Scan": "Finds rows of {table} by the index {index}",
    "Index Only Scan": "Reads {table} from the index {index} alone",
    "Bitmap Heap Scan": "Fetches the rows of {table} that an index named",
    "Bitmap Index Scan": "Looks in the index {index}",
    "Sort": "Sorts by {keys}",
    "Incremental Sort": "Sorts by {keys}, within what is in order already",
    "Aggregate": "Adds rows up",
    "HashAggregate": "Adds rows up, by group",
    "GroupAggregate": "Adds rows up, by group",
    "Hash": "Puts the rows where they are found fast",
    "Hash Join": "Joins by a table of hashes",
    "Merge Join": "Joins two inputs that are in one order",
    "Nested Loop": "Joins: looks on the other side for each row",
    "Limit": "Stops after the rows wanted",
    "Unique": "Leaves out doubles",
    "Append": "Puts inputs one behind the other",
    "Function Scan": "Reads what a function gives",
    "CTE Scan": "Reads what WITH made",
    "Subquery Scan": "Reads what a subquery gives",
    "Materialize": "Keeps the rows for later",
    "Memoize": "Keeps what was found for the same value",
    "WindowAgg": "Computes over neighbouring rows",
    "Gather": "Collects from several processes",
    "Gather Merge": "Collects from several processes, in order",
    "Result": "Makes a row",
    "Values Scan": "Reads the rows that stand in the query",
}


def _of_postgresql(node: Mapping[str, Any], whole: float) -> PlanStep:
    kind = str(node.get("Node Type", ""))
    keys = ", ".join(str(key) for key in node.get("Sort Key", ()))
    relation, alias = node.get("Relation Name", "a table"), node.get("Alias", "")
    told_table = f"{relation} ({alias})" if alias not in ("", relation) else relation
    names = {"table": told_table, "index": node.get("Index Name", ""), "keys": keys}
    inner = node.get("Plans", ())
    rows, total = int(node.get("Plan Rows", 0)), float(node.get("Total Cost", 0))
    own = total - sum(float(child.get("Total Cost", 0)) for child in inner)
    slow = ""
    if kind == "Seq Scan" and rows >= MANY:
        slow = f"It reads all of {relation}; some {rows:,} rows of it pass."
    elif whole >= COSTLY and own / whole >= SHARE:
        slow = f"This step alone is {round(100 * own / whole)} % of the cost that the server expects."
    told = [kind, str(node.get("Filter") or node.get("Index Cond") or node.get("Hash Cond") or "")]
    words = " ".join(part for part in (*told, f"cost {total:,.0f}") if part)
    sentence = NODES.get(kind, kind).format(**names)
    return PlanStep(sentence, words, rows, slow, tuple(_of_postgresql(child, whole) for child in inner))


# -- MariaDB (https://mariadb.com/kb/en/explain-format-json/) -------------------------------------------------

ACCESS = {
    "ALL": "Reads all rows of {table}",
    "index": "Reads all of the index {index} of {table}",
    "range": "Finds a range of rows of {table} by the index {index}",
    "ref": "Finds rows of {table} by the index {index}",
    "ref_or_null": "Finds rows of {table} by the index {index}, those without a value too",
    "eq_ref": "Finds one row of {table} by {index} for each row before it",
    "const": "Finds one row of {table} by {index}",
    "system": "Takes the only row of {table}",
    "fulltext": "Searches the texts of {table} by {index}",
    "index_merge": "Finds rows of {table} by several indexes",
}
HOLDERS = {
    "filesort": ("Sorts", SORTED),
    "temporary_table": ("Keeps the rows in a temporary table", "All rows are written there before they are used."),
    "materialized": ("Makes a table of a subquery", ""),
    "union_result": ("Puts several SELECTs together", ""),
    "read_sorted_file": ("Reads what was sorted", ""),
    "block-nl-join": ("Joins: compares blocks of rows with each other", "Nothing serves this join but comparing."),
}


def _of_mariadb(body: Mapping[str, Any], called: Mapping[str, str]) -> tuple[PlanStep, ...]:
    steps: list[PlanStep] = []
    for name, value in body.items():
        several = value if isinstance(value, list) else [value]
        if name == "table" and isinstance(value, Mapping):
            steps.append(_of_table(value, called))
        elif name in HOLDERS and isinstance(value, Mapping):
            sentence, slow = HOLDERS[name]
            key = value.get("sort_key")
            said = f"{sentence} by {key}" if key else sentence
            inner = _of_mariadb(value, called)
            steps.append(PlanStep(said, name, slow=slow if _many(inner) else "", steps=inner))
        else:  # what only holds others: query_block, nested_loop, subqueries, query_specifications …
            for item in several:
                if isinstance(item, Mapping):
                    steps += _of_mariadb(item, called)
    return tuple(steps)


def _many(steps: tuple[PlanStep, ...]) -> bool:
    """Whether some step beneath goes through many rows."""
    return any((step.rows or 0) >= MANY or _many(step.steps) for step in steps)


def _of_table(table: Mapping[str, Any], called: Mapping[str, str]) -> PlanStep:
    name, access = str(table.get("table_name", "")), str(table.get("access_type", ""))
    key = str(table.get("key", ""))
    names = {"table": called.get(name, name), "index": "its key" if key == "PRIMARY" else key}
    rows = int(table["rows"]) if str(table.get("rows", "")).isdecimal() else None
    slow = ""
    if access in ("ALL", "index") and rows is not None and rows >= MANY:
        slow = f"It reads some {rows:,} rows one by one."
    sentence = ACCESS.get(access, access or "Reads {table}").format(**names)
    return PlanStep(sentence, f"{access} {key}".strip(), rows, slow, _of_mariadb(table, called))
