"""How PostgreSQL's types come and go.

Numbers, truth values, texts, bytes, dates, times and timestamps are Python's own; a timestamp with time zone is an
aware datetime in UTC. Every other type (UUID, JSON, interval, network addresses, enumerations, arrays, ranges …)
comes as the server writes it, as text, and goes back as text that the server reads: nothing is lost on the way.
The same holds for dates that Python lacks (infinity, years before 1 and after 9999).
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

from ...model.catalog import Column

AS_THEY_ARE = {
    "bool", "int2", "int4", "int8", "float4", "float8", "numeric", "bytea", "date", "time", "timestamp", "timestamptz",
    "text", "varchar", "name", "oid",
}  # fmt: skip
# No two values of these are in any order, or equal (PostgreSQL, "Geometric Functions and Operators", 9.11).
INCOMPARABLE = ("point", "line", "lseg", "box", "path", "polygon", "circle")
INTEGERS = {"smallint": "int2", "integer": "int4", "bigint": "int8"}
# Types whose text form can be typed: storage → the type's name starts so.
TYPED_AS_TEXT = {
    "uuid": "uuid", "json": "json", "jsonb": "json", "interval": "interval", "inet": "inet", "cidr": "text",
    "macaddr": "text", "time with time zone": "text", "money": "text", "bit": "text",
    "bit varying": "text", "citext": "text", "\"char\"": "text", "name": "text",
}  # fmt: skip


@lru_cache(maxsize=1)
def _loaders() -> list[tuple[int, Any]]:
    """(type's oid, loader) for the types that psycopg would convert and we don't."""
    import psycopg
    from psycopg.types.datetime import DateLoader, TimeLoader, TimestampLoader, TimestamptzLoader
    from psycopg.types.string import TextLoader

    def forgiving(loader: Any) -> Any:
        class Forgiving(loader):
            def load(self, data: Any) -> Any:
                try:
                    return super().load(data)
                except (psycopg.DataError, ValueError, OverflowError):
                    return bytes(data).decode()

        return Forgiving

    class Padded(TextLoader):
        """char(n): the blanks that fill it up mean nothing (PostgreSQL, "Character Types")."""

        def load(self, data: Any) -> Any:
            value = super().load(data)
            return value.rstrip(" ") if isinstance(value, str) else value

    dates = {"date": DateLoader, "time": TimeLoader, "timestamp": TimestampLoader, "timestamptz": TimestamptzLoader}
    loaders = []
    for info in psycopg.adapters.types:
        if info.name in dates:
            loaders.append((info.oid, forgiving(dates[info.name])))
        elif info.name == "bpchar":
            loaders.append((info.oid, Padded))
        elif info.name not in AS_THEY_ARE:
            loaders.append((info.oid, TextLoader))
        if info.array_oid:
            loaders.append((info.array_oid, TextLoader))
    return loaders


def read_as_they_are(driver: Any) -> None:
    """Set up a psycopg connection to give values as this module says."""
    for oid, loader in _loaders():
        driver.adapters.register_loader(oid, loader)


def column_of(row: Any) -> Column:
    """A column from the catalog's row."""
    numbered = bool(row.identity) or "nextval(" in (row.default or "")
    facts: dict[str, Any] = dict(
        zip(("family", "storage", "length", "precision", "scale"), _family(row.base, row.sort), strict=True)
    )
    return Column(
        name=row.name,
        type_text=row.type_text,
        nullable=not row.needed and not row.strict,
        default=None if row.computed else row.default,
        numbered=numbered,
        computed=bool(row.computed),
        choices=tuple(row.choices.split("\n")) if row.choices else (),
        **facts,
    )


def _family(base: str, sort: str) -> tuple[str, str, int | None, int | None, int | None]:
    """(family, storage, length, precision, scale) of a type by the name that format_type gives it."""
    sizes = [int(n) for n in re.findall(r"-?\d+", base[base.find("(") :])] if "(" in base else []
    name = re.sub(r"\(.*?\)", "", base).strip()
    if base.endswith("[]"):
        return "shown", "", None, None, None
    if sort == "e":
        return "text", "", None, None, None
    if sort == "c" or name in INCOMPARABLE:
        return "shown", "incomparable", None, None, None
    if name == "xml":
        return "long text", "", None, None, None
    if name in INTEGERS:
        return "whole", INTEGERS[name], None, None, None
    if name in ("character varying", "character"):
        return "text", "", sizes[0] if sizes else None, None, None
    if name == "text":
        return "text", "", None, None, None
    if name == "numeric":
        precision = sizes[0] if sizes else None
        return "decimal", "exact nan", None, precision, sizes[1] if len(sizes) > 1 else (0 if sizes else None)
    if name in ("real", "double precision"):
        return "decimal", "float32 nan" if name == "real" else "float nan", None, None, None
    plain = {
        "boolean": ("yes or no", ""),
        "date": ("date", "native"),
        "time without time zone": ("time", "native"),
        "timestamp without time zone": ("date and time", "native"),
        "timestamp with time zone": ("date and time", "native utc"),
        "bytea": ("bytes", ""),
    }
    if name in plain:
        return (*plain[name], None, None, None)
    if name in TYPED_AS_TEXT:
        return "text", TYPED_AS_TEXT[name], None, None, None
    return "shown", "", None, None, None
