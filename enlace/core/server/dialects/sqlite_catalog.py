"""What an SQLite file says of its own tables."""

from __future__ import annotations

import logging
import re
from collections import Counter
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from sqlalchemy import text
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError
from sqlglot import exp

from ...model.catalog import Column, Reference
from .base import ServerKind, named_act
from .sqlite_checks import checks_in

logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse is dealt with here
MOST_LOOKED_AT = 50_000  # rows
STANDS_FOR: dict[str, Any] = {"integer": 0, "real": 0.5, "text": "t", "blob": b""}

_COLUMN_NAMES = """
SELECT t.name, c.name FROM sqlite_master t, pragma_table_xinfo(t.name) c WHERE t.type IN ('table', 'view')
AND t.name NOT LIKE 'sqlite!_%' ESCAPE '!' ORDER BY t.name, c.cid
"""
_NAMES = "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite!_%' ESCAPE '!'"
_COLUMN_NAMES_OF = "SELECT :name, c.name FROM pragma_table_xinfo(:name) c ORDER BY c.cid"
_TABLES = "SELECT name FROM sqlite_master WHERE type = 'table'"
_REFERENCES = """
SELECT m.name AS source, m.sql AS sql, f.id AS id, f."table" AS target, f."from" AS here, f."to" AS there,
       f.on_delete AS on_delete, f.on_update AS on_update
FROM sqlite_master m, pragma_foreign_key_list(m.name) f WHERE m.type = 'table' ORDER BY m.name, f.id, f.seq
"""
DEFERRED = re.compile(r"\bINITIALLY\s+DEFERRED\b", re.IGNORECASE)


