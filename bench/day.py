"""An operator's day in a real browser: real keys, from the press to the repaint that shows what came of it.

The form is the demo's port calls. Everything runs on one machine, the browser beside the server.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import time
from pathlib import Path
from statistics import median, quantiles

from playwright.sync_api import Page, sync_playwright

from scripts.serving import ROOT, ServerProcess

from .opening import opened
from .results import Results

TIMES = 60  # of each key: of twenty the 95th percentile would be the slowest one, and some more
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]
# From the next key that goes down until a condition holds and the page was painted with it.
TIMED = """() => {
    window.timed = (text) => {
        const holds = new Function(`return ${text}`);
        window.took = new Promise((done, fail) => addEventListener("keydown", () => {
            const from = performance.now();
            setTimeout(() => fail(new Error(`never came: ${text}`)), 20_000);
            // What a frame asks for before it is drawn comes too early; a message comes behind its paint.
            const painted = new MessageChannel();
            painted.port1.onmessage = () => done(performance.now() - from);
            const look = () => requestAnimationFrame(() => (holds() ? painted.port2.postMessage(0) : look()));
            look();
        }, { capture: true, once: true }));
    };
}"""
# A sheet of sixty controls: values and headings, below what the form has by itself.
SIXTY = """
import django
django.setup()
from enlace.core.form import edit
from enlace.workshop import layout
from enlace.workshop.models import Form
form = Form.objects.get(pk=5)
document = layout.document(form)
source = document.main.name
field = form.dataset.to_spec().fields[0].name
while len(list(document.all())) < 60:
    kind = ("value", "heading")[len(list(document.all())) % 2]
    document, _ = edit.add(document, kind, source, field if kind == "value" else "")
form.document = document.to_json()
form.save()
"""
QUERY = "SELECT * FROM port_call ORDER BY status, id LIMIT 60"


class Timer:
    """Times keys on a page."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def key(self, key: str, holds: str) -> float:
        """Milliseconds from a key to the paint after `holds`, an expression of the page."""
        self.page.evaluate("text => window.timed(text)", holds)
        self.page.keyboard.press(key)
        return float(self.page.evaluate("() => window.took"))


def p95(times: list[float]) -> float:
    return quantiles(times, n=20)[-1]


def main(results: Results, folder: Path) -> None:
    """The list of a day, each line with its p50 beside its p95."""
    home = folder / "day"
    environment = {**os.environ, "ENLACE_HOME": str(home), "ENLACE_DEMO": "1"}
    database = home / "demo" / "harbour.sqlite3"
    environment |= {"DJANGO_SETTINGS_MODULE": "bench.settings", "BENCH_CALLS": str(database)}
    subprocess.run(
        [sys.executable, "manage.py", "demo", "--no-serve", "--rows", "3000"],
        cwd=ROOT, env=environment, check=True, capture_output=True,
    )  # fmt: skip
    subprocess.run([sys.executable, "-c", SIXTY], cwd=ROOT, env=environment, check=True)
    server = ServerProcess(environment)
    server.start()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.goto(server.base + "/sign-in/")
            page.fill("#id_username", "builder")
            page.fill("#id_password", "porto-salgueiro")
            page.press("#id_password", "Enter")
            page.wait_for_url(lambda url: "sign-in" not in url)
            _walk(results, page, server.base, database)
            _composed(results, page, server.base)
            browser.close()
    finally:
        server.stop()


def bound(results: Results, name: str, times: list[float], target: float) -> None:
    results.bound(f"{name}, p95 (p50 {median(times):.0f} ms) of {len(times)} keys", p95(times), "ms", target)


def _walk(results: Results, page: Page, base: str, database: Path) -> None:
    timer = Timer(page)
    form = f"{base}/desk/2/"
    _open(page, form)
    page.locator('#rows [data-at="0"] > [role=gridcell]').nth(2).click()
    page.wait_for_timeout(500)
    here = "document.querySelector('#panel')"
    moves = [timer.key("ArrowDown", f"{here}.dataset.position === '{n}' && !{here}.inert") for n in range(1, TIMES + 1)]
    bound(results, "next record, its editors ready", moves[5:], 100)
    shown, answered = _edits(page, timer)
    whole = f"as the server writes it, p50 {median(answered):.0f}, p95 {p95(answered):.0f} ms"
    bound(results, f"an edit beside the grid shown in its row ({whole})", shown, 100)
    bound(results, "the lines of a list after a key", _looked_up(page, timer), 120)
    began = time.perf_counter()
    with sqlite3.connect(database) as db:
        db.execute(QUERY).fetchall()
    query = (time.perf_counter() - began) * 1000
    bound(results, "another order, without a reload", _sorted(page, timer), query + 100)
    bound(results, "a filter, without a reload", _filtered(page, timer), query + 100)
    ours, theirs = opened(page.context, form, f"{base}/handwritten-calls")
    results.ratio(
        "opening the form, its rows painted, against a hand-written page of the same cells", ours, theirs, "ms", 1.5
    )


