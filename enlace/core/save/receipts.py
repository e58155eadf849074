"""Receipts: a row that a save leaves in the database, so that its outcome can always be asked for.

The row is written in the save's own transaction: it is there if and only if the save was committed. Each draft
has one row at most, which its next save replaces. A builder decides whether a connection may have such a table.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import Column, MetaData, String, Table, Text, delete, insert, select, update
from sqlalchemy.engine import Connection
from sqlalchemy.exc import IntegrityError
from sqlalchemy.schema import CreateTable
from sqlalchemy.sql.elements import quoted_name

from ..model.connection import ConnectionSpec
from ..problem import Problem
from ..server.engine import writing

NAME = "enlace_receipt"
Ids = Mapping[str, Mapping[str, str]]


@dataclass(frozen=True)
class Receipt:
    """What a save signs with. draft: whose save it is. save: a token of this one save."""

    draft: str
    save: str


def _table(name: str) -> Table:
    return Table(
        quoted_name(name, True),
        MetaData(),
        Column("draft", String(60), primary_key=True),
        Column("save", String(60), nullable=False),
        Column("ids", Text, nullable=False),
    )


def create_statement(spec: ConnectionSpec, name: str = NAME) -> str:
    """The statement that makes the table, to be shown before it runs."""
    from ..server.engine import engine_for

    return str(CreateTable(_table(name)).compile(engine_for(spec))).strip()


def make_table(spec: ConnectionSpec, name: str = NAME) -> None:
    """Make the table where it is missing. Raises Problem."""
    with writing(spec) as connection:
        _table(name).create(connection, checkfirst=True)


def found(connection: Connection, spec: ConnectionSpec, receipt: Receipt) -> Ids | None:
    """By part and record id, the ids that a committed save gave; None when that save was never committed."""
    table = _table(spec.receipts)
    row = connection.execute(
        select(table.c.ids).where(table.c.draft == receipt.draft, table.c.save == receipt.save)
    ).first()
    return None if row is None else json.loads(row[0])


def sign(connection: Connection, spec: ConnectionSpec, receipt: Receipt) -> None:
    """Begin the receipt. Waits for another save of the same draft that is still under way."""
    table = _table(spec.receipts)
    connection.execute(delete(table).where(table.c.draft == receipt.draft))
    try:
        connection.execute(insert(table).values(draft=receipt.draft, save=receipt.save, ids="{}"))
    except IntegrityError:
        # That save has just been committed: look at its receipt first.
        raise Problem("Another save of this draft was under way.", "Save again.", code="serialization") from None


def seal(connection: Connection, spec: ConnectionSpec, receipt: Receipt, ids: Ids) -> None:
    """Complete the receipt with what the save came to."""
    table = _table(spec.receipts)
    connection.execute(update(table).where(table.c.draft == receipt.draft).values(ids=json.dumps(ids)))
