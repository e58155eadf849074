"""Clients that send slowly, or too much, hold nothing that anybody else needs. The server is the real one."""

import contextlib
import os
import re
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from scripts.serving import ROOT, ServerProcess
from tests.http import Client

SLOW = 200


class SlowClients(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.home = Path(tempfile.mkdtemp(prefix="enlace-slow-"))
        cls.addClassCleanup(shutil.rmtree, cls.home, ignore_errors=True)
        environment = {**os.environ, "ENLACE_HOME": str(cls.home), "DJANGO_SETTINGS_MODULE": "enlace.site.settings"}
        environment |= {"ENLACE_WORKERS": "2", "ENLACE_DEMO": ""}
        for command in ("migrate", "collectstatic"):
            subprocess.run(
                [sys.executable, "manage.py", command, "--no-input", "-v0"], cwd=ROOT, env=environment, check=True
            )
        cls.server = ServerProcess(environment)
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)

    def asked(self) -> int:
        with urllib.request.urlopen(self.server.base + "/sign-in/", timeout=20) as answer:
            return answer.status

    def begun(self, head: bytes) -> socket.socket:
        item = socket.create_connection(("127.0.0.1", self.server.port), 10)
        item.sendall(head)
        return item

    def test_half_sent_heads_and_slow_bodies(self):
        heads = [
            b"GET /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ",
            b"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/x-www-form-urlencoded\r\n"
            b"Content-Length: 9000\r\n\r\nusername=",
        ]
        with contextlib.ExitStack() as held:
            for n in range(SLOW):
                held.enter_context(self.begun(heads[n % 2]))
            time.sleep(0.5)
            with ThreadPoolExecutor(8) as pool:
                self.assertEqual(list(pool.map(lambda _: self.asked(), range(40))), [200] * 40)

    def test_what_is_too_large_is_refused_by_its_head(self):
        head = b"POST /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 300000000\r\n\r\n"
        with self.begun(head) as item:
            self.assertIn(b" 413 ", item.recv(200))
        head = b"GET /" + b"a" * 200_000 + b" HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
        with contextlib.suppress(OSError), self.begun(head) as item:
            self.assertRegex(item.recv(200), rb" 4\d\d ")
        self.assertEqual(self.asked(), 200)

    def test_many_sign_ins_at_once(self):
        page = Client(self.server.base)
        token = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', page.ask("/sign-in/")[1])[1]

        def sign_in(n: int) -> int:
            typed = {"username": f"nobody{n}", "password": "x", "csrfmiddlewaretoken": token}
            return page.ask("/sign-in/", typed)[0]

        with ThreadPoolExecutor(24) as pool:
            several = [pool.submit(sign_in, n) for n in range(24)]
            time.sleep(0.2)
            self.assertEqual(self.asked(), 200)
            self.assertLessEqual({item.result() for item in several}, {200, 429, 503})

    def test_files_are_for_the_account_that_runs_it(self):
        for path in (self.home, *self.home.iterdir()):
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)
