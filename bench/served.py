"""A server process with the million-row table behind a form, and a signed-in client that keeps its connection."""

from __future__ import annotations

import http.client
import os
import re
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlencode

from scripts.serving import ROOT, ServerProcess


class Server:
    """The server, ended at the end of a `with` block."""

    def __init__(self, home: Path, database: str, sheet_database: str = "") -> None:
        self.environment = {
            **os.environ,
            "ENLACE_HOME": str(home),
            "BENCH_DATABASE": database,
            "BENCH_SHEET": sheet_database,
            "DJANGO_SETTINGS_MODULE": "bench.settings",
        }
        self.server = ServerProcess(self.environment)

    def __enter__(self) -> Server:
        subprocess.run([sys.executable, "-m", "bench.prepare"], cwd=ROOT, env=self.environment, check=True)
        self.server.start()
        self.client = http.client.HTTPConnection("127.0.0.1", self.server.port)
        self.cookies: dict[str, str] = {}
        page = self.get("/sign-in/")
        token = re.search(rb'name="csrfmiddlewaretoken" value="([^"]+)"', page).group(1).decode()
        body = urlencode({"username": "bench", "password": "bench-7-bench", "csrfmiddlewaretoken": token})
        self._ask("POST", "/sign-in/", body, {"Content-Type": "application/x-www-form-urlencoded"})
        return self

    def __exit__(self, *error) -> None:
        self.server.stop()

    def _ask(self, method: str, path: str, body: str | None = None, headers: dict | None = None) -> bytes:
        cookie = "; ".join(f"{k}={v}" for k, v in self.cookies.items())
        self.client.request(method, path, body, {"Cookie": cookie, "HX-Request": "true", **(headers or {})})
        response = self.client.getresponse()
        content = response.read()
        for header in response.headers.get_all("Set-Cookie") or []:
            name, _, value = header.split(";")[0].partition("=")
            self.cookies[name] = value
        if response.status >= 400:
            raise RuntimeError(f"{method} {path}: {response.status} {content[:200]!r}")
        return content

    def get(self, path: str) -> bytes:
        """The body of a page. Raises RuntimeError for an error status."""
        return self._ask("GET", path)

    def length(self, path: str) -> int:
        """How long a body is, of which nothing is kept."""
        cookie = "; ".join(f"{k}={v}" for k, v in self.cookies.items())
        self.client.request("GET", path, headers={"Cookie": cookie})
        response = self.client.getresponse()
        told = 0
        while part := response.read(2**20):
            told += len(part)
        if response.status >= 400:
            raise RuntimeError(f"{path}: {response.status}")
        return told

    def memory(self) -> float:
        """Resident memory of the process that answers, in MB (10**6 bytes)."""
        workers = subprocess.run(
            ["ps", "-o", "pid=", "--ppid", str(self.server.process.pid)], capture_output=True, text=True
        )
        total = 0
        for pid in workers.stdout.split():
            status = Path(f"/proc/{pid}/status").read_text()
            total += int(re.search(r"VmRSS:\s+(\d+) kB", status).group(1)) * 1024
        return total / 1e6
