"""Tables and columns as SQL parts whose names are always quoted by the dialect."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import TableClause, column, table
from sqlalchemy.sql.elements import ColumnClause, quoted_name


def quoted_table(name: str, columns: Iterable[str]) -> TableClause:
    """A table with untyped columns: values come and go as the driver has them.

    A column is always written together with its table: SQLite takes a quoted name that it does not know
    for a text, but not after a table's name (SQLite, "Quirks", section 8).
    """
    return table(quoted_name(name, True), *(quoted_column(c) for c in columns))


def quoted_column(name: str) -> ColumnClause:
    """One untyped column."""
    return column(quoted_name(name, True))
