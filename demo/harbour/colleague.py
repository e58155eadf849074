"""The simulated colleague: edits, removes and enters records behind one's back, in a transaction of its own.

It knows nothing of drafts: like any other program on the same database it writes and commits at once.
"""

from __future__ import annotations

import random
import string
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, and_, delete, func, insert, select, update

from enlace.core.model.catalog import Table
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.server import Catalog, writing
from enlace.core.server.dialects import server_kind
from enlace.core.server.names import quoted_table

from .generate import imo_number

NOTES = ("seen by the pilot", "asked twice", "called by radio", "papers at the office", "master changed")
ACTS = ("edit", "remove", "enter")


class Colleague:
    """Somebody else at work on one table of a connection."""

    def __init__(self, spec: ConnectionSpec, table: str, dice: random.Random | None = None) -> None:
        self.spec, self.dice = spec, dice or random.Random()
        self.catalog: Table = Catalog.of(spec).table(table)
        if not self.catalog.key:
            raise Problem(f"{table} has no key.", "The colleague needs one to tell records apart.", code="bad")
        self.table = quoted_table(table, [c.name for c in self.catalog.columns])

    def act(self, name: str, identifier: str = "") -> str:
        """Do one of ACTS, to a record or to any; says what was done. Raises Problem when the database refuses."""
        with writing(self.spec) as connection:
            row = self._row(connection, identifier)
            if name == "enter":
                return self._enter(connection, row)
            if name == "remove":
                connection.execute(delete(self.table).where(self._is(row)))
                return f"The colleague removed {self._name(row)}."
            return self._edit(connection, row)

    def _row(self, connection: Connection, identifier: str) -> Mapping[str, Any]:
        statement = select(self.table)
        if identifier and not identifier.startswith("n"):
            key = key_of(identifier)
            named = zip(self.catalog.key, key, strict=True)
            statement = statement.where(and_(*(self.table.c[n] == v for n, v in named)))
        else:
            count = connection.execute(select(func.count()).select_from(self.table)).scalar() or 0
            keys = [self.table.c[n] for n in self.catalog.key]
            statement = statement.order_by(*keys).offset(self.dice.randrange(count or 1)).limit(1)
        row = connection.execute(statement).mappings().first()
        if row is None:
            raise Problem("There is no such record any more.", "Choose another one.", code="gone")
        return dict(row)

    def _is(self, row: Mapping[str, Any]) -> Any:
        return and_(*(self.table.c[name] == row[name] for name in self.catalog.key))

    def _name(self, row: Mapping[str, Any]) -> str:
        return f"{self.catalog.name} {', '.join(str(row[name]) for name in self.catalog.key)}"

    def _edit(self, connection: Connection, row: Mapping[str, Any]) -> str:
        name, value = self._change(row)
        kind = server_kind(self.spec.kind)
        connection.execute(update(self.table).where(self._is(row)).values({self.table.c[name]: kind.bound(value)}))
        return f"The colleague changed {name} of {self._name(row)} from {row[name]} to {value}."

    def _change(self, row: Mapping[str, Any]) -> tuple[str, Any]:
        """A column that may take another value, and that value."""
        bound = {n for reference in (*self.catalog.references, *self.catalog.uniques) for n in reference.columns}
        checked = " ".join(check.expression for check in self.catalog.checks)
        free = [c for c in self.catalog.columns if c.name not in bound | {*self.catalog.key, "version"}]
        texts = [c for c in free if _is_text(c.type_text) and c.name not in checked]
        texts = [c for c in texts if _size(c.type_text) >= 20] or texts
        if texts:
            column = self.dice.choice(texts)
            value = self.dice.choice([n for n in NOTES if n != row[column.name]])
            return column.name, value[: _size(column.type_text)]
        numbers = [c for c in free if isinstance(row[c.name], int | float) and not isinstance(row[c.name], bool)]
        if not numbers:
            raise Problem("There is nothing in this table that the colleague could change.", "Try another form.")
        column = self.dice.choice(numbers)
        return column.name, row[column.name] + 1

    def _enter(self, connection: Connection, row: Mapping[str, Any]) -> str:
        values = {n: v for n, v in row.items() if not self._made(n)}
        for name in self._to_be_new():
            values[name] = self._fresh(connection, name, row[name])
        connection.execute(insert(self.table).values({self.table.c[n]: v for n, v in values.items()}))
        return f"The colleague entered a new record in {self.catalog.name}, much like {self._name(row)}."

    def _made(self, name: str) -> bool:
        column = self.catalog.column(name)
        return column.numbered or column.computed

    def _to_be_new(self) -> Sequence[str]:
        """One column of each set that has to be unique."""
        sets = [unique.columns for unique in self.catalog.uniques] + [self.catalog.key]
        return list(dict.fromkeys(columns[-1] for columns in sets if not any(self._made(n) for n in columns)))

    def _fresh(self, connection: Connection, name: str, like: Any) -> Any:
        if name == "imo_no":
            return imo_number(self.dice.randrange(100_000, 999_999))
        if isinstance(like, int):
            return (connection.execute(select(func.max(self.table.c[name]))).scalar() or 0) + 1
        return "".join(self.dice.choices(string.ascii_uppercase + string.digits, k=min(len(str(like)), 8)))


def _is_text(declared: str) -> bool:
    return any(part in declared.upper() for part in ("CHAR", "TEXT"))


def _size(declared: str) -> int:
    """How many characters a declared type takes."""
    digits = "".join(c if c.isdigit() else " " for c in declared).split()
    return int(digits[0]) if digits else 200
