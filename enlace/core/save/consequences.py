"""What a removal takes with it: the rows that references with ON DELETE CASCADE, SET NULL or SET DEFAULT reach.

The server does this by itself and tells nobody (ISO/IEC 9075-2, 11.8, "referential actions"). It is followed here table
by table, to any depth, under a limit of time: what is not counted by then is said to be more than what was.
"""

from __future__ import annotations

import re
import time
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError

from ..dataset.keys import KEYS_A_STATEMENT, in_parts, key_in
from ..model.catalog import Reference, Table
from ..model.values import record_id
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.names import quoted_table

SECONDS = 2.0
MOST_FOLLOWED = 20_000  # rows that are read one by one, in all
MOST_KEPT = 5_000  # rows that are kept whole, so that they can be put back
MOST_KEPT_BYTES = 8 * 1024 * 1024
REMOVED, EMPTIED, DEFAULTED, CHANGED = "removed", "emptied", "defaulted", "changed"
ACTS = {"CASCADE": REMOVED, "SET NULL": EMPTIED, "SET DEFAULT": DEFAULTED}
UPDATES = {"CASCADE": CHANGED, "SET NULL": EMPTIED, "SET DEFAULT": DEFAULTED}
Row = Mapping[str, Any]


@dataclass
class Consequence:
    """What happens to rows of one table beside what a draft says. act: "removed", or of `columns` "emptied", "defaulted"
    or "changed". count: how many rows; more: there are more than were counted. kept: of the rows that were read whole,
    (record id, values before)."""

    table: str
    act: str
    columns: tuple[str, ...] = ()
    count: int = 0
    more: bool = False
    kept: list[tuple[str, Row]] = field(default_factory=list)

    @property
    def restorable(self) -> bool:
        """Whether all of it can be put back."""
        return self.act != CHANGED and not self.more and len(self.kept) == self.count


@dataclass
class Consequences:
    """All of it. triggers: by table that is written, other tables that the text of its triggers writes to. up_to: not all
    of the removals went through that were counted for."""

    rows: list[Consequence] = field(default_factory=list)
    triggers: dict[str, tuple[str, ...]] = field(default_factory=dict)
    up_to: bool = False

    def __bool__(self) -> bool:
        return bool(self.rows or self.triggers)


