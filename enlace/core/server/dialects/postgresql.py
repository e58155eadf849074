"""PostgreSQL, through psycopg 3."""

from __future__ import annotations

import json
import logging
from collections.abc import Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

from sqlalchemy import URL, ColumnElement, Insert, Text, cast, create_engine, event, func, literal_column, text
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DBAPIError

from ...model.catalog import Column, Reference, Routine
from ...model.connection import ConnectionSpec
from ...model.dataset import FieldSpec
from ..limits import CONNECT_SECONDS, LOCK_SECONDS, STATEMENT_SECONDS
from ..places import check_server, checked_file
from ..refusal import Refusal
from .base import Parameter
from .network import NetworkServer
from .postgresql_checks import as_written
from .postgresql_schemas import TABLES, VIEWS, names_in_sight, out_of_sight, search_path

logging.getLogger("psycopg").setLevel(logging.ERROR)  # it warns of batches that the server refused: they are told here
SSL_MODES = {"off": "disable", "prefer": "prefer", "require": "require", "verify": "verify-full"}
COMPARED = ("uuid", "inet", "interval")  # storages of texts that the server reads as its own type, and compares as that


class PostgreSQL(NetworkServer):
    name = "postgresql"
    label = "PostgreSQL"
    port = 5432
    nulls_first = False
    seeks_rows = True
    converts = False

    # -- reaching it ---------------------------------------------------------------------------------

    @property
    def parameters(self) -> tuple[Parameter, ...]:  # type: ignore[override]
        words = (
            "Where tables are looked for, in this order, apart by commas. Left empty, where the server looks by itself."
        )
        return (*super().parameters, Parameter("schema", "Schemas", words))

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        settings = {
            "timezone": "UTC",
            "statement_timeout": f"{STATEMENT_SECONDS:.0f}s",
            "lock_timeout": f"{LOCK_SECONDS}s",
            "idle_in_transaction_session_timeout": "60s",
            "intervalstyle": "iso_8601",
            "datestyle": "ISO",
            "bytea_output": "hex",
            "extra_float_digits": "1",
            "jit": "off",  # statements of forms are short: compiling them costs more than running them
        }
        if spec["schema"]:
            settings["search_path"] = search_path(spec["schema"])
        arguments: dict[str, Any] = {
            "connect_timeout": CONNECT_SECONDS,
            "sslmode": SSL_MODES[spec["tls"] or "prefer"],
            "application_name": "Enlace",
            "options": " ".join(f"-c {name}={value}" for name, value in settings.items()),
            "keepalives_idle": 10,
            "keepalives_interval": 5,
            "keepalives_count": 3,
            "tcp_user_timeout": int(STATEMENT_SECONDS + CONNECT_SECONDS) * 1000,
        }
        if spec["ca"]:
            arguments["sslrootcert"] = checked_file(spec["ca"])[0]
        check_server(spec["host"], self.port_of(spec))
        url = URL.create(
            "postgresql+psycopg", spec["user"], spec.secret or None, spec["host"], self.port_of(spec), spec["database"]
        )
        engine = create_engine(
            url, connect_args=arguments, pool_size=8, max_overflow=16, pool_pre_ping=True, pool_timeout=CONNECT_SECONDS
        )

        @event.listens_for(engine, "do_connect")
        def connect(dialect: Any, record: Any, args: Any, parameters: Any) -> Any:
            from .postgresql_waiting import Impatient

            return Impatient.connect(*args, **parameters)

        @event.listens_for(engine, "connect")
        def connected(driver: Any, record: Any) -> None:
            from .postgresql_values import read_as_they_are

            read_as_they_are(driver)

        return engine

    def begin(self, connection: Connection, write: bool) -> None:
        # Writers lock what they touch and then compare, so they read what is committed; readers see one state.
        level = "READ COMMITTED" if write else "REPEATABLE READ"
        connection.execution_options(isolation_level=level, postgresql_readonly=not write)
        connection.begin()

    def in_transaction(self, connection: Connection) -> bool:
        from psycopg.pq import TransactionStatus

        driver: Any = connection.connection.driver_connection
        return driver.info.transaction_status in (TransactionStatus.INTRANS, TransactionStatus.INERROR)

    def session_of(self, connection: Connection) -> Hashable:
        driver: Any = connection.connection.driver_connection
        return int(driver.info.backend_pid)

    def session_alive(self, connection: Connection, session: Hashable) -> bool:
        return self.alive(connection, "SELECT 1 FROM pg_stat_activity WHERE pid = :session", session)

    def check_deferred(self, connection: Connection) -> None:
        connection.execute(text("SET CONSTRAINTS ALL IMMEDIATE"))

    @contextmanager
    def within(self, connection: Connection) -> Iterator[None]:
        with connection.begin_nested():  # an error would end the whole transaction otherwise
            yield

    @contextmanager
    def limited(self, connection: Connection, seconds: float) -> Iterator[None]:
        with connection.begin_nested():  # a statement that is stopped would end the whole transaction otherwise
            connection.execute(text(f"SET LOCAL statement_timeout = {max(1, int(seconds * 1000))}"))
            yield
            connection.execute(text(f"SET LOCAL statement_timeout = {int(STATEMENT_SECONDS * 1000)}"))

    def trigger_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        return [(event, body) for event, body in connection.execute(text(_TRIGGER_TEXTS), {"t": table})]

    def routines(self, connection: Connection) -> list[Routine]:
        made = []
        for name, names, types, modes, rows, gives, kind, volatile in connection.execute(text(_ROUTINES)):
            of = json.loads(types)
            modes_of, names_of = (json.loads(part) if part else None for part in (modes, names))
            several = list(zip(names_of or [""] * len(of), of, modes_of or ["i"] * len(of), strict=False))
            taken = [(name_of or "", type_of) for name_of, type_of, mode in several if mode in "ibv"]
            fills = [(place, name_of or "") for place, (name_of, _, mode) in enumerate(several) if mode == "o"]
            form = "" if kind == "p" else "rows" if rows or "TABLE(" in gives else "a value" if gives != "void" else ""
            acts = kind == "p"
            made.append(
                Routine(name, tuple(taken), form, volatile != "v", gives or "", acts, tuple(fills) if acts else ())
            )
        return made

    # -- what it says --------------------------------------------------------------------------------

    def refusal(self, error: BaseException | None) -> Refusal:
        words = str(error).splitlines()[0] if str(error) else ""
        state = getattr(error, "sqlstate", None) or ""
        diag = getattr(error, "diag", None)
        # What the driver itself does not send, such as a text with NUL in it, has no state either.
        unsent = not state and type(error).__name__ in ("DataError", "ProgrammingError", "NotSupportedError")
        stated = _STATES.get(state) or _CLASSES.get(state[:2])
        code = stated or ("other" if unsent else _unstated(str(error), state))
        column = getattr(diag, "column_name", None)
        if code in ("trigger", "type") and getattr(diag, "message_primary", None):
            words = str(diag.message_primary)  # type: ignore[union-attr]
        return Refusal(code, words, (column,) if column else (), getattr(diag, "constraint_name", None) or "")

    # -- the catalog ---------------------------------------------------------------------------------

    # SQLAlchemy's own reflection of these reads arrays, which come as text here.
    def single_keys(self, connection: Connection) -> list[tuple[str, str]] | None:
        return [(table, column) for table, column in connection.execute(text(_SINGLE_KEYS))]

    def indexes(self, connection: Connection, table: str) -> list[tuple[str, ...]]:
        # Reflection reads arrays, which come as the server writes them here.
        return [tuple(columns.split("\n")) for (columns,) in connection.execute(text(_INDEXES), {"t": table})]

    def references(self, connection: Connection) -> list[Reference]:
        return [
            Reference(
                row.name,
                row.source,
                tuple(row.columns.split("\n")),
                row.target,
                tuple(row.targets.split("\n")),
                _ACTS.get(row.on_delete, ""),
                _ACTS.get(row.on_update, ""),
                row.deferred,
            )
            for row in connection.execute(text(_REFERENCES))
        ]

    def key(self, connection: Connection, table: str) -> tuple[str, ...]:
        return tuple(connection.execute(text(_KEY), {"t": table}).scalars())

    def table_names(self, connection: Connection) -> list[str]:
        return names_in_sight(connection, TABLES)

    def view_names(self, connection: Connection) -> list[str]:
        return names_in_sight(connection, VIEWS)

    def out_of_sight(self, connection: Connection) -> dict[str, int]:
        return out_of_sight(connection)

    def column_names(self, connection: Connection) -> list[tuple[str, str]]:
        return [(str(table), str(name)) for table, name in connection.execute(text(_COLUMN_NAMES))]

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        from .postgresql_values import column_of

        return [column_of(row) for row in connection.execute(text(_COLUMNS), {"t": table}).all()]

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        read = [(name, as_written(sql)) for name, sql in connection.execute(text(_CHECKS), {"t": table})]
        return [(name, condition) for name, condition in read if condition]

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        return [
            (name, tuple(columns.split("\n"))) for name, columns in connection.execute(text(_UNIQUES), {"t": table})
        ]

    def catalog_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        return self.quick(engine, _CATALOG_STAMP)

    def change_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        # The snapshot moves on whenever a writing transaction of any database begins or ends.
        return self.quick(engine, "SELECT pg_current_snapshot()::text")

    # -- writing values --------------------------------------------------------------------------------

    def folded(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        # Letters taken apart (Unicode, UAX #15, form D), then without their marks; small ones last, since a database of the
        # locale C knows the capitals of ASCII alone. What `lower` leaves of folding case (Unicode, 5.18): ß and the final σ.
        apart = func.normalize(cast(column, Text), literal_column("NFD"))
        plain = func.lower(func.regexp_replace(apart, "[\u0300-\u036f]", "", "g"))
        return func.replace(func.replace(plain, "ß", "ss"), "ς", "σ")

    def first_letter(self, sql: str) -> str:
        plain = f"LOWER(REGEXP_REPLACE(NORMALIZE(CAST({sql} AS TEXT), NFD), '[\u0300-\u036f]', '', 'g'))"
        return f"UPPER(LEFT(REPLACE({plain}, 'ß', 'ss'), 1))"

    def in_words(self, column: ColumnElement[Any], storage: str) -> ColumnElement[Any]:
        # XML, points and rows are equal to nothing; an index of texts serves all the same.
        return column if storage in COMPARED else cast(column, Text)

    def found(
        self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool, field: FieldSpec
    ) -> ColumnElement[bool]:
        # An index is looked in for what is equal, not for what is not distinct.
        return (self.in_words(column, field.storage) if is_text else column) == value

    def bound(self, value: Any) -> Any:
        return value

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
        if len(next(iter(values.values()), ())) < 2:
            return super().generated_keys(connection, statement, values, key, columns)
        # One trip for all of them, and the driver hands back each row's key in order.
        cursor, sql, rows = self._prepared(connection, statement.returning(*key), values)
        try:
            cursor.executemany(sql, rows, returning=True)
            keys = []
            while True:
                keys.append(tuple(cursor.fetchone()))
                if not cursor.nextset():
                    return keys
        except connection.dialect.dbapi.Error as error:  # type: ignore[union-attr]
            raise DBAPIError(sql, None, error) from error
        finally:
            cursor.close()


def _unstated(words: str, state: str) -> str:
    """What an error without a state of its own is about: those of making a connection."""
    if state:
        return "other"
    if "does not exist" in words and 'database "' in words:
        return "no database"
    if any(part in words for part in ("password", "authentication", "pg_hba.conf", "role ")):
        return "sign-in"
    if any(part in words for part in ("SSL", "certificate", "TLS")):
        return "tls"
    return "away"


_COLUMN_NAMES = """
SELECT c.relname, a.attname FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid WHERE a.attnum >
0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'f') AND pg_table_is_visible(c.oid)
AND c.relnamespace NOT IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace)
ORDER BY c.relname, a.attnum
"""
# PostgreSQL, "Appendix A. PostgreSQL Error Codes".
_STATES = {
    "23502": "not null",
    "23503": "reference",
    "23505": "unique",
    "23514": "check",
    "23P01": "unique",
    "22001": "long",
    "22003": "range",
    "428C9": "type",
    "P0001": "trigger",
    "40001": "serialization",
    "40P01": "deadlock",
    "55P03": "locked",
    "57014": "slow",
    "25006": "read-only",
    "42501": "denied",
    "42P01": "table gone",
    "42703": "table gone",
    "3D000": "no database",
    "25P03": "away",
    "28P01": "sign-in",
    "28000": "sign-in",
}
_CLASSES = {"22": "type", "42": "type", "08": "away", "57": "away", "53": "away", "23": "check", "P0": "trigger"}

_TABLE = "(SELECT c.oid FROM pg_class c WHERE c.relname = :t AND pg_table_is_visible(c.oid) LIMIT 1)"
_COLUMNS = f"""
SELECT a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type_text, a.attnotnull AS needed,
       pg_get_expr(d.adbin, d.adrelid) AS default, a.attidentity <> '' AS identity,
       a.attidentity = 'a' AS always, a.attgenerated <> '' AS computed,
       format_type(CASE WHEN t.typtype = 'd' THEN t.typbasetype ELSE t.oid END,
                   CASE WHEN t.typtype = 'd' THEN t.typtypmod ELSE a.atttypmod END) AS base,
       CASE WHEN t.typtype = 'd' THEN b.typtype ELSE t.typtype END AS sort, t.typtype = 'd' AND t.typnotnull AS strict,
       (SELECT string_agg(e.enumlabel, E'\\n' ORDER BY e.enumsortorder) FROM pg_enum e
        WHERE e.enumtypid = coalesce(b.oid, t.oid)) AS choices
FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid
LEFT JOIN pg_type b ON b.oid = t.typbasetype AND t.typtype = 'd'
LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
WHERE a.attrelid = {_TABLE} AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum
"""
_CHECKS = f"SELECT conname, pg_get_expr(conbin, conrelid) FROM pg_constraint WHERE contype = 'c' AND conrelid = {_TABLE} ORDER BY conname"
_UNIQUES = f"""
SELECT c.relname, (SELECT string_agg(a.attname, E'\\n' ORDER BY k.n)
                   FROM unnest(i.indkey::int2[]) WITH ORDINALITY AS k(attnum, n)
                   JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum WHERE k.n <= i.indnkeyatts)
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
WHERE i.indrelid = {_TABLE} AND i.indisunique AND NOT i.indisprimary AND i.indpred IS NULL AND i.indexprs IS NULL
ORDER BY c.relname
"""
_INDEXES = f"""
SELECT (SELECT string_agg(a.attname, E'\\n' ORDER BY k.n) FROM unnest(i.indkey::int2[]) WITH ORDINALITY AS k(attnum, n)
        JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum WHERE k.n <= i.indnkeyatts)
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
WHERE i.indrelid = {_TABLE} AND i.indisvalid AND i.indpred IS NULL AND i.indexprs IS NULL ORDER BY c.relname
"""
_SINGLE_KEYS = """
SELECT t.relname, a.attname FROM pg_index i JOIN pg_class t ON t.oid = i.indrelid
JOIN pg_attribute a ON a.attrelid = t.oid AND a.attnum = i.indkey[0]
WHERE i.indisunique AND i.indnkeyatts = 1 AND i.indpred IS NULL AND i.indexprs IS NULL
  AND t.relkind IN ('r', 'p') AND pg_table_is_visible(t.oid) AND t.relnamespace <> 'pg_catalog'::regnamespace
ORDER BY lower(t.relname), i.indisprimary DESC, i.indexrelid
"""
_KEY = f"""
SELECT a.attname FROM pg_constraint k CROSS JOIN unnest(k.conkey) WITH ORDINALITY AS p(attnum, n)
JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = p.attnum
WHERE k.contype = 'p' AND k.conrelid = {_TABLE} ORDER BY p.n
"""
_TRIGGERS = f"""
SELECT 1 FROM pg_trigger WHERE tgrelid = {_TABLE} AND NOT tgisinternal
UNION ALL SELECT 1 FROM pg_rewrite WHERE ev_class = {_TABLE} AND rulename <> '_RETURN' LIMIT 1
"""
_REFERENCES = """
SELECT k.conname AS name, s.relname AS source, t.relname AS target, k.confdeltype::text AS on_delete,
       k.confupdtype::text AS on_update, k.condeferred AS deferred,
       (SELECT string_agg(a.attname, E'\\n' ORDER BY p.n) FROM unnest(k.conkey) WITH ORDINALITY AS p(attnum, n)
        JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = p.attnum) AS columns,
       (SELECT string_agg(a.attname, E'\\n' ORDER BY p.n) FROM unnest(k.confkey) WITH ORDINALITY AS p(attnum, n)
        JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = p.attnum) AS targets
FROM pg_constraint k JOIN pg_class s ON s.oid = k.conrelid JOIN pg_class t ON t.oid = k.confrelid
WHERE k.contype = 'f' AND k.conparentid = 0 AND pg_table_is_visible(s.oid) ORDER BY s.relname, k.conname
"""
_ACTS = {"c": "CASCADE", "n": "SET NULL", "d": "SET DEFAULT"}
_TRIGGER_TEXTS = f"""
SELECT concat_ws(' ', CASE WHEN tgtype & 4 > 0 THEN 'INSERT' END, CASE WHEN tgtype & 8 > 0 THEN 'DELETE' END,
                 CASE WHEN tgtype & 16 > 0 THEN 'UPDATE' END), p.prosrc
FROM pg_trigger g JOIN pg_proc p ON p.oid = g.tgfoid WHERE g.tgrelid = {_TABLE} AND NOT g.tgisinternal
"""
_CATALOG_STAMP = """
SELECT (SELECT count(*) || '.' || coalesce(sum(hashtext(c.oid || ' ' || c.xmin)::bigint), 0) FROM pg_class c
        WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f', 'i') AND c.relnamespace NOT IN ('pg_catalog'::regnamespace)
          AND c.relnamespace <> 'pg_toast'::regnamespace),
       (SELECT count(*) || '.' || coalesce(sum(hashtext(a.attrelid || ' ' || a.xmin || ' ' || a.attnum)::bigint), 0)
        FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
        WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND c.relnamespace <> 'pg_catalog'::regnamespace
          AND c.relnamespace <> 'information_schema'::regnamespace),
       (SELECT count(*) || '.' || coalesce(sum(hashtext(oid || ' ' || xmin)::bigint), 0) FROM pg_constraint),
       (SELECT count(*) || '.' || coalesce(sum(hashtext(oid || ' ' || xmin)::bigint), 0) FROM pg_trigger
        WHERE NOT tgisinternal)
"""


# System catalogs of PostgreSQL (its documentation, chapter 53): what extensions brought is left out, and triggers' functions.
_ROUTINES = """
SELECT p.proname, to_json(p.proargnames)::text,
    to_json(ARRAY(SELECT format_type(t, NULL) FROM unnest(coalesce(p.proallargtypes, p.proargtypes::oid[])) WITH ORDINALITY AS a(t, n) ORDER BY n))::text,
    to_json(p.proargmodes::text[])::text, p.proretset, coalesce(pg_get_function_result(p.oid), ''), p.prokind::text, p.provolatile::text
FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE p.prokind IN ('f', 'p') AND n.nspname = ANY (current_schemas(false)) AND has_function_privilege(p.oid, 'EXECUTE')
    AND p.prorettype <> 'trigger'::regtype AND p.prorettype <> 'event_trigger'::regtype
    AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = p.oid AND d.deptype = 'e')
"""
