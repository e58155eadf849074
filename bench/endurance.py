"""Longer runs of what the tests try briefly: many people at once, and savers and servers that are killed.

Nothing here is a ratio: each line counts what went wrong, and must be 0. Servers are killed with a process beside them
that keeps a core busy, since what a busy machine delays is what goes wrong.
"""

from __future__ import annotations

import multiprocessing
import random
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from enlace.core.model.connection import ConnectionSpec
from enlace.core.server import forget_engines
from scripts import crash, stress
from scripts.throwaway import KINDS

from .results import Results

PEOPLE, SECONDS, CRASHES = 8, 40, 100
DRIVERS = {"postgresql": "postgresql+psycopg", "mariadb": "mysql+pymysql"}


def main(results: Results) -> None:
    """On a file, and on throwaway servers that write through to the disk."""
    with tempfile.TemporaryDirectory(prefix="enlace-bench-") as folder:
        path = str(Path(folder) / "endurance.sqlite3")
        sqlite3.connect(path).close()
        spec = ConnectionSpec.of("sqlite", path=path)
        _stress(results, "SQLite", spec, f"sqlite:///{path}")
        _crash(results, "SQLite", crash.Crashes(spec, f"sqlite:///{path}", random.Random(1)), CRASHES)
    for kind, make in KINDS.items():
        server = make(safe=True)
        server.start()
        try:
            spec = ConnectionSpec.of(kind, server.password, **server.parameters)
            place = f"{server.user}:{server.password}@127.0.0.1:{server.port}/{server.database}"
            address = f"{DRIVERS[kind]}://{place}"
            _stress(results, kind, spec, address)
            _crash(results, kind, crash.Crashes(spec, address, random.Random(2)), CRASHES)
        finally:
            forget_engines()
            server.end()
    servers_killed(results, CRASHES)


def servers_killed(results: Results, times: int, seed: int = 5) -> None:
    """Each server killed in the middle of saves and started again, `times` times, a core kept busy beside it."""
    for kind, make in KINDS.items():
        server = make(safe=True)
        server.start()
        spec = ConnectionSpec.of(kind, server.password, **server.parameters)
        place = f"{server.user}:{server.password}@127.0.0.1:{server.port}/{server.database}"
        killed = crash.Crashes(spec, f"{DRIVERS[kind]}://{place}", random.Random(seed), server.stop, server.start)
        try:
            with _busy():
                _crash(results, f"{kind}, the server killed", killed, times)
        finally:
            forget_engines()
            server.end()


def _spin() -> None:
    while True:
        pass


@contextmanager
def _busy() -> Iterator[None]:
    beside = multiprocessing.get_context("fork").Process(target=_spin, daemon=True)
    beside.start()
    try:
        yield
    finally:
        beside.kill()
        beside.join()


def _stress(results: Results, name: str, spec: ConnectionSpec, address: str) -> None:
    looker = crash.Crashes(spec, address, random.Random(0))
    for statement in stress.schema(spec.kind):
        looker.run(statement)
    forget_engines()
    told = stress.run(spec, PEOPLE, SECONDS)
    rows = looker.run("SELECT id, a, b, c FROM stress")
    wrong = stress.replayed(told, {f"i{row[0]}": dict(zip(stress.FIELDS, row[1:], strict=True)) for row in rows})
    print(f"     {name}, {PEOPLE} people, {SECONDS} s: {dict(stress.totals(told))} {wrong[:5] or ''}")
    results.bound(f"what a replay of {PEOPLE} people's saves on {name} finds wrong", len(wrong), "things", 0)


def _crash(results: Results, name: str, crashes: crash.Crashes, times: int) -> None:
    crashes.prepare()
    counts, wrong = crash.several(crashes, times)
    print(f"     {name}, {times} crashes: {dict(counts)} {wrong[:5] or ''}")
    results.bound(f"what {times} crashes of a save on {name} leave wrong", len(wrong), "things", 0)
