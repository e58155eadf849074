"""How MariaDB's types come and go.

Numbers, texts, bytes, dates and datetimes are Python's own. The session's time zone is UTC, so TIMESTAMP columns show
UTC. A TIME of day is a time; one outside the day is text, as are dates that are none ('0000-00-00'). A FLOAT is
read as the shortest number that is the same FLOAT: the server itself would round it to six digits.
"""

from __future__ import annotations

import datetime
import re
from typing import Any

from ...model.catalog import Column

INTEGERS = {"tinyint": 8, "smallint": 16, "mediumint": 24, "int": 32, "integer": 32, "bigint": 64}
BYTES = {"blob", "tinyblob", "mediumblob", "longblob", "binary", "varbinary"}
TEXTS = {"tinytext", "text", "mediumtext", "longtext", "char", "varchar"}


def conversions() -> dict[Any, Any]:
    """PyMySQL's conversions with ours for TIME and BIT."""
    from pymysql.constants import FIELD_TYPE
    from pymysql.converters import conversions as standard

    return {**standard, FIELD_TYPE.TIME: _time, FIELD_TYPE.BIT: lambda value: int.from_bytes(value, "big")}


def _time(value: str | bytes) -> datetime.time | str:
    written = value.decode("ascii") if isinstance(value, bytes) else value
    try:
        return datetime.time.fromisoformat(written)
    except ValueError:
        return written


def column_of(row: Any) -> Column:
    """A column from the information schema's row."""
    extra, type_text = (row.extra or "").lower(), _text(row.type_text)
    default = None if row.plain_default is None else _text(row.plain_default)
    computed = "generated" in extra and "default_generated" not in extra
    facts: dict[str, Any] = dict(
        zip(("family", "storage", "length", "precision", "scale"), _family(row, type_text), strict=True)
    )
    choices = tuple(item.replace("''", "'") for item in re.findall(r"'((?:[^']|'')*)'", type_text))
    return Column(
        name=row.name,
        type_text=type_text,
        nullable=bool(row.optional),
        default=None if computed or default == "NULL" else default,
        numbered="auto_increment" in extra,
        computed=computed,
        choices=choices if row.base == "enum" else (),
        **facts,
    )


def _text(value: Any) -> str:
    return value.decode() if isinstance(value, bytes) else str(value)


def _family(row: Any, type_text: str) -> tuple[str, str, int | None, int | None, int | None]:
    """(family, storage, length, precision, scale) of a type."""
    base = row.base.lower()
    unsigned = "unsigned" in type_text
    if type_text.startswith("tinyint(1)") or type_text == "bit(1)":
        return "yes or no", "int", None, None, None
    if base in INTEGERS:
        return "whole", f"{'uint' if unsigned else 'int'}{INTEGERS[base] // 8}", None, None, None
    if base == "bit":
        return "whole", "uint8", None, None, None
    if base == "year":
        return "whole", "int2", None, None, None
    if base == "decimal":
        return "decimal", "exact", None, int(row.digits), int(row.scale)
    if base in ("float", "double"):
        return "decimal", "float32" if base == "float" else "float", None, None, None
    if base in ("date", "time", "datetime", "timestamp"):
        return {"date": "date", "time": "time"}.get(base, "date and time"), "native", None, None, None
    if base in BYTES:
        return "bytes", "", None, None, None
    if base in TEXTS:
        length = int(row.length) if row.length and int(row.length) < 65_535 else None
        return ("long text" if base in ("mediumtext", "longtext") else "text"), "", length, None, None
    if base in ("enum", "set", "uuid", "json", "inet6", "inet4"):
        return "text", base if base in ("uuid", "json") else "text", None, None, None
    return "shown", "", None, None, None