class Follower:
    """Follows references from rows that are removed, or get another key, within one transaction.

    known: by table, the keys of the rows that the draft removes itself: they are no consequence.
    """

    def __init__(
        self, connection: Connection, catalog: Catalog, known: Mapping[str, Collection[tuple[Any, ...]]], keep: bool
    ) -> None:
        self.connection, self.catalog, self.keep = connection, catalog, keep
        self.kind = server_kind(connection.dialect.name)
        self.limit = time.monotonic() + SECONDS
        self.seen: dict[str, set[tuple[Any, ...]]] = {name: set(keys) for name, keys in known.items()}
        self.followed = self.kept = self.bytes = 0
        self.consequences: dict[tuple[str, str, tuple[str, ...]], Consequence] = {}

    def removed(self, first: Table, removed: Sequence[Row]) -> None:
        """Follow the removal of rows, of which the values are known that others refer to."""
        left = [(first, list(removed))]
        while left:
            table, rows = left.pop(0)
            for reference in table.referenced_by:
                act = ACTS.get(reference.on_delete)
                if act is None:
                    continue
                met = self._met(reference, act, rows)
                # A row that is only emptied stays, so nothing else follows from it.
                if act == REMOVED and met:
                    left.append((self.catalog.table(reference.table), met))

    def rekeyed(self, table: Table, columns: Collection[str], rows: Sequence[Row]) -> None:
        """Follow a change of values that others refer to, one step far."""
        for reference in table.referenced_by:
            act = UPDATES.get(reference.on_update)
            if act is not None and not set(columns).isdisjoint(reference.target_columns):
                self._met(reference, act, rows)

    def _met(self, reference: Reference, act: str, rows: Sequence[Row]) -> list[Row]:
        """The rows that a reference reaches, counted; those that were not met before, for going on from them."""
        told = self._told(reference, act)
        values = {tuple(row.get(c) for c in reference.target_columns) for row in rows}
        # NULL refers to nothing and nothing refers to NULL.
        keys = [value for value in values if None not in value]
        fresh: list[Row] = []
        for part in in_parts(keys, KEYS_A_STATEMENT):
            if time.monotonic() > self.limit:
                told.more = True
                break
            try:
                with self.kind.limited(self.connection, max(self.limit - time.monotonic(), 0.1)):
                    fresh += self._read(reference, act, told, part)
            except DBAPIError as error:
                if self.kind.refusal(error.orig).code != "slow":
                    raise
                told.more = True
                break
        # Asked and nothing found: a sentence about no rows would only frighten.
        if not (told.count or told.more):
            self.consequences.pop((told.table, told.act, told.columns), None)
        return fresh

    def _told(self, reference: Reference, act: str) -> Consequence:
        columns = () if act == REMOVED else reference.columns
        key = (reference.table, act, columns)
        return self.consequences.setdefault(key, Consequence(reference.table, act, columns))

    def _read(self, reference: Reference, act: str, told: Consequence, keys: list[tuple[Any, ...]]) -> list[Row]:
        table = self.catalog.table(reference.table)
        source = quoted_table(table.name, dict.fromkeys([*(c.name for c in table.columns), *table.identity]))
        condition = key_in([source.c[c] for c in reference.columns], keys)
        identity = table.identity
        room = MOST_FOLLOWED - self.followed
        # Counted, but not gone on from: which rows they are is not known, or there are too many to ask about.
        if not identity or room <= 0:
            told.count += self._count(source, condition)
            told.more |= act == REMOVED and any(r.on_delete in ACTS for r in table.referenced_by)
            return []
        whole = self.keep and self.kept < MOST_KEPT and self.bytes < MOST_KEPT_BYTES
        names = tuple(c.name for c in table.columns) if whole else _needed(table)
        wanted = [source.c[n] for n in (*identity, *names)]
        rows = self.connection.execute(select(*wanted).where(condition).limit(room + 1)).all()
        self.followed += len(rows)
        seen = self.seen.setdefault(table.name, set())
        fresh: list[Row] = []
        for row in rows:
            key = tuple(row[: len(identity)])
            # In a ring of references the same row would be met for ever; two ways to it would count it twice.
            if key in seen:
                continue
            if act == REMOVED:
                seen.add(key)
            values = dict(zip(names, row[len(identity) :], strict=True))
            fresh.append(values)
            if whole and self._keeps(values):
                told.kept.append((record_id(key), values))
        told.count += len(fresh)
        if len(rows) > room:
            told.count, told.more = max(told.count, self._count(source, condition)), True
        return fresh

    def _keeps(self, values: Row) -> bool:
        self.kept += 1
        self.bytes += sum(len(v) for v in values.values() if isinstance(v, str | bytes))
        return self.kept <= MOST_KEPT and self.bytes <= MOST_KEPT_BYTES

    def _count(self, source: Any, condition: ColumnElement[bool]) -> int:
        return int(self.connection.execute(select(func.count()).select_from(source).where(condition)).scalar() or 0)

    def all(self) -> list[Consequence]:
        """What was found, tables that lose most first."""
        order = (REMOVED, EMPTIED, DEFAULTED, CHANGED)
        return sorted(
            self.consequences.values(),
            key=lambda consequence: (order.index(consequence.act), -consequence.count, consequence.table),
        )


def _needed(table: Table) -> tuple[str, ...]:
    """The columns that others refer to in a way that has consequences."""
    names = (c for r in table.referenced_by if r.on_delete in ACTS or r.on_update in UPDATES for c in r.target_columns)
    return tuple(dict.fromkeys(names))


def reaches_others(table: Table) -> bool:
    """Whether removing rows of a table, or changing their keys, has consequences elsewhere."""
    return bool(_needed(table))


