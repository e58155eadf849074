"""One draft, several server processes, and answers that get lost: a save happens once, and what is said of it is so.

The server is the real one, with four processes; the save is made slow by a trigger of the database.
"""

import contextlib
import json
import os
import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from scripts.serving import ROOT, ServerProcess
from tests.http import Client

SLOW = """
CREATE TABLE entry (id INTEGER PRIMARY KEY, name TEXT);
INSERT INTO entry (name) VALUES ('first'), ('second');
CREATE TRIGGER slow AFTER INSERT ON entry BEGIN
  SELECT (WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c LIMIT 3000000) SELECT count(*) FROM c);
END;
"""
MAKE = """
from enlace.accounts.models import Person
from enlace.core.dataset.inference.make import make_dataset
from enlace.workshop.models import Connection, Dataset, Form, Project
Person.objects.create_user("ana", password="quay-side-7", role="builder")
project = Project.objects.create(name="Porto")
c = Connection.objects.create(project=project, name="c", parameters={"path": PATH})
print("FORM", Form.make(Dataset.make(c, make_dataset(c.to_spec(), "entry"), "entry"), "entry").pk)
"""


class FourProcesses(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.home = Path(tempfile.mkdtemp(prefix="enlace-workers-"))
        cls.addClassCleanup(shutil.rmtree, cls.home, ignore_errors=True)
        cls.file = cls.home / "slow.db"
        with sqlite3.connect(cls.file) as db:
            db.executescript(SLOW)
        cls.environment = {**os.environ, "ENLACE_HOME": str(cls.home / "home"), "ENLACE_WORKERS": "4"}
        cls.environment["DJANGO_SETTINGS_MODULE"] = "enlace.site.settings"
        for command in (["migrate", "-v0"], ["collectstatic", "-v0", "--no-input"]):
            subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=cls.environment, check=True)
        made = subprocess.run(
            [sys.executable, "manage.py", "shell", "-v0", "-c", MAKE.replace("PATH", repr(str(cls.file)))],
            cwd=ROOT, env=cls.environment, check=True, capture_output=True, text=True,
        )  # fmt: skip
        cls.form = re.search(r"FORM (\d+)", made.stdout)[1]
        cls.server = ServerProcess(cls.environment)
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)

    def setUp(self):
        self.client = self.window()

    def window(self) -> Client:
        client = Client(self.server.base)
        client.sign_in("ana", "quay-side-7")
        return client

    def act(self, client: Client, act: str, **data: str) -> tuple[int, str]:
        return client.ask(f"/desk/{self.form}/{act}", data)

    def enter(self, name: str) -> str:
        told = self.act(self.client, "new")[1]
        new = json.loads(told[told.rindex('{"enlace:') :])["enlace:current"]["id"]
        self.assertEqual(self.act(self.client, "edit", record=new, field="name", value=name)[0], 200)
        return new

    def rows(self, name: str) -> int:
        with sqlite3.connect(self.file) as db:
            return db.execute("SELECT count(*) FROM entry WHERE name = ?", (name,)).fetchone()[0]

    def entries(self) -> int:
        with sqlite3.connect(self.home / "home" / "enlace.sqlite3") as db:
            return db.execute("SELECT count(*) FROM desk_journalentry").fetchone()[0]

    def until_claimed(self, token: str) -> None:
        """Wait until a save with this token is under way."""
        for _ in range(200):
            with sqlite3.connect(self.home / "home" / "enlace.sqlite3") as db:
                if db.execute("SELECT 1 FROM desk_saveclaim WHERE token = ? AND sent", (token,)).fetchone():
                    return
            time.sleep(0.02)
        self.fail("the save did not begin")

    def test_two_windows_and_a_repeated_request(self):
        for tokens in (("a" * 16, "b" * 16), ("c" * 16, "c" * 16), ("", "")):
            with self.subTest(tokens=tokens):
                name, before = f"at once {tokens}", self.entries()
                self.enter(name)
                windows = [self.client, self.window()]
                with ThreadPoolExecutor(2) as pool:
                    save = lambda window, token: self.act(window, "save", token=token)[1]  # noqa: E731
                    told = list(pool.map(save, windows, tokens))
                self.assertEqual([("Saved 1 record" in item) for item in told], [True, True], told)
                self.assertEqual((self.rows(name), self.entries()), (1, before + 1))
                if tokens[0]:
                    self.assertIn("Saved 1 record", self.act(self.client, "save", token=tokens[0])[1])
                    self.assertEqual((self.rows(name), self.entries()), (1, before + 1))

    def test_killed_in_between_and_asked_again(self):
        name, token = "killed", "d" * 16
        self.enter(name)

        def post():
            with contextlib.suppress(OSError):  # the answer never came
                self.act(self.client, "save", token=token)

        asking = threading.Thread(target=post)
        asking.start()
        self.until_claimed(token)
        self.server.stop()  # SIGKILL, to all of its processes
        asking.join()
        self.server.start()
        self.client.renew()
        self.assertIn("Saved 1 record", self.act(self.client, "save", token=token)[1])
        self.assertEqual(self.rows(name), 1)

    def test_a_long_save_is_not_taken_for_a_crash(self):
        """Edits that arrive at other processes meanwhile neither wait for the save nor settle it."""
        name = "long"
        new = self.enter(name)
        other = self.window()
        told: list[str] = []
        saving = threading.Thread(target=lambda: told.append(self.act(self.client, "save", token="e" * 16)[1]))
        saving.start()
        self.until_claimed("e" * 16)
        for n in range(6):
            status, words = self.act(other, "edit", record="i1", field="name", value=f"meanwhile {n}")
            self.assertEqual(status, 200, words)
        self.assertEqual(self.act(other, "discard")[0], 409)
        saving.join()
        self.assertIn("Saved 1 record", told[0])
        self.assertEqual(self.rows(name), 1)
        # The page still knows it by the id that it had while it was new.
        self.assertEqual(self.act(other, "edit", record=new, field="name", value="long, typed on")[0], 200)
        self.assertIn("Saved 2 records", self.act(other, "save", token="f" * 16)[1])
        self.assertEqual((self.rows(name), self.rows("long, typed on")), (0, 1))
