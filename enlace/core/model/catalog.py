"""What a catalog says: columns, keys, references, constraints, tables."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Column:
    """A column as its table declares it.

    type_text: the declared type in the server's words. numbered: the server numbers it when it is left
    out. computed: the server computes it, it can't be written. default: SQL text of the default.
    family: what it holds, by the server's own type: "text", "long text", "whole", "decimal", "yes or no", "date",
    "time", "date and time", "bytes", "shown" (can be read as text but not edited); "" where the declared type does
    not bind (SQLite). storage: how values of a field kind are held (see FieldSpec). length, precision, scale: its
    limits. choices: the only values that an enumeration takes.
    """

    name: str
    type_text: str
    nullable: bool = True
    default: str | None = None
    numbered: bool = False
    computed: bool = False
    family: str = ""
    storage: str = ""
    length: int | None = None
    precision: int | None = None
    scale: int | None = None
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reference:
    """A foreign key: `columns` of `table` refer to `target_columns` of `target`.

    on_delete, on_update: what the server does with a row whose target goes or changes: "CASCADE", "SET NULL", "SET
    DEFAULT", or "" where it refuses. deferred: it is checked at COMMIT.
    """

    name: str
    table: str
    columns: tuple[str, ...]
    target: str
    target_columns: tuple[str, ...]
    on_delete: str = ""
    on_update: str = ""
    deferred: bool = False


@dataclass(frozen=True)
class Unique:
    name: str
    columns: tuple[str, ...]


@dataclass(frozen=True)
class Check:
    name: str
    expression: str


@dataclass(frozen=True)
class Table:
    """A table or view with all that the catalog says of it.

    key: the primary key's columns, empty when there is none. locator: a hidden column that numbers the rows, where the
    server has one. identity: the columns by which rows are told apart (see `identity_of`). has_triggers: whether the server may change what is written to it; triggers: (event, text)
    of those whose text can be read.
    """

    name: str
    is_view: bool
    columns: tuple[Column, ...]
    key: tuple[str, ...] = ()
    references: tuple[Reference, ...] = ()
    referenced_by: tuple[Reference, ...] = ()
    uniques: tuple[Unique, ...] = ()
    checks: tuple[Check, ...] = ()
    locator: str | None = None
    identity: tuple[str, ...] = ()
    has_triggers: bool = False
    triggers: tuple[tuple[str, str], ...] = ()

    def column(self, name: str) -> Column:
        for candidate in self.columns:
            if candidate.name == name:
                return candidate
        raise KeyError(name)


@dataclass(frozen=True)
class Routine:
    """A procedure or function that somebody wrote on the server.

    parameters: (name, type) of what it takes; a name may be "". gives: "rows", "a value" or "" (it acts, or gives
    nothing that a SELECT could read). steady: the server says that it changes nothing. says: what it gives, in the
    server's words. called: it is a procedure, which a CALL runs. fills: (place, name) of the arguments that it only gives
    something back through. perhaps_rows: the CALL may give rows, which the server does not tell beforehand.
    """

    name: str
    parameters: tuple[tuple[str, str], ...] = ()
    gives: str = ""
    steady: bool = False
    says: str = ""
    called: bool = False
    fills: tuple[tuple[int, str], ...] = ()
    perhaps_rows: bool = False
