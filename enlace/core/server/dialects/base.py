"""What a server kind must answer. Everything that differs between servers is behind these methods."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TYPE_CHECKING, Any

from sqlalchemy import ColumnElement
from sqlalchemy.engine import Connection, Engine

from ..refusal import Refusal

if TYPE_CHECKING:
    from ..catalog import Column
    from ..engine import ConnectionSpec

STATEMENT_SECONDS = 30.0  # the longest that a server may work on one statement
TestStep = Callable[["ConnectionSpec"], str]


class ServerKind:
    """One kind of database server.

    name: its name in definitions. label: its name for people.
    parameters: (name, label, help) of what a connection needs.
    in_process: whether the server's code runs inside this process, so that rows need not travel.
    nulls_first: whether NULLs come first in an ascending order when the statement does not say.
    """

    name: str
    label: str
    parameters: tuple[tuple[str, str, str], ...]
    in_process: bool = False
    nulls_first: bool

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        """An engine with the kind's settings; connects at first use."""
        raise NotImplementedError

    def begin(self, connection: Connection, write: bool) -> None:
        """Begin a transaction: one view of the data for reading, a write lock where writers exclude each other."""
        raise NotImplementedError

    def in_transaction(self, connection: Connection) -> bool:
        """Whether the server still has the transaction open, after it refused a statement."""
        return True

    def test_steps(self) -> tuple[tuple[str, TestStep], ...]:
        """The steps of the connection test: (label, function that returns what it found or raises Problem)."""
        raise NotImplementedError

    def refusal(self, error: BaseException | None) -> Refusal:
        """A driver's exception taken apart."""
        raise NotImplementedError

    def sentence(self, refusal: Refusal) -> tuple[str, str]:
        """What happened and what to do next, for refusals that are not about a record."""
        raise NotImplementedError

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

    def catalog_stamp(self, spec: ConnectionSpec) -> Hashable:
        """A value that changes when a table or view is made, changed or dropped."""
        raise NotImplementedError

    def change_stamp(self, spec: ConnectionSpec) -> Hashable:
        """A value that changes when somebody commits a change of data."""
        raise NotImplementedError

    def shortened(self, column: ColumnElement[Any], length: int) -> ColumnElement[Any]:
        """The column, cut after `length` characters or bytes where it is text or bytes and longer than that."""
        raise NotImplementedError

    def size_of(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        """The length of the column's value in characters or bytes."""
        raise NotImplementedError

    def bound(self, value: Any) -> Any:
        """A value as the driver wants it."""
        return value

    def storage_of(self, values: list[Any], kind: str) -> str:
        """How values of a date or time kind are held, judged by some of them ("" where there is one way only)."""
        return ""
