"""(q) Ten million rows: windows at any place, filters, groups and the values of a field, while somebody else commits every second."""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from functools import partial
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from enlace.core.dataset.filters import Filter
from enlace.core.dataset.group_leaves import leaves_of
from enlace.core.dataset.grouping import GroupTerm, Opened, grouped_rows, key_of_group, laid_out, read_together
from enlace.core.dataset.groups import SECONDS, frequent
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from scripts.serving import ROOT

from .day import FLAGS, TIMED, Timer, bound
from .results import Results, milliseconds
from .served import Server

ROWS = int(os.environ.get("BENCH_ROWS", 10_000_000))
SIZE, TIMES = 60, 40
STEPS = 150  # windows from one end to the other


def make(path: Path) -> None:
    """A table of eight columns: code has an index, level has none; a gauge in a hundred is one percent of the rows; tag and
    plain have 100 000 different values, with and without an index; team has 50 000 in the first million rows."""
    dice = random.Random(7)
    with closing(sqlite3.connect(path)) as db, db:
        db.execute(
            "CREATE TABLE reading (id INTEGER PRIMARY KEY, code INTEGER NOT NULL, level DECIMAL(8, 3), gauge VARCHAR(8),"
            " tag VARCHAR(12), plain VARCHAR(12), team VARCHAR(12), note VARCHAR(60))"
        )
        db.executemany(
            "INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (
                (n, dice.randrange(10**7), dice.randrange(10**6) / 1000, f"G{n % 100}", f"T{dice.randrange(100_000)}",
                 f"P{n % 100_000}", f"C{n % 50_000}" if n <= ROWS // 10 else None, f"note {n}")
                for n in range(1, ROWS + 1)
            ),
        )  # fmt: skip
        db.execute("CREATE INDEX reading_code ON reading (code)")
        db.execute("CREATE INDEX reading_tag ON reading (tag)")


@contextmanager
def committing(path: Path) -> Iterator[None]:
    """Somebody else saves a row every second."""
    ended = threading.Event()

    def run() -> None:
        with closing(sqlite3.connect(path, timeout=60)) as db:
            while not ended.wait(1.0):
                with db:
                    db.execute("UPDATE reading SET note = note || '.' WHERE id = ?", (random.randrange(ROWS),))

    other = threading.Thread(target=run)
    other.start()
    try:
        yield
    finally:
        ended.set()
        other.join()


def main(results: Results, folder: Path) -> None:
    path = folder / "ten.sqlite3"
    print(f"Making a table of {ROWS} rows ...", flush=True)
    make(path)
    spec = ConnectionSpec.of("sqlite", path=str(path))
    rows = Rows.of(spec, make_dataset(spec, "reading"), ())
    rows.count()
    with committing(path):
        indexed = Rows.of(spec, rows.dataset, [("code", False)])
        _places(results, "an order with an index", indexed, 1.3)
        _places_by_hand(path)
        _places(results, "an order without an index", Rows.of(spec, rows.dataset, [("level", False)]), 2.0, times=6)
        one = Rows.of(spec, rows.dataset, (), None, (Filter("gauge", "is", "G3"),))
        _places(results, "a filter that one row in a hundred passes", one, 1.5)
    _grouped(results, rows)
    _values(results, rows, path)
    with Server(folder / "ten", str(path)) as server:
        with committing(path):
            _served_places(results, server)
        command = [sys.executable, "-m", "bench.fill_draft", "10000"]
        subprocess.run(command, cwd=ROOT, env=server.environment, check=True)
        _keys(results, server)


