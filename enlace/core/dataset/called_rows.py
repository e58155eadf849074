"""The rows of a procedure, where a server gives them to a CALL only: a CALL stands in no SELECT, so that its rows could not be
ordered, filtered, or read by windows.

They are fetched, and go back with each statement as the JSON text of one parameter, which the server takes for a table
(JSON_TABLE of ISO/IEC 9075-2:2016). The procedure is run anew whenever rows are read, so they are as fresh as others.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Sequence
from decimal import Decimal
from functools import lru_cache
from typing import Any

from sqlglot.errors import SqlglotError

from ..model.dataset import CALLED, DatasetSpec, FieldSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.pieces import CALL, pieces_of
from .parameters import WRITES

MOST_CALLED = 10_000  # rows
ROW = "called__row"  # the column of a row's place among those that the procedure gave, which is their own order
# Types of columns by the kinds of fields. What does not fit one is told by the server: a NULL in its place would be a lie.
TYPES = {
    "whole": "BIGINT",
    "yesno": "BIGINT",
    "date": "DATE",
    "time": "TIME(6)",
    "datetime": "DATETIME(6)",
}
TEXT = "LONGTEXT CHARACTER SET utf8mb4"
BYTES = ("binary", "picture")
MOST_SCALE = 30  # MariaDB Server Documentation, "DECIMAL": of at most 65 digits, 38 behind the point; MySQL has 30


@lru_cache(maxsize=256)
def called_in(sql: str, server: str) -> str:
    """What stands after CALL where a text is one, on a server whose calls give rows; else ""."""
    if CALL not in sql.upper() or not server_kind(server).calls_give_rows:
        return ""
    try:
        pieces = list(pieces_of(sql, WRITES[server]))
    except SqlglotError:
        return ""
    return pieces[0].called if len(pieces) == 1 else ""


def columns_of(dataset: DatasetSpec) -> list[FieldSpec]:
    """The fields that a dataset's query gives, in the order in which they travel."""
    return [field for field in dataset.all if not field.formula]


def rows_table(dataset: DatasetSpec) -> str:
    """A SELECT of the rows that travel in the parameter CALLED."""
    shown, columns = [ROW], [f"{ROW} FOR ORDINALITY"]
    for place, field in enumerate(columns_of(dataset)):
        name = "`" + field.name.replace("`", "``") + "`"
        shown.append(f"UNHEX({name}) AS {name}" if field.kind in BYTES else name)
        columns.append(f"{name} {_type(field)} PATH '$[{place}]' NULL ON EMPTY ERROR ON ERROR")
    table = f"JSON_TABLE(:{CALLED}, '$[*]' COLUMNS ({', '.join(columns)}))"
    return f"SELECT {', '.join(shown)} FROM {table} AS called"  # noqa: S608 (names are quoted, values are bound)


def _type(field: FieldSpec) -> str:
    if field.kind == "decimal" and field.storage != "float":
        return f"DECIMAL(65, {min(MOST_SCALE, field.scale or 0)})"
    return "DOUBLE" if field.kind == "decimal" else TYPES.get(field.kind, TEXT)


def with_rows(dataset: DatasetSpec, names: Sequence[str], rows: Sequence[Sequence[Any]]) -> DatasetSpec:
    """The dataset with the rows of a call, as they travel. names: of the columns that it gave. Raises Problem."""
    places = {name: place for place, name in enumerate(names)}
    lacking = [field.label for field in columns_of(dataset) if field.name not in places]
    if lacking:
        what = f"The procedure does not give {', '.join(lacking)} any more."
        raise Problem(what, "Make the dataset anew from its query.", code="bad")
    order = [places[field.name] for field in columns_of(dataset)]
    text = json.dumps([[_plain(row[place]) for place in order] for row in rows], ensure_ascii=False)
    return dataset.with_parameters((*dataset.parameter_values, (CALLED, text)))


def _plain(value: Any) -> Any:
    if isinstance(value, bytes):
        return value.hex()
    if isinstance(value, datetime.datetime):
        return value.isoformat(" ")
    if isinstance(value, Decimal | datetime.date | datetime.time | datetime.timedelta):
        return str(value)
    return value
