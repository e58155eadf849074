"""The three servers that behaviour is tested on: throwaway ones, started once for a test run.

`Place` is an empty database on one of them; what another program does there goes through its own engine.
"""

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace
from functools import lru_cache
from typing import Any
from unittest import mock

from sqlalchemy import (
    CheckConstraint,
    Column,
    Date,
    DateTime,
    ForeignKey,
    Integer,
    MetaData,
    Numeric,
    SmallInteger,
    String,
    Table,
    Text,
    Time,
    UniqueConstraint,
    create_engine,
    event,
    text,
)
from sqlalchemy.engine import URL, Engine

from enlace.core.draft.pending import new_record, with_text
from enlace.core.model.connection import ConnectionSpec
from scripts.throwaway import KINDS, Throwaway
from tests.harbour import ENGLISH, Bench, forget, new_path

SERVERS = ("sqlite", "postgresql", "mariadb")
_numbers = itertools.count(1)


@lru_cache(maxsize=4)
def server(kind: str) -> Throwaway:
    """A server of the kind, started at first use and ended with the process."""
    host = KINDS[kind]()
    host.start()
    return host


class Place:
    """An empty database. spec: how Enlace reaches it. engine: how another program does."""

    def __init__(self, kind: str) -> None:
        self.kind = kind
        if kind == "sqlite":
            path = str(new_path())
            self.spec = ConnectionSpec.of("sqlite", path=path)
            self.engine: Engine = create_engine(f"sqlite:///{path}")
            event.listen(self.engine, "connect", lambda driver, _: driver.execute("PRAGMA foreign_keys = ON"))
            return
        host, name = server(kind), f"place_{next(_numbers)}"
        driver = {"postgresql": "postgresql+psycopg", "mariadb": "mysql+pymysql"}[kind]
        address = URL.create(driver, host.user, host.password, "127.0.0.1", host.port, host.database)
        related = create_engine(address, isolation_level="AUTOCOMMIT")
        with related.connect() as db:
            db.execute(text(f"CREATE DATABASE {name}" + (" CHARACTER SET utf8mb4" if kind == "mariadb" else "")))
        related.dispose()
        self.engine = create_engine(address.set(database=name))
        self.spec = ConnectionSpec.of(kind, host.password, **{**host.parameters, "database": name})

    def run(self, sql: str, **values: Any) -> list[tuple]:
        """What another program does or sees."""
        with self.engine.begin() as db:
            result = db.execute(text(sql), values)
            return [tuple(row) for row in result] if result.returns_rows else []

    def close(self) -> None:
        self.engine.dispose()


def yard(place: Place) -> MetaData:
    """Tables that any office might have, made by another program in the server's own way."""
    made = MetaData()
    Table(
        "agent",
        made,
        Column("id", Integer, primary_key=True),
        Column("name", String(40), nullable=False, unique=True),
        Column("chief_id", ForeignKey("agent.id")),
    )
    Table(
        "shipment",
        made,
        Column("id", Integer, primary_key=True),
        Column("code", String(12), nullable=False),
        Column("agent_id", ForeignKey("agent.id"), nullable=False),
        Column("weight", Numeric(9, 3)),
        Column("pieces", SmallInteger, nullable=False, server_default="1"),
        Column("day", Date),
        Column("clock", Time),
        Column("at", DateTime),
        Column("remarks", Text),
        CheckConstraint("weight > 0", name="weight_positive"),
        UniqueConstraint("code", name="one_code"),
    )
    Table(
        "Leg of way",
        made,
        Column("shipment_id", ForeignKey("shipment.id"), primary_key=True),
        Column("order", Integer, primary_key=True, autoincrement=False),
        Column("place", String(20), nullable=False),
    )
    made.create_all(place.engine)
    with place.engine.begin() as db:
        db.execute(made.tables["agent"].insert(), [{"id": n, "name": f"Agent {n}"} for n in (1, 2, 3)])
        several = [
            {"code": f"S-{n:03}", "agent_id": 1 + n % 3, "weight": None if n % 7 == 0 else n * 5 % 100 + 1}
            for n in range(1, 401)
        ]
        db.execute(made.tables["shipment"].insert(), several)
        legs = [{"shipment_id": 1, "order": n, "place": f"Quay {n}"} for n in (1, 2, 3)]
        db.execute(made.tables["Leg of way"].insert(), legs)
        if place.kind == "postgresql":
            db.execute(text("SELECT setval('agent_id_seq', 3)"))
    return made


class OnServer:
    """A test of behaviour that holds on every server; `on_each_server` makes a test case of it for each.

    Locks are waited for briefly, so that a test of them is quick.
    """

    kind = ""

    @classmethod
    def setUpClass(cls):
        from enlace.core.server.dialects import mariadb, postgresql, sqlite

        module, name, value = {
            "sqlite": (sqlite, "WAIT_FOR_LOCK_MS", 300),
            "postgresql": (postgresql, "LOCK_SECONDS", 1),
            "mariadb": (mariadb, "LOCK_SECONDS", 1),
        }[cls.kind]
        cls.enterClassContext(mock.patch.object(module, name, value))

    def setUp(self):
        self.place = Place(self.kind)
        self.addCleanup(self.place.close)
        self.addCleanup(forget)
        self.prepare()
        self.spec = self.place.spec

    def prepare(self):
        yard(self.place)

    def bench(self, table: str) -> Bench:
        return Bench(self.spec, table)

    def new(self, bench: Bench, waits_for=None, **texts):
        """A new record with texts typed into its fields. under: fields that take the key of other new records."""
        record = new_record()
        for name, typed in texts.items():
            record = with_text(record, bench.dataset.by_name[name], typed, ENGLISH)
        return replace(
            record, waits_for={n: ("" if len(u) < 3 else u[0], *u[-2:]) for n, u in (waits_for or {}).items()}
        )


def on_each_server(namespace: dict, *tests: type, servers: tuple[str, ...] = SERVERS) -> None:
    """Put a test case for each server into a module's namespace, for each class of tests. servers: that have what is tested."""
    for test in tests:
        for kind in servers:
            name = f"{test.__name__}_{kind}"
            namespace[name] = type(name, (test, unittest.TestCase), {"kind": kind, "__module__": test.__module__})