class SqliteCatalog(ServerKind):
    """The part of SQLite that reads catalogs."""

    def internal_tables(self, connection: Connection) -> set[str]:
        listed = connection.execute(text("PRAGMA table_list")).all()
        names = {row.name for row in listed if row.type == "shadow" or row.name.lower().startswith("sqlite_")}
        for row in listed:
            # The module of a virtual table may not be there.
            if row.type == "virtual" and row.name not in names:
                quoted = exp.to_identifier(row.name, quoted=True).sql(dialect="sqlite")
                try:
                    connection.exec_driver_sql(f"SELECT * FROM {quoted} LIMIT 1").all()
                except DBAPIError:
                    names.add(row.name)
        return names

    def stored_types(self, connection: Connection, table: str, columns: Sequence[str]) -> dict[str, list[Any]]:
        by_column: dict[str, list[Any]] = {}
        for name in columns:
            quoted = [exp.to_identifier(text, quoted=True).sql(dialect="sqlite") for text in (name, table)]
            some = f"SELECT {quoted[0]} AS v FROM {quoted[1]} LIMIT {MOST_LOOKED_AT}"
            types = text(f"SELECT DISTINCT typeof(v) FROM ({some}) WHERE v IS NOT NULL".replace(":", "\\:"))
            by_column[name] = [STANDS_FOR[value] for value in connection.execute(types).scalars()]
        return by_column

    def trigger_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        statement = text("SELECT sql FROM sqlite_master WHERE type = 'trigger' AND tbl_name = :t COLLATE NOCASE")
        texts = []
        for sql in connection.execute(statement, {"t": table}).scalars():
            head, _, body = re.sub(r"\s+", " ", sql).partition(" BEGIN ")
            texts.append((head, body))
        return texts

    # SQLAlchemy finds actions and deferral by parsing the statements of tables, and misses some of them.
    def references(self, connection: Connection) -> list[Reference]:
        named = {name.lower(): name for name in connection.execute(text(_TABLES)).scalars()}
        by_number: dict[tuple[str, int], list[Any]] = {}
        for row in connection.execute(text(_REFERENCES)):
            by_number.setdefault((row.source, row.id), []).append(row)
        made = []
        for (source, _), rows in by_number.items():
            first = rows[0]
            target = named.get(first.target.lower(), first.target)
            columns = tuple(row.here for row in rows)
            # A reference that names no columns is to the primary key (SQLite, "Foreign Key Support", 3).
            there = tuple(row.there for row in rows) if first.there else self.key(connection, target)
            if len(there) == len(columns):
                made.append(
                    Reference(
                        "", source, columns, target, there, named_act(first.on_delete), named_act(first.on_update),
                        bool(DEFERRED.search(first.sql or "")),
                    )
                )  # fmt: skip
        return made

    def column_names(self, connection: Connection) -> list[tuple[str, str]]:
        try:
            return _pairs(connection, _COLUMN_NAMES)
        except DBAPIError:  # one that can't be read (a view of a table that is gone) breaks off the whole list
            found = []
            for name in connection.execute(text(_NAMES)).scalars().all():
                with suppress(DBAPIError):
                    found += _pairs(connection, _COLUMN_NAMES_OF, name=name)
            return found

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        statement = text('SELECT name, type, "notnull", dflt_value, pk, hidden FROM pragma_table_xinfo(:t)')
        rows = connection.execute(statement, {"t": table}).all()
        key_size = sum(1 for row in rows if row.pk)
        # Where the key has an index of its own it is not the row number: so it is without a row number, and so is
        # INTEGER PRIMARY KEY DESC (SQLite, "CREATE TABLE", 5), which may hold NULL like any other declared key.
        indexed = text("SELECT 1 FROM pragma_index_list(:t) WHERE origin = 'pk'")
        own_index = connection.execute(indexed, {"t": table}).first() is not None
        without_rowid = self.row_locator(connection, table) is None
        columns = []
        for row in rows:
            if row.hidden == 1:  # a hidden column of a virtual table
                continue
            # INTEGER PRIMARY KEY is the rowid itself: SQLite numbers it when it is left out.
            rowid_alias = (
                row.pk == 1 and key_size == 1 and row.type.upper() == "INTEGER" and not (without_rowid or own_index)
            )
            columns.append(
                Column(
                    name=row.name,
                    type_text=row.type,
                    nullable=not row.notnull and not rowid_alias and not (row.pk and without_rowid),
                    default=row.dflt_value,
                    numbered=rowid_alias,
                    computed=row.hidden in (2, 3),
                )
            )
        return columns

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        statement = text("SELECT sql FROM sqlite_master WHERE type = 'table' AND name = :t COLLATE NOCASE")
        sql = connection.execute(statement, {"t": table}).scalar()
        return checks_in(sql) if sql else []

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        statement = text(
            "SELECT l.name AS index_name, i.name AS column_name FROM pragma_index_list(:t) l, pragma_index_info(l.name) i "
            "WHERE l.\"unique\" AND l.origin <> 'pk' AND NOT l.partial ORDER BY l.seq DESC, i.seqno"
        )
        sets: dict[str, list[str | None]] = {}
        for row in connection.execute(statement, {"t": table}):
            sets.setdefault(row.index_name, []).append(row.column_name)
        # An index over an expression has no column name there: it is left to the server.
        whole = [(name, tuple(c for c in columns if c)) for name, columns in sets.items() if None not in columns]
        return [("" if name.startswith("sqlite_autoindex") else name, columns) for name, columns in whole]

    def row_locator(self, connection: Connection, table: str) -> str | None:
        rows = connection.execute(text("PRAGMA table_list")).all()
        for row in rows:
            named = row.name.lower() == table.lower() and row.schema == "main"
            if named and (row.type not in ("table", "virtual") or row.wr):
                return None
        taken = connection.execute(text("SELECT lower(name) FROM pragma_table_xinfo(:t)"), {"t": table}).scalars()
        free = {"rowid", "_rowid_", "oid"} - set(taken)
        return min(free) if free else None

    def has_triggers(self, connection: Connection, table: str) -> bool:
        statement = text("SELECT 1 FROM sqlite_master WHERE type = 'trigger' AND tbl_name = :t COLLATE NOCASE")
        return connection.execute(statement, {"t": table}).first() is not None

    def storage_of(self, values: list[Any], kind: str) -> str:
        numbers = [v for v in values if isinstance(v, int | float) and not isinstance(v, bool)]
        if not values or len(numbers) * 2 <= len(values):
            return " ".join(["text", *_form([v for v in values if isinstance(v, str)], kind)])
        typical = sorted(abs(v) for v in numbers)[len(numbers) // 2]
        if kind in ("date", "datetime"):
            if typical < 4_000_000:
                return "julian day"
            return "unix milliseconds" if typical > 20_000_000_000 else "unix seconds"
        return "seconds"


PRECISIONS = {8: "seconds", 12: "milliseconds", 15: "microseconds"}  # by the length of a time
_CLOCK = re.compile(r"(?:.*[ T])?(\d\d:\d\d(?::\d\d(?:\.\d+)?)?)(?:Z|[+-]\d\d:?\d\d)?")


def _form(texts: list[str], kind: str) -> list[str]:
    """How most of some times are written, where that is not as they would be anyway: with a T, and how far written out."""
    form = ["T"] if sum("T" in text for text in texts) * 2 > len(texts) else []
    lengths = Counter(len(match[1]) for text in texts if (match := _CLOCK.fullmatch(text)))
    length, most = lengths.most_common(1)[0] if lengths else (0, 0)
    usual = {"time": 5, "datetime": 8}.get(kind)
    if usual and length != usual and length in PRECISIONS and most * 2 > len(texts):
        form.append(PRECISIONS[length])
    return form


def _pairs(connection: Connection, statement: str, **values: str) -> list[tuple[str, str]]:
    return [(str(table), str(name)) for table, name in connection.execute(text(statement), values)]
