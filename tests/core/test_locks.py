"""Looking at a database's file takes no lock away from those who hold one on it."""

import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from enlace.core.model.connection import ConnectionSpec
from enlace.core.server.places import checked_file
from enlace.core.server.probing.sqlite import STEPS

WRITE = (
    "import sqlite3, sys; sqlite3.connect(sys.argv[1], timeout=0.2, isolation_level=None).execute('BEGIN IMMEDIATE')"
)


class Locks(unittest.TestCase):
    """SQLite, How To Corrupt An SQLite Database File, 2.2: a close of any descriptor of a file cancels the process's locks."""

    def test_a_lock_outlives_every_look_at_the_file(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = str(Path(folder.name) / "locked.db")
        with sqlite3.connect(path, isolation_level=None) as db:
            db.execute("CREATE TABLE t (id INTEGER PRIMARY KEY)")
            spec = ConnectionSpec.of("sqlite", path=path)
            looks = [lambda: checked_file(path), *(lambda step=step: step(spec) for _, step in STEPS[:4])]
            for look in looks:
                look()
                db.execute("BEGIN IMMEDIATE")
                look()
                done = subprocess.run([sys.executable, "-c", WRITE, path], capture_output=True, text=True, check=False)
                self.assertIn("database is locked", done.stderr)
                db.execute("ROLLBACK")
        db.close()