def _composed(results: Results, page: Page, base: str) -> None:
    """A control moved by the arrow keys on a sheet of sixty: drawn there, and what gives way to it."""
    _open(page, f"{base}/workshop/form/5/compose")
    timer, painted, answered = Timer(page), [], []
    control = page.locator("[data-stage] > [data-kind=heading]").first
    name = control.get_attribute("data-control")
    control.click(position={"x": 3, "y": 3})
    page.wait_for_selector(".card-of h2")
    for n in range(88):
        control.focus()
        stands = f"document.querySelector('[data-control={name}]')"
        column = page.evaluate(f"Number({stands}.className.match(/\\bx(\\d+)/)[1])")
        way = (1, -1)[n // 2 % 2]
        key = "ArrowRight" if way > 0 else "ArrowLeft"
        if n % 2:
            told = f"document.querySelector('#said').textContent.includes('column {column + way},')"
            answered.append(timer.key(key, told))
        else:
            painted.append(timer.key(key, f"{stands}.classList.contains('x{column + way}')"))
        page.wait_for_timeout(250)
    whole = f"answered, with what gives way to it, p50 {median(answered[2:]):.0f}, p95 {p95(answered[2:]):.0f} ms"
    bound(results, f"an edit of a sheet of 60 controls painted on the composer ({whole})", painted[2:], 100)


def _open(page: Page, address: str) -> None:
    page.goto(address)
    page.wait_for_selector("[role=gridcell], td")
    page.evaluate(TIMED)


def _edits(page: Page, timer: Timer) -> tuple[list[float], list[float]]:
    """(until what was typed stands in the row, until it stands there as the server writes it), by turns."""
    shown: list[float] = []
    answered: list[float] = []
    at = page.locator("#panel").get_attribute("data-position")
    place = page.locator("#grid .grid-head [data-number]").evaluate_all(
        "(heads) => heads.findIndex((head) => head.dataset.name === 'etd') + 1"
    )
    editor = page.locator("#panel [data-field=etd]")
    for n in [*range(10, 54)] * 2:
        editor.fill(f"2027-01-05 10:{n}")
        cell = f"document.querySelector('#rows [data-at=\"{at}\"]')?.children[{place}]?.textContent"
        times, written = (answered, f", 10:{n}") if n % 2 else (shown, f"10:{n}")
        times.append(timer.key("Tab", f"{cell}.includes('{written}')"))
        page.wait_for_timeout(100)
    return shown[2:], answered[2:]


def _looked_up(page: Page, timer: Timer) -> list[float]:
    times = []
    editor = page.locator("#panel [role=combobox]").first
    for letter in "flgeqjbnfo" * 6:
        editor.focus()
        page.keyboard.press("Control+a")
        shown = "document.querySelectorAll('#choices:not([hidden]) [role=option]').length > 0"
        times.append(timer.key(letter, shown))
        page.keyboard.press("Escape")
        page.locator("#choices").wait_for(state="hidden")
    return times[2:]


def _sorted(page: Page, timer: Timer) -> list[float]:
    times = []
    head = page.locator("#grid [data-name=status] a")
    for n in range(TIMES):
        head.focus()
        way = "ascending" if n % 2 == 0 else "descending"
        times.append(timer.key("Enter", f"document.querySelector('#grid [data-name=status]').ariaSort === '{way}'"))
        page.wait_for_timeout(60)
    return times[2:]


def _filtered(page: Page, timer: Timer) -> list[float]:
    times = []
    page.locator("#act-filter").click()
    for n in range(TIMES):
        box = page.get_by_label("Filter by Status")
        box.fill(("berthed", "departed")[n % 2])
        told = f"document.querySelector('#sentence')?.textContent.includes('{('berthed', 'departed')[n % 2]}')"
        box.focus()
        times.append(timer.key("Enter", told))
        page.wait_for_timeout(60)
    return times[2:]
