"""Field kinds from the declared types of columns and what their rows hold."""

from __future__ import annotations

import datetime
import re
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from ...kinds import is_picture
from ...model.catalog import Column, Table
from ...model.dataset import ColumnSpec

NAMING = re.compile(r"name|title|label|caption|subject|nome", re.I)
# Names of types that the standard or many servers share (SQLite, "Datatypes In SQLite", section 3.1.1, and common practice).
TYPES = re.compile(
    r"(UNSIGNED )?(BIG |TINY|SMALL|MEDIUM|BIG)?INT(EGER)?[248]?( UNSIGNED)?|BIT|BOOL(EAN)?|"
    r"(NATIVE |VARYING |N|VAR|NVAR|LONGVAR)?CHAR(ACTER)?( VARYING)?2?|(TINY|MEDIUM|LONG)?TEXT|N?CLOB|STRING|UUID|"
    r"(TINY|MEDIUM|LONG)?BLOB|(VAR)?BINARY|IMAGE|REAL|DOUBLE( PRECISION)?|FLOAT[48]?|"
    r"DEC(IMAL)?|NUMERIC|NUMBER|(SMALL)?MONEY|DATE|TIME|DATETIME2?|TIMESTAMP|(TIME|TIMESTAMP) WITH(OUT)? TIME ZONE|TIMESTAMPTZ"
)


def is_made_up(column: Column) -> bool:
    """Whether a column's declared type is a word of somebody's own, or none, so that its rows tell what it holds."""
    return not column.family and not TYPES.fullmatch(column.type_text.upper().split("(")[0].strip())


JSON_CHECK = re.compile(r'\(*\s*JSON_VALID\s*\(["`\[]?([^"`\])]+)["`\]]?\)(\s+OR\s+\S+\s+IS\s+NULL)?[\s)]*', re.I)


def json_columns(table: Table) -> set[str]:
    """The columns that a condition of the table wants JSON in: the field's own check tells that better."""
    return {match[1] for check in table.checks if (match := JSON_CHECK.fullmatch(check.expression))}


def kind_of(column: Column, table: Table, values: list[Any]) -> tuple[str, dict[str, Any]]:
    """The field kind for a column, and what its declared type says of length, precision, scale and storage.

    Declared types are read as SQLite reads them (SQLite, "Datatypes In SQLite", section 3.1), with the
    standard's names for dates, times and truth values before that; undeclared ones are judged by values.
    """
    if column.storage == "json" or column.name in json_columns(table):
        return "longtext", {"storage": "json"}
    if column.family:
        return _kind_of_family(column, values)
    texts = any(isinstance(v, str) for v in values)
    if is_made_up(column) and texts and any(isinstance(v, int | float) for v in values):
        return "text", {"storage": "any"}  # numbers and texts side by side stay what they are
    declared = column.type_text.upper()
    size = [int(n) for n in re.findall(r"\d+", declared[declared.find("(") :])] if "(" in declared else []
    name = declared.split("(")[0].strip()
    if "BOOL" in name or (("INT" in name or name == "BIT") and _is_flag(column, table)):
        return "yesno", {"storage": "int"}
    if "TIMESTAMP" in name or "DATETIME" in name:
        return "datetime", {}
    if name == "DATE":
        return "date", {}
    if name.startswith("TIME"):
        return "time", {}
    if is_made_up(column) and texts:
        return kind_of_values(values)
    if "INT" in name:
        return "whole", {}
    if any(part in name for part in ("CHAR", "CLOB", "TEXT", "UUID", "STRING")):
        return _text_kind(name, size, column, values)
    if "BLOB" in name or "BINARY" in name or "IMAGE" in name:
        return _bytes_kind(column, values), {}
    if any(part in name for part in ("REAL", "FLOA", "DOUB")):
        return "decimal", {"storage": "float"}
    if any(part in name for part in ("DEC", "NUMERIC", "MONEY", "NUMBER")):
        scale = size[1] if len(size) > 1 else (0 if size else None)
        return "decimal", {"storage": "numeric15", "precision": size[0] if size else None, "scale": scale}
    return kind_of_values(values)


