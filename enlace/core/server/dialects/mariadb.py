"""MariaDB and MySQL, through PyMySQL."""

from __future__ import annotations

import re
import ssl
from collections.abc import Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from itertools import chain
from typing import Any

import sqlglot
from sqlalchemy import URL, ColumnElement, Insert, LargeBinary, and_, cast, create_engine, event, func, text
from sqlalchemy.dialects.mysql import CHAR
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DBAPIError

from ...kinds import TEXTS
from ...model.catalog import Column, Routine
from ...model.connection import ConnectionSpec
from ...model.dataset import FieldSpec
from ..limits import CONNECT_SECONDS, LOCK_SECONDS, STATEMENT_SECONDS
from ..patterns import escaped
from ..places import check_server
from ..refusal import Refusal
from .network import NetworkServer

ROWS_AT_ONCE, MOST_AT_ONCE = 500, 500_000  # of one INSERT: rows, and characters and bytes of them
ANSWER_SECONDS = int(STATEMENT_SECONDS) + 5  # a server that is frozen does not end its statements itself


class MariaDB(NetworkServer):
    name = "mariadb"
    label = "MariaDB or MySQL"
    port = 3306
    nulls_first = True
    calls_give_rows = True

    # -- reaching it ---------------------------------------------------------------------------------

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        from .mariadb_values import conversions

        arguments: dict[str, Any] = {
            "connect_timeout": CONNECT_SECONDS,
            "read_timeout": ANSWER_SECONDS,
            "write_timeout": ANSWER_SECONDS,
            "charset": "utf8mb4",
            "conv": conversions(),
            "program_name": "Enlace",
        }
        tls = spec["tls"] or "prefer"
        if tls == "off":
            arguments["ssl_disabled"] = True
        elif tls != "prefer":
            context = ssl.create_default_context()
            if tls == "verify":
                self.trust(context, spec)
            else:
                context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            arguments["ssl"] = context
        check_server(spec["host"], self.port_of(spec))
        url = URL.create(
            "mysql+pymysql", spec["user"], spec.secret or None, spec["host"], self.port_of(spec), spec["database"]
        )
        engine = create_engine(
            url, connect_args=arguments, pool_size=8, max_overflow=16, pool_pre_ping=True, pool_timeout=CONNECT_SECONDS
        )

        @event.listens_for(engine, "connect")
        def connected(driver: Any, record: Any) -> None:
            with driver.cursor() as cursor:
                # TRADITIONAL: a value that does not fit is refused, never bent into one that does.
                cursor.execute("SET time_zone = '+00:00', sql_mode = 'TRADITIONAL'")
                cursor.execute(f"SET innodb_lock_wait_timeout = {LOCK_SECONDS}")
                if "MariaDB" in driver.get_server_info():
                    cursor.execute(f"SET max_statement_time = {STATEMENT_SECONDS}")

        return engine

    def begin(self, connection: Connection, write: bool) -> None:
        # Writers lock what they touch and then compare, so they read what is committed; readers see one state.
        level = "READ COMMITTED" if write else "REPEATABLE READ"
        connection.execution_options(isolation_level=level)
        connection.begin()
        if not write:
            connection.execute(text("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY"))

    def session_of(self, connection: Connection) -> Hashable:
        driver: Any = connection.connection.driver_connection
        return int(driver.thread_id())

    def session_alive(self, connection: Connection, session: Hashable) -> bool:
        return self.alive(connection, "SELECT 1 FROM information_schema.processlist WHERE id = :session", session)

    @contextmanager
    def limited(self, connection: Connection, seconds: float) -> Iterator[None]:
        if not connection.dialect.is_mariadb:  # type: ignore[attr-defined]
            yield  # MySQL knows a limit for single SELECTs only
            return
        cursor: Any = connection.connection.cursor()
        cursor.execute(f"SET max_statement_time = {seconds:.3f}")
        try:
            yield
        finally:
            cursor.execute(f"SET max_statement_time = {STATEMENT_SECONDS}")

    def trigger_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        return [(event, body) for event, body in connection.execute(text(_TRIGGER_TEXTS), {"t": table})]

    def routines(self, connection: Connection) -> list[Routine]:
        several: dict[tuple[str, str], list[tuple[str, str, str]]] = {}
        for name, kind, parameter, type_text, mode in connection.execute(text(_PARAMETERS)):
            if parameter:
                several.setdefault((name, kind), []).append((parameter, type_text, mode))
        made = []
        for name, kind, access, gives in connection.execute(text(_ROUTINES)):
            own = several.get((name, kind), [])
            taken = tuple((parameter, type_text) for parameter, type_text, mode in own if mode != "OUT")
            fills = tuple((place, parameter) for place, (parameter, _, mode) in enumerate(own) if mode == "OUT")
            is_function = kind == "FUNCTION"
            form = "a value" if is_function else ""
            steady = access != "MODIFIES SQL DATA"
            perhaps = steady and not is_function and not fills
            made.append(Routine(name, taken, form, steady, gives or "", not is_function, fills, perhaps))
        return made

    def filled_argument(self, name: str) -> str:
        return f"@{name}"

    def commits_by_itself(self, connection: Connection, routine: str) -> bool:
        body = connection.execute(text(_BODY), {"name": routine}).scalar()
        return body is not None and _ENDS.search(_QUOTED.sub(" ", body)) is not None

    def hold_to_reading(self, connection: Connection) -> None:
        connection.execute(text("SET SESSION TRANSACTION READ ONLY"))

    # -- what it says --------------------------------------------------------------------------------

    def refusal(self, error: BaseException | None) -> Refusal:
        number, words = (*getattr(error, "args", ()), "", "")[:2]
        words = str(words) or str(error)
        code = _NUMBERS.get(number, "other") if isinstance(number, int) else "away"
        column = re.search(r"(?:[Cc]olumn|[Ff]ield) '([^']+)'", words)
        constraint = ""
        if code == "unique":
            constraint = words.rpartition("for key ")[2].strip("'`").rpartition(".")[2]
        elif code == "check" and (match := re.search(r"[`']([^`']+)[`'] (?:failed|is violated)", words)):
            constraint = match[1].rpartition(".")[2]
        columns = (column[1],) if column and code in ("not null", "long", "range", "type") else ()
        return Refusal(code, words, columns, constraint)

    # -- the catalog ---------------------------------------------------------------------------------

    def single_keys(self, connection: Connection) -> list[tuple[str, str]] | None:
        return [(table, column) for table, column in connection.execute(text(_SINGLE_KEYS))]

    def column_names(self, connection: Connection) -> list[tuple[str, str]]:
        return [(str(table), str(name)) for table, name in connection.execute(text(_COLUMN_NAMES))]

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        from .mariadb_values import column_of

        return [column_of(row) for row in connection.execute(text(_COLUMNS), {"t": table}).all()]

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        texts = []
        for name, sql in connection.execute(text(_CHECKS), {"t": table}):
            try:
                texts.append((name, sqlglot.parse_one(sql, read="mysql").sql(dialect="sqlite")))
            except (sqlglot.errors.SqlglotError, RecursionError):
                continue  # The server's word on save stands in for a check that can't be read.
        return texts

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        sets: dict[str, list[str]] = {}
        for name, column in connection.execute(text(_UNIQUES), {"t": table}):
            sets.setdefault(name, []).append(column)
        return [(name, tuple(columns)) for name, columns in sets.items()]

    def shortened(self, column: ColumnElement[Any], length: int, is_bytes: bool = False) -> ColumnElement[Any]:
        return func.substr(column, 1, length) if is_bytes else func.left(column, length)

    def catalog_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        return self.quick(engine, _CATALOG_STAMP)

    def change_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        # The end of InnoDB's log moves on with every change; MySQL does not tell it, so nothing is kept there.
        stamp = self.quick(engine, "SHOW GLOBAL STATUS LIKE 'Innodb_lsn_current'")
        return stamp

    # -- writing values --------------------------------------------------------------------------------

    def one_in(self, several: int) -> ColumnElement[bool]:
        return func.rand() < 1 / several

    def folded(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        # This collation takes letters for the same whatever their capitals and accents; LIKE goes by single letters.
        written = func.replace(cast(column, CHAR(charset="utf8mb4")), "ß", "ss")
        return written.collate("utf8mb4_unicode_ci")

    def same_folded(self, column: ColumnElement[Any], text: str) -> ColumnElement[bool]:
        return column.like(escaped(text), escape="!")  # texts that differ in blanks at their end are equal

    def first_letter(self, sql: str) -> str:
        return f"UPPER(LEFT(REPLACE({sql}, 'ß', 'ss'), 1))"  # groups are those of the collation

    def found(
        self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool, field: FieldSpec
    ) -> ColumnElement[bool]:
        same = super().found(column, value, is_text, field)
        if is_text and field.kind in TEXTS and not field.storage:
            return and_(column == value, same)  # an index finds what its collation takes for it, then its bytes tell
        return same

    def bound(self, value: Any) -> Any:
        return int(value) if isinstance(value, bool) else value

    def in_words(self, column: ColumnElement[Any], storage: str) -> ColumnElement[Any]:
        return cast(column, CHAR(charset="utf8mb4"))  # whatever characters the column has, or a type of its own (UUID)

    def apart(self, column: ColumnElement[Any]) -> tuple[ColumnElement[Any], ColumnElement[Any]]:
        return cast(column, LargeBinary), func.min(column)

    def exactly(self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool) -> ColumnElement[bool]:
        # Collations take capitals, accents or blanks at the end for the same: the bytes are compared.
        if is_text:
            column, value = cast(column, LargeBinary), cast(value, LargeBinary)
        return column.is_not_distinct_from(value)

    def in_transaction(self, connection: Connection) -> bool:
        if not connection.dialect.is_mariadb:  # type: ignore[attr-defined]
            return True
        cursor: Any = connection.connection.cursor()
        cursor.execute("SELECT @@in_transaction")
        return bool(cursor.fetchone()[0])

    def has_triggers(self, connection: Connection, table: str) -> bool:
        return connection.execute(text(_TRIGGERS), {"t": table}).first() is not None

    def generated_keys(
        self,
        connection: Connection,
        statement: Insert,
        values: Mapping[str, Sequence[Any]],
        key: Sequence[ColumnElement[Any]],
        columns: Sequence[str],
    ) -> list[tuple[Any, ...]]:
        if connection.dialect.insert_returning:
            several = self._keys_of_several(connection, statement, values, key)
            return several or super().generated_keys(connection, statement, values, key, columns)
        places = {name: f"v{i}" for i, name in enumerate(columns)}
        keys = []
        for row in (
            dict(zip(values, row, strict=True)) for row in zip(*values.values(), strict=True)
        ):  # MySQL gives back the number it generated and nothing else
            number = connection.execute(statement, row).lastrowid
            keys.append(tuple(row[places[c.name]] if c.name in places else number for c in key))
        return keys

    def _keys_of_several(
        self,
        connection: Connection,
        statement: Insert,
        values: Mapping[str, Sequence[Any]],
        key: Sequence[ColumnElement[Any]],
    ) -> list[tuple[Any, ...]]:
        """The keys of rows that are inserted many at once, which hands them back in the order of the rows (MariaDB,
        "INSERT...RETURNING"); none where the statement can't be written so."""
        cursor, plain, rows = self._prepared(connection, statement, values)
        asking = str(statement.returning(*key).compile(dialect=connection.dialect, column_keys=list(values)))
        named = f"({', '.join(f'%({name})s' for name in rows[0])})"
        if len(rows) < 2 or not plain.endswith(f" VALUES {named}") or not asking.startswith(plain):
            cursor.close()
            return []
        before, marks, behind = plain.removesuffix(named), f"({', '.join(['%s'] * len(rows[0]))})", asking[len(plain) :]
        try:
            keys: list[tuple[Any, ...]] = []
            for several in _of_a_size([tuple(row.values()) for row in rows]):
                cursor.execute(before + ", ".join([marks] * len(several)) + behind, tuple(chain(*several)))
                keys += map(tuple, cursor.fetchall())
            return keys
        except connection.dialect.dbapi.Error as error:  # type: ignore[union-attr]
            raise DBAPIError(plain, None, error) from error
        finally:
            cursor.close()


def _of_a_size(rows: Sequence[Sequence[Any]]) -> Iterator[list[Sequence[Any]]]:
    """Rows in parts that a statement can hold, whatever the server takes at once (max_allowed_packet, 16 MB unless set)."""
    part: list[Sequence[Any]] = []
    size = 0
    for row in rows:
        length = sum(len(value) if isinstance(value, str | bytes) else 32 for value in row)
        if part and (size + length > MOST_AT_ONCE or len(part) == ROWS_AT_ONCE):
            yield part
            part, size = [], 0
        part.append(row)
        size += length
    yield part


# MariaDB, "MariaDB Error Codes".
_COLUMN_NAMES = """
SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = database()
ORDER BY table_name, ordinal_position
"""
_NUMBERS = {
    1048: "not null", 1364: "not null", 1062: "unique", 4025: "check", 3819: "check", 1451: "reference",
    1452: "reference", 1216: "reference", 1217: "reference", 1406: "long", 1264: "range", 1690: "range", 1265: "type",
    1366: "type", 1292: "type", 1411: "type", 3140: "type", 1906: "type", 1213: "deadlock", 1205: "locked",
    1020: "serialization", 1969: "slow", 3024: "slow", 1317: "slow", 1290: "read-only", 1792: "read-only",
    1836: "read-only", 2006: "away", 2013: "away", 2003: "away", 2002: "away", 1053: "away", 2014: "away", 1040: "away",
    1927: "away", 1152: "away", 1146: "table gone", 1054: "table gone", 1142: "denied", 1143: "denied", 1044: "denied",
    1045: "sign-in", 1698: "sign-in", 1130: "sign-in", 2026: "tls", 1049: "no database", 1644: "trigger", 1442: "trigger",
}  # fmt: skip
_COLUMNS = """
SELECT column_name AS name, column_type AS type_text, data_type AS base, is_nullable = 'YES' AS optional,
       column_default AS plain_default, extra AS extra, character_maximum_length AS length,
       numeric_precision AS digits, numeric_scale AS scale, datetime_precision AS fraction
FROM information_schema.columns WHERE table_schema = database() AND table_name = :t ORDER BY ordinal_position
"""
_CHECKS = """
SELECT constraint_name, check_clause FROM information_schema.check_constraints
WHERE constraint_schema = database() AND table_name = :t AND check_clause NOT LIKE 'json_valid(%' ORDER BY 1
"""
_UNIQUES = """
SELECT index_name, column_name FROM information_schema.statistics s
WHERE table_schema = database() AND table_name = :t AND non_unique = 0 AND index_name <> 'PRIMARY'
  AND NOT EXISTS (SELECT 1 FROM information_schema.statistics p WHERE p.table_schema = database()
                  AND p.table_name = :t AND p.index_name = s.index_name AND (p.sub_part IS NOT NULL OR p.column_name IS NULL))
ORDER BY index_name, seq_in_index
"""
_SINGLE_KEYS = """
SELECT table_name, max(column_name) FROM information_schema.statistics
WHERE table_schema = database() AND non_unique = 0
GROUP BY table_name, index_name HAVING count(*) = 1 AND max(sub_part) IS NULL AND max(column_name) IS NOT NULL
ORDER BY lower(table_name), index_name <> 'PRIMARY', index_name
"""
_TRIGGERS = """
SELECT 1 FROM information_schema.triggers WHERE event_object_schema = database() AND event_object_table = :t LIMIT 1
"""
_TRIGGER_TEXTS = """
SELECT event_manipulation, action_statement FROM information_schema.triggers
WHERE event_object_schema = database() AND event_object_table = :t
"""
_CATALOG_STAMP = """
SELECT (SELECT concat(count(*), '.', coalesce(max(create_time), ''), '.', coalesce(sum(crc32(table_name)), 0))
        FROM information_schema.tables WHERE table_schema = database()),
       (SELECT coalesce(sum(crc32(concat_ws(' ', table_name, column_name, column_type, is_nullable, column_default, extra))), 0)
        FROM information_schema.columns WHERE table_schema = database()),
       (SELECT coalesce(sum(crc32(concat_ws(' ', table_name, constraint_name))), 0)
        FROM information_schema.table_constraints WHERE table_schema = database()),
       (SELECT count(*) FROM information_schema.triggers WHERE trigger_schema = database())
"""


_ROUTINES = """
SELECT ROUTINE_NAME, ROUTINE_TYPE, SQL_DATA_ACCESS, DTD_IDENTIFIER FROM information_schema.ROUTINES
WHERE ROUTINE_SCHEMA = DATABASE() AND ROUTINE_TYPE IN ('FUNCTION', 'PROCEDURE')
"""
_BODY = """
SELECT ROUTINE_DEFINITION FROM information_schema.ROUTINES
WHERE ROUTINE_SCHEMA = DATABASE() AND ROUTINE_TYPE = 'PROCEDURE' AND ROUTINE_NAME = :name
"""
# What ends the transaction that a procedure is called in ("Statements that cause an implicit commit" of MariaDB's manual),
# outside texts and comments.
_QUOTED = re.compile(r"'(?:[^'\\]|\\.|'')*'|\"(?:[^\"\\]|\\.)*\"|`[^`]*`|/\*.*?\*/|(?:--\s|#)[^\n]*", re.S)
_ENDS = re.compile(
    r"\b(COMMIT|ROLLBACK(?!\s+(?:WORK\s+)?TO\b)|START\s+TRANSACTION|(?:CREATE|DROP)\s+(?!TEMPORARY\b)|ALTER\s|TRUNCATE\s|"
    r"RENAME\s+TABLE|LOCK\s+TABLES?|GRANT\s|REVOKE\s)",
    re.I,
)
_PARAMETERS = """
SELECT SPECIFIC_NAME, ROUTINE_TYPE, PARAMETER_NAME, DTD_IDENTIFIER, PARAMETER_MODE FROM information_schema.PARAMETERS
WHERE SPECIFIC_SCHEMA = DATABASE() ORDER BY SPECIFIC_NAME, ORDINAL_POSITION
"""
