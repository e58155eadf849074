"""(o) and (p): rows brought in and taken out, against what one would write by hand; a project as text."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import subprocess
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

from enlace.core.exchange.csv_out import csv_lines
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.outgoing import Sheet
from enlace.core.exchange.readers import looked, rows
from enlace.core.exchange.spool import spooled
from enlace.core.exchange.xlsx_out import write_xlsx
from scripts.serving import ROOT

from .results import Results

COUNT = 100_000


def run(results: Results) -> None:
    """All of it, in files of this run."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        content = [
            [str(i), f"name {i}", f"{i / 7:.3f}", "2026-01-02", "x", str(i % 9), "yes", f"n{i % 40}"]
            for i in range(COUNT)
        ]
        file = place / "rows.csv"
        with file.open("w", newline="") as out:
            csv.writer(out).writerows([["id", "name", "weight", "day", "a", "b", "c", "d"], *content])
        _read(results, file, place)
        _bring(results)
        _write(results, content)


def _read(results: Results, file: Path, place: Path) -> None:
    def ours() -> None:
        spool = spooled(rows(file, looked(file, Look("csv"))), place / "rows")
        assert spool.count == COUNT

    def by_hand() -> None:
        with file.open(newline="") as text, sqlite3.connect(place / "by-hand.sqlite3") as database:
            database.execute("CREATE TABLE IF NOT EXISTS t (a, b, c, d, e, f, g, h)")
            database.executemany("INSERT INTO t VALUES (?, ?, ?, ?, ?, ?, ?, ?)", csv.reader(text))

    results.ratio(
        "(o) 100 000 rows of a file read and kept to be checked, against csv and executemany",
        *_pair(ours, by_hand),
        "ms",
        3.0,
    )
    tracemalloc.start()
    ours()
    results.bound(
        "(o) memory that reading them takes at the most", tracemalloc.get_traced_memory()[1] / 2**20, "MB", 100
    )
    tracemalloc.stop()


def _bring(results: Results) -> None:
    """A file with two lists and four rules, at the desk, beside what somebody writes for that one file."""

    def measured(*kind: str) -> dict[str, float]:
        command = [sys.executable, "-m", "bench.bringing", *kind]
        told = subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout
        figures: dict[str, float] = json.loads(told.splitlines()[-1])
        assert figures["sound"] == COUNT
        return figures

    told = measured()
    ours = told["read"] + told["check"] + told["put in"]
    results.ratio(
        "(o) 100 000 rows checked and put into a draft, against csv and executemany", ours, told["plain"], "ms", 3.0
    )
    results.ratio("(o) the same against csv, lookups, checks and executemany by hand", ours, told["by hand"], "ms", 3.0)
    results.bound("(o) memory growth meanwhile", told["MB"], "MB", 100)
    for kind, label in (("postgresql", "PostgreSQL"), ("mariadb", "MariaDB")):
        there = measured(kind)
        name = f"(o) 100 000 rows checked and put into a draft over {label}, against csv and executemany there"
        results.ratio(name, there["read"] + there["check"] + there["put in"], there["plain"], "ms", 3.0)
    name = "(o) a window beside a draft of 100 000 records against one beside a draft of one"
    results.ratio(name, told["window beside"], told["window"], "ms", 1.5)
    print(f"     saving the 100 000 records: {told['save']:,.0f} ms", flush=True)
    name = "(q) 10 000 lines of five cells put into a grid, against csv and the same rules"
    results.ratio(name, told["paste"], told["paste by hand"], "ms", 3.0)
    results.ratio(f"{name}, over stored records", told["paste over"], told["paste over by hand"], "ms", 3.0)


def _write(results: Results, content: list[list[str]]) -> None:
    heads = list("abcdefgh")

    def ours() -> None:
        for _ in csv_lines(heads, content):
            pass

    def by_hand() -> None:
        csv.writer(io.StringIO()).writerows([heads, *content])

    results.ratio("(p) 100 000 rows as CSV, against the csv module", *_pair(ours, by_hand), "ms", 2.0)

    def a_book() -> None:
        write_xlsx(io.BytesIO(), [Sheet("Rows", heads, content[:20_000])])

    def a_book_by_hand() -> None:
        import xlsxwriter

        book = xlsxwriter.Workbook(io.BytesIO(), {"constant_memory": True})
        sheet = book.add_worksheet()
        for line, row in enumerate(content[:20_000]):
            for column, value in enumerate(row):
                sheet.write_string(line, column, value)
        book.close()

    results.ratio(
        "(p) 20 000 rows as a workbook, against xlsxwriter in constant memory",
        *_pair(a_book, a_book_by_hand),
        "ms",
        1.3,
    )


def _pair(ours: Callable[[], None], by_hand: Callable[[], None], times: int = 5) -> tuple[float, float]:
    """The medians of both in milliseconds, taken in turns."""
    taken: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        for act, several in zip((ours, by_hand), taken, strict=True):
            started = time.perf_counter()
            act()
            several.append((time.perf_counter() - started) * 1000)
    return sorted(taken[0])[times // 2], sorted(taken[1])[times // 2]
