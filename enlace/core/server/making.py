"""Make tables and add columns: the statement first, in the server's own SQL, to be looked at before it is run."""

from __future__ import annotations

import csv
import datetime
import io
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
    Integer,
    LargeBinary,
    MetaData,
    Numeric,
    String,
    Table,
    Text,
    Time,
    insert,
    text,
)
from sqlalchemy.dialects.mysql import LONGBLOB
from sqlalchemy.schema import CreateColumn, CreateTable

from ..model.connection import ConnectionSpec
from ..problem import Problem
from .catalog import Catalog
from .engine import engine_for, writing

MOST_COLUMNS = 200
MOST_ROWS = 100_000
MOST_CHARACTERS = 8_000_000
KINDS = {
    "number": "Automatic number",
    "text": "Text",
    "longtext": "Long text",
    "whole": "Whole number",
    "decimal": "Decimal number",
    "yesno": "Yes or no",
    "date": "Date",
    "time": "Time",
    "datetime": "Date with time",
    "picture": "Picture",
}
# The names that Table Schema (Frictionless Standards, version 1) has for them.
SCHEMA_TYPES = {
    "number": "integer",
    "text": "string",
    "longtext": "string",
    "whole": "integer",
    "decimal": "number",
    "yesno": "boolean",
    "date": "date",
    "time": "time",
    "datetime": "datetime",
    "picture": "string",
}


@dataclass(frozen=True)
class NewColumn:
    """A column to make. size: most characters, or "digits, digits after the point"; "" for a usual one."""

    name: str
    kind: str
    size: str = ""
    needed: bool = False
    key: bool = False


def made_column(column: NewColumn) -> Column[Any]:
    """The column as SQLAlchemy knows it. Raises Problem."""
    if not column.name.strip() or len(column.name) > 60 or not column.name.isprintable():
        raise Problem("A column needs a name of at most 60 characters.", "Type one.", code="bad")
    if column.kind not in KINDS:
        raise Problem(f"{column.name} needs a kind.", "Choose one of the list.", code="bad")
    sizes = [int(n) for n in re.findall(r"\d+", column.size)[:2] if len(n) < 6]
    if column.kind == "number":
        return Column(column.name, Integer, primary_key=True, autoincrement=True)
    kind: Any = {
        "text": lambda: String(min(sizes[0], 10_000) if sizes and sizes[0] else 80),
        "longtext": Text,
        "whole": BigInteger,
        "decimal": lambda: Numeric(*(sizes if len(sizes) == 2 and 0 < sizes[1] <= sizes[0] <= 38 else (18, 4))),
        "yesno": Boolean,
        "date": Date,
        "time": Time,
        "datetime": DateTime,
        "picture": lambda: LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb"),
    }[column.kind]()
    return Column(
        column.name, kind, nullable=not (column.needed or column.key), primary_key=column.key, autoincrement=False
    )


def _table(name: str, columns: Sequence[NewColumn]) -> Table:
    if not name.strip() or len(name) > 60 or not name.isprintable():
        raise Problem("The table needs a name of at most 60 characters.", "Type one.", code="bad")
    if not columns:
        raise Problem("The table needs a column.", "Type its name and choose its kind.", code="bad")
    if len(columns) > MOST_COLUMNS:
        raise Problem(f"A table has at most {MOST_COLUMNS} columns here.", "Leave some out.", code="bad")
    names = [column.name.lower() for column in columns]
    doubled = next((n for n in names if names.count(n) > 1), None)
    if doubled:
        raise Problem(f"Two columns are called {doubled}.", "Name one of them otherwise.", code="bad")
    if sum(column.kind == "number" for column in columns) > 1:
        raise Problem("A table has one automatic number at most.", "Make the other a whole number.", code="bad")
    return Table(name, MetaData(), *(made_column(column) for column in columns))