def _served_places(results: Results, server: Server) -> None:
    """The same over HTTP, as the desk gets its rows: what an operator waits for."""
    for what, asked, most in (
        ("an order with an index", "order=code", 1.3),
        ("a filter that one row in a hundred passes", "only-gauge=%3D%3DG3", 1.5),
    ):
        ask = lambda start, asked=asked: server.get(f"/desk/1/rows?start={start}&size={SIZE}&{asked}")  # noqa: E731
        count = ROWS // 100 if "gauge" in asked else ROWS
        _until_there(partial(ask, count // 2))
        time.sleep(40)  # its anchors stand from here on: until then places are counted off
        assert ask(count - SIZE).count(b'class="record"') == SIZE
        ours, first, slowest = _by_turns(ask, count - SIZE)
        results.ratio(
            f"(q) any window of {what}, served, against the first one, beside commits", ours, first, "ms", most
        )
        print(f"       the slowest place: {slowest:.1f} ms", flush=True)


def _keys(results: Results, server: Server) -> None:
    """Real keys in the grid, beside a draft of 10 000 changes: from one record to the next, and a cell that is edited."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        base = f"http://127.0.0.1:{server.server.port}"
        page.goto(base + "/sign-in/")
        page.fill("#id_username", "bench")
        page.fill("#id_password", "bench-7-bench")
        page.press("#id_password", "Enter")
        page.wait_for_url(lambda url: "sign-in" not in url)
        page.goto(f"{base}/desk/1/")
        page.wait_for_selector("#desk[data-ready]")
        page.evaluate(TIMED)
        timer, stands = Timer(page), "document.querySelector('#rows .record[aria-selected=true]')?.dataset.at"
        names = "(heads) => heads.findIndex((head) => head.dataset.name === 'note') + 1"
        column = page.locator("#grid .grid-head [data-number]").evaluate_all(names)
        page.locator('#rows [data-at="0"] > [role=gridcell]').nth(column).click()
        page.wait_for_timeout(1000)
        moves = [timer.key("ArrowDown", f"{stands} === '{n}'") for n in range(1, 101)]
        moves += [timer.key("ArrowUp", f"{stands} === '{n}'") for n in range(99, -1, -1)]
        bound(results, "(q) from one record to the next in the grid", moves, 50)
        edits = []
        for n in range(60):
            page.keyboard.type(f"typed {n}")
            cell = f"document.querySelector('#rows [data-at=\"{n}\"]')?.children[{column}]?.textContent"
            edits.append(timer.key("Enter", f"{cell} === 'typed {n}'"))
            page.wait_for_timeout(120)  # Enter went on to the next row
        bound(results, "(q) a cell that is edited in the grid, to its paint", edits, 50)
        _scrolled(results, page, base)
        browser.close()


def _scrolled(results: Results, page: Page, base: str) -> None:
    """The browser's memory after all rows went by, from one end to the other and back."""
    page.goto(f"{base}/desk/1/")
    page.wait_for_selector("#desk[data-ready]")
    asked = page.context.new_cdp_session(page)
    asked.send("Performance.enable")

    def held() -> tuple[float, float]:
        page.wait_for_timeout(500)
        asked.send("HeapProfiler.collectGarbage")
        told = {metric["name"]: metric["value"] for metric in asked.send("Performance.getMetrics")["metrics"]}
        return told["JSHeapUsedSize"] / 1e6, told["Nodes"]

    steps = [i / STEPS for i in range(STEPS + 1)]
    there = "top => (e => (e.scrollTop = top * (e.scrollHeight - e.clientHeight)))(document.querySelector('#scroller'))"
    seen = "document.querySelector('#grid:not([aria-busy]) #rows > :nth-child(20)')?.dataset.at"

    def scroll(top: float) -> None:
        before = page.evaluate(seen)
        page.evaluate(there, top)
        for _ in range(3_000):
            if page.evaluate(seen) not in (None, before):
                return
            page.wait_for_timeout(20)
        raise RuntimeError(f"no rows came at {top}")

    scroll(steps[1]), scroll(0.0)  # what is made once is made by now
    first = held()
    for top in [*steps[1:], *steps[-2::-1]]:
        scroll(top)
    after = held()
    name = f"(q) the browser's memory after {2 * STEPS} windows of {ROWS:,} rows against that of the first page"
    results.ratio(f"{name}, scripts", after[0], first[0], "MB", 1.2)
    results.ratio(f"{name}, nodes", after[1], first[1], "nodes", 1.2)


def _places(results: Results, what: str, rows: Rows, most: float, times: int = TIMES) -> None:
    """A window at any place against the first one, once its anchors stand."""
    count = rows.count()
    rested = time.monotonic() + 180
    _until_there(lambda: rows.window(count // 2, SIZE))  # the first far jump begins to build them, in stretches
    while time.monotonic() < rested and any(thread.name == "anchors" for thread in threading.enumerate()):
        time.sleep(1)
    ours, first, slowest = _by_turns(lambda start: rows.window(start, SIZE), count - SIZE, times)
    results.ratio(f"(q) any window of {what} against the first one, beside commits", ours, first, "ms", most)
    print(f"       the slowest place: {slowest:.1f} ms", flush=True)


def _by_turns(window: Callable[[int], object], most: int, times: int = TIMES) -> tuple[float, float, float]:
    """Medians of a window at any place below one and of the first one, by turns, and the longest of the former; in ms."""
    dice = random.Random(3)
    starts = [dice.randrange(most) for _ in range(times)]
    pairs = [(milliseconds(partial(window, start)), milliseconds(partial(window, 0))) for start in starts]
    anywhere, first = zip(*pairs, strict=True)
    return statistics.median(anywhere), statistics.median(first), max(anywhere)


def _places_by_hand(path: Path) -> None:
    """What the file itself gives: a statement with the driver alone that knows the value at which the place begins."""
    with closing(sqlite3.connect(path)) as db:

        def window(code: int) -> None:
            db.execute("SELECT * FROM reading WHERE code >= ? ORDER BY code, id LIMIT ?", (code, SIZE)).fetchall()

        place, first, _ = _by_turns(window, int(ROWS * 0.99))
    print(f"       by hand: {place:.2f} ms, the first {first:.2f} ms, ratio {place / first:.2f}", flush=True)


def _until_there(ask: Callable[[], object]) -> None:
    """Ask again, as a page does, for what is put in an order for the first time; it may take a slow machine too long at once."""
    for _ in range(120):
        try:
            ask()
            return
        except (Problem, RuntimeError) as problem:
            if "come by themselves" not in str(problem):
                raise
            time.sleep(1)
    raise RuntimeError("the order never came")


def _grouped(results: Results, rows: Rows) -> None:
    """A million rows in 50 000 groups, half of them open."""
    some = Rows.of(rows.spec, rows.dataset, (), None, (Filter("id", "<=", ROWS // 10),))
    terms = (GroupTerm("team"),)
    put = grouped_rows(some, terms)
    leaves = leaves_of(put, terms)
    opened = Opened(False, frozenset(key_of_group(leaf.values) for leaf in leaves[::2]))
    layout = laid_out(leaves, 1, opened)
    dice = random.Random(3)
    plain = Rows.of(rows.spec, rows.dataset, [("team", False)], None, some.filters)

    def lines(start: int) -> None:
        for stretch in read_together(layout.window(start, SIZE), 4 * SIZE):
            put.window(*stretch)

    _until_there(lambda: plain.window(plain.count() // 2, SIZE))
    _until_there(lambda: lines(layout.total // 2))
    time.sleep(5)
    pairs = []
    for _ in range(12):
        start, at = dice.randrange(layout.total - SIZE), dice.randrange(plain.count() - SIZE)
        pairs.append((milliseconds(lambda: lines(start)), milliseconds(lambda: plain.window(at, SIZE))))  # noqa: B023
    ours, theirs = (statistics.median(pair[i] for pair in pairs) for i in (0, 1))
    results.ratio("(q) a window of 50 000 groups of a million rows against a plain one", ours, theirs, "ms", 2.0)


def _values(results: Results, rows: Rows, path: Path) -> None:
    def by_hand(name: str) -> Callable[[], None]:
        def ask() -> None:
            with closing(sqlite3.connect(path)) as db:
                db.execute(f"SELECT {name}, count(*) FROM reading GROUP BY {name}").fetchall()

        return ask

    indexed = milliseconds(lambda: frequent(rows, "tag", 100, seconds=60.0))
    results.ratio(
        "(q) the values of a field with an index, 100 000 of them", indexed, milliseconds(by_hand("tag")), "ms", 1.2
    )
    told = milliseconds(lambda: frequent(rows, "plain", 100))
    results.bound("(q) the values of a field without an index, a part of them", told, "ms", 1000 * (2 * SECONDS))


if __name__ == "__main__":
    import tempfile

    with tempfile.TemporaryDirectory() as place:
        main(Results(), Path(place))
