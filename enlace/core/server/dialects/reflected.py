"""Servers that are read through SQLAlchemy's own reflection, their drivers installed by whoever needs them.

They have not been tried on a server of their kind yet; the connection's page says so.
"""

from __future__ import annotations

import importlib.util
from collections.abc import Hashable

from sqlalchemy import URL, create_engine, inspect, types
from sqlalchemy.engine import Connection, Engine

from ...model.catalog import Column
from ...model.connection import ConnectionSpec
from ..limits import CONNECT_SECONDS
from ..refusal import Refusal
from .network import NetworkServer

FAMILIES: tuple[tuple[type, str], ...] = (
    (types.Boolean, "yes or no"), (types.Integer, "whole"), (types.DateTime, "date and time"), (types.Date, "date"),
    (types.Time, "time"), (types.LargeBinary, "bytes"), (types.Numeric, "decimal"), (types.String, "text"),
)  # fmt: skip


class ReflectedServer(NetworkServer):
    """driver: the package to install. scheme: SQLAlchemy's name for it. codes: the server's error numbers by case."""

    nulls_first = True
    tried = False
    driver: str
    scheme: str
    codes: dict[int, str]

    def missing(self) -> str:
        if importlib.util.find_spec(self.driver) is not None:
            return ""
        return (
            f"Install the package {self.driver} where Enlace runs (pip install {self.driver}), then start Enlace anew."
        )

    def make_engine(self, spec: ConnectionSpec) -> Engine:
        return create_engine(
            self.url(spec), pool_size=8, max_overflow=16, pool_pre_ping=True, pool_timeout=CONNECT_SECONDS
        )

    def url(self, spec: ConnectionSpec) -> URL:
        place = (spec["user"], spec.secret or None, spec["host"], self.port_of(spec))
        return URL.create(self.scheme, *place, spec["database"])

    def begin(self, connection: Connection, write: bool) -> None:
        connection.begin()

    def refusal(self, error: BaseException | None) -> Refusal:
        number = self.number_of(error)
        return Refusal(self.codes.get(number, "other" if number else "away"), str(error))

    def number_of(self, error: BaseException | None) -> int:
        """The server's error number, 0 when it gave none."""
        first = next(iter(getattr(error, "args", ())), 0)
        return first if isinstance(first, int) else 0

    def declared_columns(self, connection: Connection, table: str) -> list[Column]:
        columns = []
        for column in inspect(connection).get_columns(table):
            kind = column["type"]
            family = next((name for base, name in FAMILIES if isinstance(kind, base)), "shown")
            columns.append(
                Column(
                    name=column["name"],
                    type_text=str(kind.compile(connection.dialect)),
                    nullable=bool(column["nullable"]),
                    default=column.get("default"),
                    numbered=bool(column.get("identity")) or column.get("autoincrement") is True,
                    computed=bool(column.get("computed")),
                    family=family,
                    storage="exact" if family == "decimal" else "native" if family in ("date", "date and time") else "",
                    length=getattr(kind, "length", None) if family == "text" else None,
                    precision=getattr(kind, "precision", None) if family == "decimal" else None,
                    scale=getattr(kind, "scale", None) if family == "decimal" else None,
                )
            )
        return columns

    def check_texts(self, connection: Connection, table: str) -> list[tuple[str, str]]:
        try:
            return [(str(c["name"]), c["sqltext"]) for c in inspect(connection).get_check_constraints(table)]
        except NotImplementedError:
            return []

    def unique_sets(self, connection: Connection, table: str) -> list[tuple[str, tuple[str, ...]]]:
        indexes = inspect(connection).get_indexes(table)
        return [(str(i["name"]), tuple(c for c in i["column_names"] if c)) for i in indexes if i["unique"]]

    def has_triggers(self, connection: Connection, table: str) -> bool:
        return True  # not asked: what was written is read back

    def catalog_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        return None

    def change_stamp(self, spec: ConnectionSpec, engine: Engine) -> Hashable:
        return None