def create_statement(spec: ConnectionSpec, name: str, columns: Sequence[NewColumn]) -> str:
    """The statement that makes a table on a connection's kind of server. Raises Problem."""
    return str(CreateTable(_table(name, columns)).compile(dialect=engine_for(spec).dialect)).strip()


def add_statement(spec: ConnectionSpec, table: str, column: NewColumn) -> str:
    """The statement that adds a column to a table. Raises Problem."""
    if column.kind == "number" or column.key:
        raise Problem("A key can't be added to a table that is there.", "Choose another kind.", code="bad")
    if column.needed:
        hint = "The rows that are there have no value for it. Add it without, fill it, and then ask for it."
        raise Problem("A column that needs a value can't be added.", hint, code="bad")
    made = Table(table, MetaData(), made_column(column))
    dialect = engine_for(spec).dialect
    quoted = dialect.identifier_preparer.quote_identifier(table)
    return f"ALTER TABLE {quoted} ADD COLUMN {CreateColumn(made.columns[0]).compile(dialect=dialect)}"


def run_statement(spec: ConnectionSpec, statement: str) -> None:
    """Run a statement that one of the functions above made. Raises Problem."""
    with writing(spec) as connection:
        connection.execute(text(statement.replace(":", "\\:")))


def make_table(
    spec: ConnectionSpec, name: str, columns: Sequence[NewColumn], rows: Sequence[Sequence[Any]] = ()
) -> None:
    """Make a table, and fill it with rows, all or nothing where the server can. Raises Problem."""
    table = _table(name, columns)
    if Catalog.of(spec).named(name) is not None:
        raise Problem(f"There is a table {name} already.", "Take another name.", code="bad")
    filled = [c.name for c in columns if c.kind != "number"]
    with writing(spec) as connection:
        connection.execute(CreateTable(table))
        if rows:
            connection.execute(insert(table), [dict(zip(filled, row, strict=True)) for row in rows])


# -- from a file -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Inferred:
    """What a file of rows suggests."""

    columns: tuple[NewColumn, ...]
    rows: tuple[tuple[Any, ...], ...]


def inferred(content: str, name: str = "") -> Inferred:
    """Columns and rows from the text of a CSV (RFC 4180) or JSON file (a list of objects). Raises Problem."""
    if len(content) > MOST_CHARACTERS:
        raise Problem("The file is too large.", "At most 8 million characters are read.", code="bad")
    if content.lstrip()[:1] in "[{" and content.strip():
        heads, rows = _from_json(content)
    else:
        heads, rows = _from_csv(content)
    if not heads or not rows:
        raise Problem("The file has no rows.", "Its first line names the columns; rows follow.", code="bad")
    if len(rows) > MOST_ROWS:
        raise Problem(f"The file has more than {MOST_ROWS:,} rows.", "Load it with the server's own tools.", code="bad")
    kinds = [_kind([row[i] for row in rows]) for i in range(len(heads))]
    columns = [NewColumn(head[:60], kind, size) for head, (kind, size) in zip(heads, kinds, strict=True)]
    values = tuple(tuple(_value(raw, column.kind) for raw, column in zip(row, columns, strict=True)) for row in rows)
    first = [row[0] for row in values]
    if columns[0].kind in ("whole", "text") and None not in first and len(set(first)) == len(first):
        columns[0] = NewColumn(columns[0].name, columns[0].kind, columns[0].size, key=True)
    else:
        number = next(n for n in ("id", "row_no", "enlace_no") if n not in {h.lower() for h in heads})
        columns.insert(0, NewColumn(number, "number"))
    return Inferred(tuple(columns), values)


