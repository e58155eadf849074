"""Rows of Enlace's own tables, written many at once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db import connections, models, router


def insert(model: type[models.Model], names: Sequence[str], rows: Iterable[Sequence[Any]], conflict: str = "") -> None:
    """Insert rows with one statement for all of them. names: of the fields that they fill, which is all that have no value
    of their own. rows: as the database has them. conflict: what follows in SQL.

    `bulk_create` makes an instance and a text of placeholders for each row, which takes five times as long as SQLite does,
    and a block from a spreadsheet or a file has many thousands.
    """
    connection = connections[router.db_for_write(model)]
    quoted, meta = connection.ops.quote_name, model._meta
    columns = ", ".join(quoted(meta.get_field(name).column) for name in names)
    marks = ", ".join(["%s"] * len(names))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {quoted(meta.db_table)} ({columns}) VALUES ({marks}) {conflict}",  # noqa: S608 (our own names)
            list(rows),
        )
