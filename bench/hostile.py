"""Hostile requests over HTTP as nobody, an operator and a builder: none ends in an error of Enlace's own, none takes long."""

from __future__ import annotations

import http.client
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from urllib.parse import urlencode

from scripts.fuzz import Hostile, hostile
from scripts.serving import ROOT, ServerProcess

from .results import Results

SECONDS = 2.0
PEOPLE = ("", "operator", "builder")
PASSWORD = "porto-salgueiro"
# What takes itself or the session away is left out: there would be nothing left to try.
LEFT_OUT = ("remove", "sign-out/", "end", "connections/new", "account/")


def main(results: Results, times: int) -> None:
    """On a server of the demo's data, `times` requests by turns of the three."""
    with tempfile.TemporaryDirectory(prefix="enlace-hostile-") as home:
        environment = {
            **os.environ,
            "ENLACE_HOME": home,
            "ENLACE_DEMO": "1",
            "DJANGO_SETTINGS_MODULE": "enlace.site.settings",
        }
        command = [sys.executable, "manage.py", "demo", "--no-serve", "--rows", "3000"]
        subprocess.run(command, cwd=ROOT, env=environment, check=True, capture_output=True)
        patterns = _patterns(environment)
        server = ServerProcess(environment)
        server.start()
        failed: list[str] = []
        slow: list[str] = []
        try:
            for n, name in enumerate(PEOPLE):
                _one(server, name, random.Random(n), patterns, times // len(PEOPLE), failed, slow)
        finally:
            server.stop()
    for line in [*failed[:10], *slow[:10]]:
        print("    ", line[:300])
    results.bound(f"{times:,} hostile requests: errors of Enlace's own", len(failed), "requests", 0)
    results.bound(f"{times:,} hostile requests: slower than {SECONDS:.0f} s", len(slow), "requests", 0)


def _patterns(environment: dict[str, str]) -> list[str]:
    ask = "import django; django.setup(); from tests.web.test_access import addresses; print('\\n'.join(addresses()))"
    told = subprocess.run(
        [sys.executable, "-c", ask], cwd=ROOT, env=environment, check=True, capture_output=True, text=True
    )
    return [text for text in told.stdout.split() if not text.endswith(LEFT_OUT) and not text.startswith("/demo/")]


def _one(
    server: ServerProcess,
    name: str,
    dice: random.Random,
    patterns: list[str],
    times: int,
    failed: list[str],
    slow: list[str],
) -> None:
    browser = _Browser(server.port)
    if name:
        browser.sign_in(name)
    numbers = dict.fromkeys(("project", "connection", "dataset", "form", "field", "entry", "rule", "action"), 1)
    numbers |= {"detail": "port_call"}
    fields = (
        "id",
        "name",
        "imo_no",
        "flag",
        "length_m",
        "built",
        "in_service",
        "agent_id",
        "vessel_type_code",
        "photo",
    )
    for item in hostile(dice, patterns, numbers, fields, times):
        began = time.monotonic()
        status = browser.asked(item)
        if status >= 500 and status != 503:
            failed.append(f"{name or 'nobody'}: {status} {item}")
        if time.monotonic() - began > SECONDS:
            slow.append(f"{name or 'nobody'}: {time.monotonic() - began:.1f} s {item}")


class _Browser:
    """Cookies and the token of a page, over one connection."""

    def __init__(self, port: int) -> None:
        self.port, self.cookies, self.token = port, {}, ""
        self.connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)

    def ask(
        self, method: str, path: str, body: str | None = None, headers: dict[str, str] | None = None
    ) -> tuple[int, bytes]:
        cookie = "; ".join(f"{k}={v}" for k, v in self.cookies.items())
        given = {"Cookie": cookie, "X-CSRFToken": self.token, **(headers or {})}
        try:
            self.connection.request(method, path, body, given)
            answer = self.connection.getresponse()
            content = answer.read()
        except (http.client.HTTPException, OSError):
            self.connection.close()
            return 0, b""
        for line in answer.headers.get_all("Set-Cookie") or []:
            key, _, value = line.split(";")[0].partition("=")
            self.cookies[key] = value
        return answer.status, content

    def sign_in(self, name: str) -> None:
        page = self.ask("GET", "/sign-in/")[1]
        self.token = re.search(rb'name="csrfmiddlewaretoken" value="([^"]+)"', page)[1].decode()  # type: ignore[index]
        body = urlencode({"username": name, "password": PASSWORD, "csrfmiddlewaretoken": self.token})
        status, _ = self.ask("POST", "/sign-in/", body, {"Content-Type": "application/x-www-form-urlencoded"})
        assert status == 302, status
        self.token = re.search(rb'X-CSRFToken": "([^"]+)"', self.ask("GET", "/desk/")[1])[1].decode()  # type: ignore[index]

    def asked(self, hostile: Hostile) -> int:
        headers = {"HX-Request": "true"} if hostile.part else {}
        path = f"{hostile.path}?{urlencode(hostile.query, errors='surrogatepass')}"
        if hostile.data is None:
            return self.ask("GET", path, None, headers)[0]
        body = urlencode(hostile.data, errors="surrogatepass")
        return self.ask("POST", path, body, {**headers, "Content-Type": "application/x-www-form-urlencoded"})[0]
