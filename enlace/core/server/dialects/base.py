"""What a server kind must answer. Everything that differs between servers is behind these methods."""

from __future__ import annotations

import warnings
from collections import Counter
from collections.abc import Collection, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Insert, Select, Text, UpdateBase, cast, func, inspect, literal
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DBAPIError, SAWarning

from ...model.catalog import Column, Reference, Routine
from ...model.connection import ConnectionSpec
from ...model.dataset import FieldSpec
from ..refusal import Refusal

# Types that SQLAlchemy does not know are dealt with here: they are shown.
warnings.filterwarnings("ignore", "Did not recognize type", SAWarning)


@dataclass(frozen=True)
class Parameter:
    """One thing that a connection needs.

    choices: (value, label) pairs where only some values make sense. initial: what to suggest.
    """

    name: str
    label: str
    help: str = ""
    required: bool = False
    choices: tuple[tuple[str, str], ...] = ()
    initial: str = ""


def driver_error(engine: Engine) -> type[Exception]:
    """What an engine's driver raises: settings of a transaction go to it directly, and its errors come back bare."""
    return engine.dialect.loaded_dbapi.Error


class ServerKind:
    """One kind of database server.

    name: its name in definitions. label: its name for people.
    parameters: what a connection needs, the password apart. is_file: whether the database is a file.
    has_password: whether people sign in to it.
    seeks_rows: whether an index answers a comparison of rows, (a, b) >= (1, 2), by a seek.
    in_process: whether the server's code runs inside this process, so that rows need not travel.
    nulls_first: whether NULLs come first in an ascending order when the statement does not say.
    converts: whether a text can be compared with a number, and so on; else the server refuses the statement.
    loosely_typed: whether columns hold what is not of their type, and dates as texts or as numbers.
    ranges_are_prefixes: whether the texts from "ab" on and before "ac" are those that begin with "ab", capitals apart.
    native: the types of which the driver takes every value as it is.
    calls_give_rows: whether a procedure gives rows to a CALL, which nothing can select from.
    tried: whether it is tested on servers of its kind.
    """

    name: str
    label: str
    parameters: tuple[Parameter, ...]
    is_file: bool = False
    has_password: bool = True
    in_process: bool = False
    seeks_rows: bool = False
    nulls_first: bool
    converts: bool = True
    loosely_typed: bool = False
    ranges_are_prefixes: bool = False
    calls_give_rows: bool = False
    tried: bool = True
    native: frozenset[type] = frozenset({str, int, float, bytes, type(None)})

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        """An engine with the kind's settings; connects at first use."""
        raise NotImplementedError

    def missing(self) -> str:
        """A sentence that says what to install before this kind can be used; "" when all is there."""
        return ""

    def place_of(self, spec: ConnectionSpec) -> str:
        """Where the database is, in a few words that hold no secret."""
        raise NotImplementedError

    def begin(self, connection: Connection, write: bool) -> None:
        """Begin a transaction: one view of the data for reading, a write lock where writers exclude each other."""
        raise NotImplementedError

    def in_transaction(self, connection: Connection) -> bool:
        """Whether the server still has the transaction open, after it refused a statement."""
        return True

    def refusal(self, error: BaseException | None) -> Refusal:
        """A driver's exception taken apart."""
        raise NotImplementedError

    def sentence(self, refusal: Refusal) -> tuple[str, str]:
        """What happened and what to do next, for refusals that are not about a record."""
        raise NotImplementedError

    def single_keys(self, connection: Connection) -> list[tuple[str, str]] | None:
        """(table, column) of the keys of one column in all tables, the primary ones first; None where each has to be read."""
        return None

    def table_names(self, connection: Connection) -> list[str]:
        """All tables, the server's own ones too."""
        return inspect(connection).get_table_names()

    def out_of_sight(self, connection: Connection) -> dict[str, int]:
        """How many tables and views stand where the connection does not look for them, by the names of their schemas."""
        return {}

    def view_names(self, connection: Connection) -> list[str]:
        """All views."""
        return inspect(connection).get_view_names()

    def column_names(self, connection: Connection) -> list[tuple[str, str]]:
        """(table, column) of all columns of all tables and views, those of a table in their order."""
        several = inspect(connection).get_multi_columns().items()
        return [(name, str(column["name"])) for (_, name), columns in several for column in columns]

    def indexes(self, connection: Connection, table: str) -> list[tuple[str, ...]]:
        """The columns of each index of a table that serves all of its rows; of expressions there may be none among them."""
        reflected = inspect(connection).get_indexes(table)
        several = [tuple(index["column_names"]) for index in reflected]
        return [tuple(str(name) for name in names) for names in several if None not in names]

    def references(self, connection: Connection) -> list[Reference]:
        """The foreign keys of all tables."""
        return [
            Reference(
                name=str(foreign_key.get("name") or ""),
                table=table,
                columns=tuple(foreign_key["constrained_columns"]),
                target=foreign_key["referred_table"],
                target_columns=tuple(foreign_key["referred_columns"]),
                on_delete=named_act(foreign_key["options"].get("ondelete")),
                on_update=named_act(foreign_key["options"].get("onupdate")),
                deferred=str(foreign_key["options"].get("initially") or "").upper() == "DEFERRED",
            )
            for (_, table), several in inspect(connection).get_multi_foreign_keys().items()
            for foreign_key in several
        ]

    def key(self, connection: Connection, table: str) -> tuple[str, ...]:
        """The columns of a table's primary key, empty when it has none."""
        return tuple(inspect(connection).get_pk_constraint(table)["constrained_columns"])

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        """The columns of a table or view with their declared types."""
        raise NotImplementedError

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        """The table's CHECK constraints as (name, expression) in the server's SQL."""
        raise NotImplementedError

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        """What the table keeps unique, the key apart, as (name, columns)."""
        raise NotImplementedError

    def row_locator(self, connection: Connection, table: str) -> str | None:
        """A hidden column that numbers the rows of a table without a key, if the server has one."""
        return None

    def catalog_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        """A value that changes when a table or view is made, changed or dropped."""
        raise NotImplementedError

    def change_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        """A value that changes when somebody commits a change of data."""
        raise NotImplementedError

    def shortened(self, column: ColumnElement[Any], length: int, is_bytes: bool = False) -> ColumnElement[Any]:
        """A column of text, or of bytes, cut after `length` characters or bytes."""
        raise NotImplementedError

    def shortened_computed(self, column: ColumnElement[Any], length: int) -> ColumnElement[Any]:
        """The same of a text that is computed."""
        return self.shortened(column, length)

    def fetched(
        self, connection: Connection, statement: Select[Any], given: Mapping[str, Any]
    ) -> list[tuple[Any, ...]]:
        """All rows that a statement gives."""
        return list(connection.execute(statement, dict(given)).all())

    def one_in(self, several: int) -> ColumnElement[bool]:
        """A condition that about one in so many rows meets, by chance: a sample."""
        return func.random() < 1 / several

    def size_of(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        """The length of the column's value in characters or bytes."""
        raise NotImplementedError

    def folded(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        """A text without capitals and accents, to search in."""
        return func.lower(cast(column, Text))

    def bound(self, value: Any) -> Any:
        """A value as the driver wants it."""
        return value

    def in_words(self, column: ColumnElement[Any], storage: str) -> ColumnElement[Any]:
        """A column of texts, or of what is told as one, to be compared with a text. storage: of the field."""
        return column

    def apart(self, column: ColumnElement[Any]) -> tuple[ColumnElement[Any], ColumnElement[Any]]:
        """What tells the texts of a column apart to the last letter, to group by; and the text of such a group."""
        return column, column

    def exactly(self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool) -> ColumnElement[bool]:
        """The condition that a column holds a value to the last letter, NULL equal to NULL."""
        return column.is_not_distinct_from(value)

    def found(
        self, column: ColumnElement[Any], value: ColumnElement[Any], is_text: bool, field: FieldSpec
    ) -> ColumnElement[bool]:
        """The condition that a field's column holds a value, which is not NULL, to the last letter: as an index finds it."""
        return self.exactly(self.in_words(column, field.storage) if is_text else column, value, is_text)

    def same_folded(self, column: ColumnElement[Any], text: str) -> ColumnElement[bool]:
        """The condition that a `folded` column is a text, which is folded too."""
        return column == self.folded(literal(text))

    def first_letter(self, sql: str) -> str:
        """The first letter of a text in SQL, without accents and as a capital: as `folded` takes letters for the same."""
        return f"UPPER(LEFT({sql}, 1))"

    def bound_all(self, values: list[Any]) -> list[Any]:
        """Values as the driver wants them."""
        return values if set(map(type, values)) <= self.native else [self.bound(value) for value in values]

    def write_many(self, connection: Connection, statement: UpdateBase, columns: Mapping[str, Sequence[Any]]) -> int:
        """Run an INSERT, UPDATE or DELETE for many rows at once; how many rows of the table it changed.

        columns: by parameter of the statement, its values for the rows. Compiled once and handed to the driver whole.
        """
        cursor, sql, rows = self._prepared(connection, statement, columns)
        try:
            if len(rows) == 1:
                cursor.execute(sql, rows[0])
            else:
                cursor.executemany(sql, rows)
            return int(cursor.rowcount)
        except connection.dialect.dbapi.Error as error:  # type: ignore[union-attr]
            raise DBAPIError(sql, None, error) from error
        finally:
            cursor.close()

    def _prepared(
        self, connection: Connection, statement: UpdateBase, columns: Mapping[str, Sequence[Any]]
    ) -> tuple[Any, str, list[Any]]:
        """(cursor, SQL, the rows as the driver wants them)"""
        compiled: Any = statement.compile(dialect=connection.dialect, column_keys=list(columns))
        count = len(next(iter(columns.values()), ((),)))
        constants = {n: [value] * count for n, value in compiled.params.items() if n not in columns}
        given = {**columns, **constants}
        if compiled.positional:
            names = compiled.positiontup
            rows: list[Any] = list(zip(*(given[n] for n in names), strict=True)) if names else [()]
        else:
            names = list(given)
            rows = [dict(zip(names, row, strict=True)) for row in zip(*given.values(), strict=True)] if names else [{}]
        return connection.connection.cursor(), str(compiled), rows

    def inserted_keys(
        self,
        connection: Connection,
        statement: Insert,
        values: Mapping[str, Sequence[Any]],
        key: Sequence[ColumnElement[Any]],
        columns: Sequence[str],
    ) -> list[tuple[Any, ...]]:
        """Insert several rows that fill the same columns; the keys that they have now, in the same order.

        values: by parameter (v0, v1 … in the order of `columns`), the values of the rows.
        """
        if (given := given_keys(values, key, columns)) is not None:
            self.write_many(connection, statement, values)
            return given
        return self.generated_keys(connection, statement, values, key, columns)

    def generated_keys(
        self,
        connection: Connection,
        statement: Insert,
        values: Mapping[str, Sequence[Any]],
        key: Sequence[ColumnElement[Any]],
        columns: Sequence[str],
    ) -> list[tuple[Any, ...]]:
        """`inserted_keys` for rows whose keys the server makes, in whole or in part."""
        cursor, sql, rows = self._prepared(connection, statement.returning(*key), values)
        try:
            keys = []
            for row in rows:
                cursor.execute(sql, row)
                keys.append(tuple(cursor.fetchone()))
            return keys
        except connection.dialect.dbapi.Error as error:  # type: ignore[union-attr]
            raise DBAPIError(sql, None, error) from error
        finally:
            cursor.close()

    def has_triggers(self, connection: Connection, table: str) -> bool:
        """Whether triggers or rules of the table may change what a statement writes."""
        raise NotImplementedError

    def trigger_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        """(event, text) of the triggers of a table. event: names INSERT, UPDATE or DELETE, or several of them."""
        return []

    def routines(self, connection: Connection) -> list[Routine]:
        """The procedures and functions that somebody wrote, as far as the account may run them."""
        return []

    def filled_argument(self, name: str) -> str:
        """What stands in a CALL for an argument that the procedure only gives something back through."""
        return "NULL"

    def commits_by_itself(self, connection: Connection, routine: str) -> bool:
        """Whether a procedure, as far as the account may read it, ends the transaction that it is called in. False also where
        the server refuses that."""
        return False

    def hold_to_reading(self, connection: Connection) -> None:
        """Let nothing of the session write any more, in whatever transaction, where its calls give rows."""
        raise NotImplementedError

    @contextmanager
    def limited(self, connection: Connection, seconds: float) -> Iterator[None]:
        """Statements of the block are stopped after some seconds ("slow"); the transaction goes on after that."""
        yield

    @contextmanager
    def within(self, connection: Connection) -> Iterator[None]:
        """A part of a transaction that reads: what fails in it does not end the whole, and its time is counted anew."""
        yield

    def internal_tables(self, connection: Connection) -> set[str]:
        """Tables that are the server's own affair, or that can't be read here."""
        return set()

    def stored_types(self, connection: Connection, table: str, columns: Sequence[str]) -> dict[str, list[Any]]:
        """By column, a value of each type that its rows hold, where declared types do not bind."""
        return {}

    @contextmanager
    def hurried(self, connection: Connection) -> Iterator[None]:
        """The block does not wait for locks."""
        yield

    def check_deferred(self, connection: Connection) -> None:
        """Have the server check now what it would check at COMMIT, where it can be asked to."""

    def loose_references(self, connection: Connection, tables: Collection[str]) -> Counter[tuple[str, str]]:
        """(table, target) of the rows of some tables that refer to what is not there, as COMMIT would find; nothing
        where the server is asked by `check_deferred`."""
        return Counter()

    def after_refused_commit(self, connection: Connection) -> None:
        """Leave a connection usable whose COMMIT was refused."""

    def session_of(self, connection: Connection) -> Hashable:
        """The server's own number of this connection, None where there is none."""
        return None

    def session_alive(self, connection: Connection, session: Hashable) -> bool:
        """Whether the server still works for a connection that was lost on this side."""
        return False

    def storage_of(self, values: list[Any], kind: str) -> str:
        """How values of a date or time kind are held, judged by some of them ("" where there is one way only)."""
        return ""


def named_act(said: Any) -> str:
    """A referential action as a Reference names it."""
    named = str(said or "").upper()
    return named if named in ("CASCADE", "SET NULL", "SET DEFAULT") else ""


def given_keys(
    values: Mapping[str, Sequence[Any]], key: Sequence[ColumnElement[Any]], columns: Sequence[str]
) -> list[tuple[Any, ...]] | None:
    """The keys of new rows where each row brings its own."""
    names = [str(c.name) for c in key]
    if not set(names) <= set(columns):
        return None
    keys = list(zip(*(values[f"v{list(columns).index(name)}"] for name in names), strict=True))
    return None if any(None in key for key in keys) else keys
