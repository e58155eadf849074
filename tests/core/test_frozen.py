"""A server that is there and does not answer: a form gets a sentence, never a page that loads for ever."""

from __future__ import annotations

import os
import signal
import subprocess
import time
import unittest
from pathlib import Path
from unittest import mock

import pymysql
from sqlalchemy import text

from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.server import forget_engines, reading
from enlace.core.server.dialects import mariadb, postgresql_waiting, server_kind
from enlace.core.server.engine import engine_for
from scripts.throwaway import KINDS
from tests.servers import Place


class Frozen:
    kind = ""

    def all_processes(self, how: signal.Signals) -> None:
        """Stop or go on with the server's processes; PostgreSQL has one for each connection."""
        table = subprocess.run(["ps", "-eo", "pid=,ppid="], capture_output=True, text=True, check=True).stdout
        parents = {int(pid): int(parent) for pid, parent in (line.split() for line in table.splitlines())}
        for pid, parent in parents.items():
            if self.server.process.pid in (pid, parent):
                os.kill(pid, how)
                while how == signal.SIGSTOP and not self.stands_still(pid):
                    time.sleep(0.01)  # on a busy machine its threads run on for a moment

    def stands_still(self, pid: int) -> bool:
        """Whether all threads of a process are stopped, or it is gone."""
        tasks = Path(f"/proc/{pid}/task")
        try:
            return all(
                text.joinpath("stat").read_text().rpartition(")")[2].split()[0] in "TZ" for text in tasks.iterdir()
            )
        except OSError:
            return not tasks.exists()

    def test_frozen_and_thawed(self):
        self.server = KINDS[self.kind]()
        self.server.start()
        self.addCleanup(self.server.end)
        self.addCleanup(forget_engines)
        spec = ConnectionSpec.of(self.kind, self.server.password, **self.server.parameters)
        self.enterContext(mock.patch.object(postgresql_waiting, "SECONDS", 4))
        self.enterContext(mock.patch.object(mariadb, "ANSWER_SECONDS", 4))
        with reading(spec) as connection:
            self.assertEqual(connection.execute(text("SELECT 1")).scalar(), 1)
        self.all_processes(signal.SIGSTOP)
        start = time.monotonic()
        try:
            with self.assertRaises(Problem) as caught, reading(spec) as connection:
                connection.execute(text("SELECT 1"))
        finally:
            self.all_processes(signal.SIGCONT)
        self.assertEqual(caught.exception.code, "away")
        self.assertLess(time.monotonic() - start, 30)
        self.assertEqual(self.asked_again(spec), 2)

    def asked_again(self, spec: ConnectionSpec) -> int:
        """Thawed, a server has a backlog: somebody who tries again gets an answer."""
        for tries in range(4):
            try:
                with reading(spec) as connection:
                    return int(connection.execute(text("SELECT 2")).scalar())
            except Problem as problem:
                if problem.code != "away" or tries == 3:
                    raise
        return 0


class LostWhileSettingUp(unittest.TestCase):
    """What sets up a transaction goes to the driver directly: its errors come back without SQLAlchemy's wrapping."""

    def test_told_as_away(self):
        place = Place("mariadb")
        self.addCleanup(place.close)
        with reading(place.spec) as connection:
            dialect = connection.dialect
        lost = pymysql.err.OperationalError(2013, "Lost connection to MySQL server during query (timed out)")
        with mock.patch.object(dialect, "set_isolation_level", side_effect=lost):
            with self.assertRaises(Problem) as caught, reading(place.spec):
                pass
            self.assertIsNone(server_kind("mariadb").quick(engine_for(place.spec), "SELECT 1"))
        self.assertEqual(caught.exception.code, "away")
        with reading(place.spec) as connection:
            self.assertEqual(connection.execute(text("SELECT 3")).scalar(), 3)


for _kind in KINDS:
    globals()[f"Frozen_{_kind}"] = type(
        f"Frozen_{_kind}", (Frozen, unittest.TestCase), {"kind": _kind, "__module__": __name__}
    )