def _from_csv(content: str) -> tuple[list[str], list[list[Any]]]:
    try:
        dialect: Any = csv.Sniffer().sniff(content[:20_000], delimiters=",;\t|")
    except csv.Error:
        dialect = csv.excel
    try:
        lines = [line for line in csv.reader(io.StringIO(content.lstrip("\ufeff")), dialect) if line]
    except csv.Error as error:
        raise Problem("The file is no CSV.", "Save it as comma-separated values.", str(error), "bad") from None
    if not lines:
        return [], []
    heads = [head.strip() or f"column_{i}" for i, head in enumerate(lines[0], 1)]
    odd = next((i for i, line in enumerate(lines[1:], 2) if len(line) != len(heads)), None)
    if odd is not None:
        raise Problem(f"Line {odd} has another number of values than the first.", "Mend it, and try again.", code="bad")
    return heads, [[name if name != "" else None for name in line] for line in lines[1:]]


def _from_json(content: str) -> tuple[list[str], list[list[Any]]]:
    try:
        content_read = json.loads(content, parse_float=Decimal)
    except (ValueError, RecursionError) as error:
        raise Problem("The file is no JSON.", "It has to be a list of objects.", str(error), "bad") from None
    if isinstance(content_read, dict):
        content_read = next((v for v in content_read.values() if isinstance(v, list)), [])
    if not isinstance(content_read, list) or not all(isinstance(item, dict) for item in content_read):
        raise Problem("The JSON is no list of objects.", "Each object is a row.", code="bad")
    heads = list(dict.fromkeys(str(key) for item in content_read for key in item))
    return heads, [[_plain(item.get(head)) for head in heads] for item in content_read]


def _plain(value: Any) -> Any:
    if value is None or value == "":
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    return json.dumps(value, default=str) if isinstance(value, list | dict) else str(value)


def _kind(values: Sequence[Any]) -> tuple[str, str]:
    """(kind, size) that all values of a column fit."""
    texts = [v for v in values if v is not None]
    for kind in ("yesno", "whole", "decimal", "date", "datetime", "time") if texts else ():
        if all(_read(v, kind) is not None for v in texts):
            return kind, ""
    longest = max((len(v) for v in texts), default=0)
    return ("longtext", "") if longest > 250 or any("\n" in v for v in texts) else ("text", str(max(longest, 20)))


def _value(raw: Any, kind: str) -> Any:
    return None if raw is None else _read(raw, kind)


def _read(raw: str, kind: str) -> Any:
    """A text as a value of a kind; None when it is none. Numbers with zeros in front are codes, and stay texts."""
    made = raw.strip()
    try:
        if kind == "yesno":
            return {"true": True, "false": False, "yes": True, "no": False}.get(made.lower())
        if kind == "whole":
            return int(made) if re.fullmatch(r"-?(0|[1-9]\d{0,17})", made, re.ASCII) else None
        if kind == "decimal":
            return Decimal(made) if re.fullmatch(r"-?(0|[1-9]\d{0,13})(\.\d{1,4})?", made, re.ASCII) else None
        if kind == "date":
            return datetime.date.fromisoformat(made) if re.fullmatch(r"\d{4}-\d\d-\d\d", made) else None
        if kind == "time":
            return datetime.time.fromisoformat(made) if re.fullmatch(r"\d\d:\d\d(:\d\d)?", made) else None
        if kind == "datetime":
            return (
                datetime.datetime.fromisoformat(made)
                if re.match(r"\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d)?$", made)
                else None
            )
    except (ValueError, InvalidOperation):
        return None
    return raw


def table_schema(columns: Sequence[NewColumn]) -> str:
    """The columns as a Table Schema (Frictionless Standards), to lie beside the data."""
    fields = []
    for column in columns:
        constraints: dict[str, Any] = (
            {"required": True} if column.needed or column.key or column.kind == "number" else {}
        )
        if column.kind == "text" and column.size.isdecimal():
            constraints["maxLength"] = int(column.size)
        fields.append(
            {
                "name": column.name,
                "type": SCHEMA_TYPES[column.kind],
                **({"format": "binary"} if column.kind == "picture" else {}),
                **({"constraints": constraints} if constraints else {}),
            }
        )
    keys = [column.name for column in columns if column.key or column.kind == "number"]
    return json.dumps({"fields": fields, **({"primaryKey": keys} if keys else {})}, indent=2, ensure_ascii=False)