FAMILIES = {
    "whole": "whole",
    "decimal": "decimal",
    "yes or no": "yesno",
    "date": "date",
    "time": "time",
    "date and time": "datetime",
    "shown": "text",
}


def _kind_of_family(column: Column, values: list[Any]) -> tuple[str, dict[str, Any]]:
    """The kind where the server's own type settles it."""
    facts = {"storage": column.storage, "precision": column.precision, "scale": column.scale}
    if column.family == "bytes":
        return _bytes_kind(column, values), {}
    if column.family == "long text":
        return "longtext", {"length": column.length}
    if column.storage == "incomparable":
        return "longtext", {}  # as one it is neither sorted by nor counted
    if column.family == "text":
        unbounded = column.type_text.lower() == "text" and not column.storage
        size = [column.length] if column.length else []
        kind, facets = _text_kind("TEXT" if unbounded else "CHAR", size, column, values)
        return ("text" if column.choices else kind), {**facets, "length": column.length, "storage": column.storage}
    return FAMILIES[column.family], facts


def _bytes_kind(column: Column, values: list[Any]) -> str:
    pictures = any(isinstance(v, bytes) and is_picture(v) for v in values)
    named = re.search(r"photo|picture|image|portrait|logo|thumbnail|cover|avatar|icon", column.name, re.I)
    return "picture" if pictures or (named and not values) else "binary"


def _text_kind(name: str, size: list[int], column: Column, values: list[Any]) -> tuple[str, dict[str, Any]]:
    length = size[0] if size else None
    texts = [v for v in values if isinstance(v, str)]
    long_by_name = re.search(r"remark|note|comment|description|text|body|memo", column.name, re.I)
    long_by_value = any("\n" in v or len(v) > 120 for v in texts)
    # A declared length alone says little: some schemas give every text 2 000 characters.
    long_by_size = (length or 0) > 300 and (long_by_name or not (texts or NAMING.search(column.name)))
    if long_by_value or long_by_size or (length is None and "CHAR" not in name and long_by_name):
        return "longtext", {"length": length}
    return "text", {"length": length}


def kind_of_values(values: Sequence[Any]) -> tuple[str, dict[str, Any]]:
    """The field kind for values that no declared type speaks of."""
    kinds = {type(v) for v in values}
    for kind_of_value, kind in BY_TYPE.items():
        if kinds == {kind_of_value}:
            return kind, {"storage": "native"} if kind in ("date", "time", "datetime") else {}
    if kinds and kinds <= {int, float, Decimal}:
        return "decimal", {"storage": "float"} if float in kinds else {}
    if kinds == {bytes}:
        return ("picture" if any(is_picture(v) for v in values) else "binary"), {}
    return ("longtext" if any(isinstance(v, str) and "\n" in v for v in values) else "text"), {}


BY_TYPE = {
    int: "whole",
    bool: "yesno",
    datetime.date: "date",
    datetime.time: "time",
    datetime.datetime: "datetime",
}


def _is_flag(column: Column, table: Table) -> bool:
    """Whether the table's CHECK allows a whole-number column the values 0 and 1 only."""
    name = re.escape(column.name)
    pattern = rf'\s*[\("`\[]*{name}["`\]]*\s+IN\s*\(\s*0\s*,\s*1\s*\)\s*\)?\s*|\s*[\("`\[]*{name}["`\]]*\s+BETWEEN\s+0\s+AND\s+1\s*\)?\s*'
    return any(re.fullmatch(pattern, check.expression, re.I) for check in table.checks)


def column_specs(table: Table) -> tuple[ColumnSpec, ...]:
    """The columns of a table as expressions and lookups know them; judged by their declared types alone."""
    columns = []
    for column in table.columns:
        kind, facts = kind_of(column, table, [])
        columns.append(ColumnSpec(column.name, kind, facts.get("storage") or column.storage, column.nullable))
    return tuple(columns)
