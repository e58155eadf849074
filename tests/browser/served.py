"""The real server process with the demo's data, and a browser on it."""

from __future__ import annotations

import atexit
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path

from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from demo.harbour import host
from scripts.serving import ROOT, ServerProcess

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# Each answer that a script asks for comes while somebody types on.
LATE = """const asked = window.fetch;
window.fetch = async (...sent) => {
  const answer = await asked(...sent);
  await new Promise((resolve) => setTimeout(resolve, 500));
  return answer;
};"""
PASSWORD = "porto-salgueiro"
expect.set_options(timeout=20_000)


def environment_of(home: Path) -> dict[str, str]:
    """What the demo below home runs in."""
    return {
        **os.environ,
        "ENLACE_HOME": str(home),
        "DJANGO_SETTINGS_MODULE": "enlace.site.settings",
        "ENLACE_DEMO": "1",
    }


def set_up(home: Path, kind: str) -> None:
    """The demo on a server of a kind, set up below home as `make demo` does."""
    command = [sys.executable, "manage.py", "demo", "--no-serve", "--rows", "3000", "--server", kind]
    done = subprocess.run(command, cwd=ROOT, env=environment_of(home), capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr


@cache
def original() -> Path:
    """The demo on its file, set up once: nearly ten seconds of a core that each class would pay again."""
    home = Path(tempfile.mkdtemp(prefix="enlace-original-"))
    atexit.register(shutil.rmtree, home, ignore_errors=True)
    set_up(home, "sqlite")
    return home


def copy_to(home: Path) -> None:
    """A demo of its own below home, whose connection leads to its own file."""
    shutil.copytree(original(), home, dirs_exist_ok=True)
    with closing(sqlite3.connect(home / "enlace.sqlite3")) as kept, kept:
        places = (str(original()), str(home))
        kept.execute("UPDATE workshop_connection SET parameters = replace(parameters, ?, ?)", places)


class Browsers:
    """The browser of all tests of this process: each test has a context of its own in it, which shares nothing."""

    playwright: Playwright | None = None
    browser: Browser | None = None

    @classmethod
    def running(cls) -> Browser:
        """The browser; another one where it is gone."""
        if cls.playwright is None:
            # Its loop runs in this thread from now on, and Django would take tests that come later for asynchronous ones.
            os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
            cls.playwright = sync_playwright().start()
            atexit.register(cls.end)
        if cls.browser is None or not cls.browser.is_connected():
            cls.browser = cls.playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        return cls.browser

    @classmethod
    def end(cls) -> None:
        if cls.browser is not None and cls.browser.is_connected():
            cls.browser.close()
        if cls.playwright is not None:
            cls.playwright.stop()


class Served(unittest.TestCase):
    """Starts the server once for a class; each test gets a fresh browser context as self.page.

    server_kind: the database server that the demo runs on, "" for its file; self.host is that server then.
    """

    server_kind = ""

    @classmethod
    def setUpClass(cls):
        cls.signed_in: dict = {}
        cls.home = Path(tempfile.mkdtemp(prefix="enlace-browser-"))
        cls.addClassCleanup(shutil.rmtree, cls.home, ignore_errors=True)
        cls.files = Path(tempfile.mkdtemp(prefix="enlace-files-"))  # of another program
        cls.addClassCleanup(shutil.rmtree, cls.files, ignore_errors=True)
        cls.harbour = cls.home / "demo" / "harbour.sqlite3"
        cls.environment = environment_of(cls.home)
        if cls.server_kind:
            set_up(cls.home, cls.server_kind)
        else:
            copy_to(cls.home)
        if cls.server_kind:
            cls.host = host.known(cls.home, cls.server_kind)
            cls.host.start()
            cls.addClassCleanup(shutil.rmtree, host.place(cls.home, cls.server_kind), ignore_errors=True)
            cls.addClassCleanup(cls.host.halt)
        cls.server = ServerProcess(cls.environment)
        cls.base = cls.server.base
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)
        cls.browser = Browsers.running()

    def setUp(self):
        self.wrong: list[str] = []
        self.page = self.open_page()

    def open_page(self, who: str | None = "builder", **context) -> Page:
        """A page in a browser context of its own; who signs in once for all tests of a class."""
        context = {"viewport": {"width": 1280, "height": 800}, "storage_state": self.signed_in.get(who), **context}
        page = self.browser.new_context(**context).new_page()
        self.addCleanup(page.context.close)
        page.on("console", self._note)
        page.on("pageerror", lambda e: self.wrong.append(f"script: {e}"))
        page.on(
            "request",
            lambda r: None if r.url.startswith(self.base) else self.wrong.append(f"left the machine: {r.url}"),
        )
        if who:
            page.goto(self.base + "/")
            if "sign-in" in page.url:
                page.fill("#id_username", who)
                page.fill("#id_password", PASSWORD)
                page.press("#id_password", "Enter")
                page.wait_for_url(lambda url: "sign-in" not in url)
                self.signed_in[who] = page.context.storage_state()
        return page

    def _note(self, message) -> None:
        """An error that the browser tells, with the address that it is about."""
        if message.type == "error":
            self.wrong.append(f"console: {message.text} {message.location.get('url', '')}".strip())

    def tearDown(self):
        self.assertEqual(self.wrong, [])

    # -- what tests say -----------------------------------------------------------------------------------

    def work(self, title: str, page: Page | None = None, rows: bool = True) -> Page:
        """Open a form at the desk. rows: wait for them."""
        page = page or self.page
        page.goto(self.base + "/desk/")
        page.get_by_role("link", name=title, exact=True).click()
        if rows:
            expect(page.locator("#rows .record").first).to_be_visible()
            self.ready(page)
        return page

    def reload(self, page: Page | None = None) -> None:
        """Load the page again as a person does: by a key, of which the page hears."""
        page = page or self.page
        page.keyboard.press("F5")  # without a window of its own this browser does no more than tell the page
        page.reload()

    def ready(self, page: Page | None = None) -> None:
        """The form's scripts are at work."""
        expect((page or self.page).locator("#desk[data-ready]")).to_be_attached()

    def until(self, done: Callable[[], bool], page: Page | None = None) -> None:
        """Wait for what the page doesn't show."""
        for _ in range(400):
            if done():
                return
            (page or self.page).wait_for_timeout(50)
        self.fail("it never came to it")

    def prefix(self, title: str, page: Page | None = None) -> str:
        """What begins the ids of a detail's elements on its form's sheet."""
        find = """title => [...document.querySelectorAll("[data-source]")].map(one => one.dataset.source)
            .find(p => document.getElementById(p + "grid")?.getAttribute("aria-label") === title)"""
        return (page or self.page).evaluate(find, title)

    def alone(self, title: str, page: Page | None = None) -> None:
        """Open a detail on a page of its own."""
        page = page or self.page
        find = "p => document.querySelector(`[data-source='${p}']`).dataset.url"
        page.goto(self.base + page.evaluate(find, self.prefix(title, page)))

    def type_into(self, label: str, text: str, page: Page | None = None, p: str = "") -> None:
        """Type into an editor beside the grid and leave it. p: what begins the ids of a detail's elements."""
        page = page or self.page
        self.ready(page)
        expect(page.locator("[inert]")).to_have_count(0)  # the record that the page is on the way to is there
        editor = page.locator(f"[id='{p}panel']").get_by_label(label, exact=False).first
        editor.fill(text)
        with page.expect_response("**/edit?*"):
            editor.press("Tab")

    def says(self, words: str, page: Page | None = None) -> None:
        expect((page or self.page).locator("#said")).to_contain_text(words)

    def cell(self, position: int, column: int, page: Page | None = None):
        return (page or self.page).locator(f'#rows .record[data-at="{position}"] > [role=gridcell]').nth(column)
