"""Tables and columns as SQL parts whose names are always quoted by the dialect."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from sqlalchemy import TableClause, column, literal_column, table
from sqlalchemy.sql.elements import ColumnClause, quoted_name
from sqlalchemy.types import TypeEngine, UserDefinedType


class Raw(UserDefinedType[Any]):
    """Values that come and go as the driver has them: neither converted nor cast."""

    cache_ok = True

    def coerce_compared_value(self, op: Any, value: Any) -> TypeEngine[Any]:
        return self  # what a column is compared with goes to the driver as it is, too


class Single(Raw):
    """IEEE 754 singles: what they are compared with is rounded as they are, since 1.1 is another number as a double."""

    cache_ok = True

    def bind_processor(self, dialect: Any) -> Any:
        return single_of


class RoundedSingle(Single):
    """FLOAT of MariaDB, which it rounds to six digits in its answers: read as DOUBLE, then written shortest."""

    cache_ok = True

    def column_expression(self, column: Any) -> Any:
        return column + literal_column("0e0")

    def result_processor(self, dialect: Any, coltype: Any) -> Any:
        return shortest_single


def single_of(value: Any) -> Any:
    """A number as a column of IEEE 754 singles holds it, for a comparison with that; what is too large for one as it is."""
    if not isinstance(value, int | float | Decimal):
        return value
    try:
        return struct.unpack("f", struct.pack("f", value))[0]
    except OverflowError:
        return value


def shortest_single(value: Any) -> Any:
    """The number with the fewest digits that is the same IEEE 754 single as `value`."""
    if not isinstance(value, float):
        return value
    packed = struct.pack("f", value)
    for digits in range(6, 10):
        short = float(f"{value:.{digits}g}")
        if struct.pack("f", short) == packed:
            return short
    return value


def quoted_table(name: str, columns: Iterable[str], types: Mapping[str, type[Raw]] | None = None) -> TableClause:
    """A table with untyped columns: values come and go as the driver has them.

    A column is always written together with its table: SQLite takes a quoted name that it does not know
    for a text, but not after a table's name (SQLite, "Quirks", section 8).
    types: of those that hold IEEE 754 singles.
    """
    return table(quoted_name(name, True), *(quoted_column(c, (types or {}).get(c, Raw)) for c in columns))


def quoted_column(name: str, kind: type[Raw] = Raw) -> ColumnClause:
    """One untyped column."""
    return column(quoted_name(name, True), kind())