def rows_referred_to(
    connection: Connection, table: Table, key: Sequence[str], keys: Sequence[tuple[Any, ...]]
) -> list[Row]:
    """Of some rows, the values that others refer to in a way that has consequences."""
    names = _needed(table)
    source = quoted_table(table.name, dict.fromkeys([*names, *key]))
    rows: list[Row] = []
    for part in in_parts(list(keys), KEYS_A_STATEMENT):
        statement = select(*(source.c[n] for n in names)).where(key_in([source.c[n] for n in key], part))
        rows += [dict(zip(names, row, strict=True)) for row in connection.execute(statement)]
    return rows


# What a statement in a trigger writes to: enough to name tables, not to know what becomes of them.
WRITES_TO = re.compile(
    r"""\b(?:INSERT\s+(?:OR\s+\w+\s+|IGNORE\s+)?INTO|REPLACE\s+INTO|UPDATE(?:\s+OR\s+\w+)?|DELETE\s+FROM|MERGE\s+INTO)\s+
    (?:ONLY\s+)?(?:(?:"[^"]+"|`[^`]+`|\w+)\s*\.\s*)?("[^"]+"|`[^`]+`|\[[^\]]+\]|\w+)""",
    re.IGNORECASE | re.VERBOSE,
)


def tables_written_by(text: str, known: Iterable[str]) -> tuple[str, ...]:
    """The tables that the text of a trigger writes to, of those that are known."""
    names = {name.lower(): name for name in known}
    written = (item.strip('"`[]').lower() for item in WRITES_TO.findall(text))
    return tuple(dict.fromkeys(names[item] for item in written if item in names))


def triggers_of(catalog: Catalog, acts: Mapping[str, Collection[str]]) -> dict[str, tuple[str, ...]]:
    """By table, the other tables that its triggers may change. acts: by table, "INSERT", "UPDATE", "DELETE"."""
    by_event: dict[str, tuple[str, ...]] = {}
    for name, several in acts.items():
        names: list[str] = []
        for event, text in catalog.table(name).triggers:
            # One trigger may stand for several events: INSERT OR UPDATE.
            if any(act in event.upper() for act in several):
                # Its own table it writes to for the record itself, which the save reads back.
                names += [identifier for identifier in tables_written_by(text, catalog.tables) if identifier != name]
        if names:
            by_event[name] = tuple(dict.fromkeys(names))
    return by_event


# -- in words -----------------------------------------------------------------------------------------------

_PRESENT = {REMOVED: "removes", EMPTIED: "empties", DEFAULTED: "sets to its default", CHANGED: "changes"}
_PAST = {REMOVED: "removed", EMPTIED: "emptied", DEFAULTED: "set to its default", CHANGED: "changed"}


def in_sentences(consequences: Consequences, past: bool = False) -> list[str]:
    """What else happens, or happened, in sentences; none where nothing does."""
    verbs = _PAST if past else _PRESENT
    parts = []
    for act in (REMOVED, EMPTIED, DEFAULTED, CHANGED):
        several = [row for row in consequences.rows if row.act == act]
        if act == REMOVED and several:
            parts.append(f"{verbs[act]} {joined([_rows(consequence) for consequence in several])}")
        elif act != REMOVED:
            parts += [f"{verbs[act]} {joined(consequence.columns)} in {_rows(consequence)}" for consequence in several]
    told = [f"The database also {joined(parts)}{' at most' if consequences.up_to else ''}."] if parts else []
    for table, others in consequences.triggers.items():
        told.append(f"A trigger of {table} may {'have changed' if past else 'change'} rows of {joined(others)} too.")
    return told


def joined(words: Sequence[str]) -> str:
    """Words as English enumerates them."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def _rows(consequence: Consequence) -> str:
    if consequence.more and not consequence.count:
        return f"rows of {consequence.table}, too many to count here"
    count = f"{consequence.count:,}" if not consequence.more else f"more than {consequence.count:,}"
    return f"{count} {'row' if consequence.count == 1 and not consequence.more else 'rows'} of {consequence.table}"
