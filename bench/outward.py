"""(p) on a server: a million stored rows as CSV and as a workbook, against what somebody writes by hand; and a large project
as text."""

from __future__ import annotations

import csv
import datetime
import json
import sqlite3
import subprocess
import sys
from pathlib import Path
from statistics import median

from scripts.serving import ROOT

from . import table
from .results import Results, milliseconds
from .served import Server

TAKEN = "/desk/1/take?stored=1&format="
PROJECT_SECONDS = 2_000.0  # milliseconds for a hundred forms and as many datasets


def main(results: Results, folder: Path) -> None:
    """All of it."""
    database = folder / "outward.sqlite3"
    table.make(str(database))
    with Server(folder / "outward-home", str(database)) as server:
        _csv(results, server, database, folder / "by-hand.csv")
        _workbook(results, server, database, folder / "by-hand.xlsx")
    _project(results)


def _csv(results: Results, server: Server, database: Path, file: Path) -> None:
    def by_hand() -> None:
        with file.open("w", newline="") as out, sqlite3.connect(database) as db:
            cursor = db.execute("SELECT * FROM reading ORDER BY id")
            csv.writer(out).writerow([column[0] for column in cursor.description])
            csv.writer(out).writerows(cursor)

    def ours() -> None:
        told.append(server.length(f"{TAKEN}csv"))

    told: list[int] = []
    server.length(f"{TAKEN}csv")
    before = server.memory()
    pairs = [(milliseconds(ours), milliseconds(by_hand)) for _ in range(3)]
    grown = server.memory() - before
    assert abs(told[0] / file.stat().st_size - 1) < 0.2, (told, file.stat().st_size)
    name = "(p) a million rows as CSV over HTTP, against the csv module from the driver"
    results.ratio(name, *map(median, zip(*pairs, strict=True)), "ms", 2.0)
    results.bound("(p) memory growth meanwhile", grown, "MB", 30)


def _workbook(results: Results, server: Server, database: Path, file: Path) -> None:
    """Once each: it takes a minute. By hand the same cells, told apart by the columns, which somebody knows who writes it."""

    def by_hand() -> None:
        import xlsxwriter

        book = xlsxwriter.Workbook(str(file), {"constant_memory": True})
        shape = book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"})
        sheet = book.add_worksheet()
        with sqlite3.connect(database) as db:
            cursor = db.execute("SELECT * FROM reading ORDER BY id")
            for column, (name, *_) in enumerate(cursor.description):
                sheet.write_string(0, column, name)
            for line, row in enumerate(cursor, 1):
                for column in (0, 1, 4, 5):
                    sheet.write_number(line, column, row[column])
                for column in (2, 7):
                    sheet.write_string(line, column, row[column])
                sheet.write_datetime(line, 3, datetime.datetime.fromisoformat(row[3]), shape)
                sheet.write_boolean(line, 6, bool(row[6]))
        book.close()

    told: list[int] = []
    before = server.memory()
    ours = milliseconds(lambda: told.append(server.length(f"{TAKEN}xlsx")))
    grown = server.memory() - before
    name = "(p) a million rows as a workbook over HTTP, against xlsxwriter in constant memory"
    results.ratio(name, ours, milliseconds(by_hand), "ms", 1.3)
    results.bound("(p) memory growth meanwhile", grown, "MB", 30)
    assert abs(told[0] / file.stat().st_size - 1) < 0.3, (told, file.stat().st_size)


def _project(results: Results) -> None:
    """A process of its own, with a database of Enlace's own."""
    command = [sys.executable, "-m", "bench.large_project"]
    told = subprocess.run(command, cwd=ROOT, check=True, capture_output=True, text=True).stdout
    for name, figure in json.loads(told.splitlines()[-1]).items():
        results.bound(f"(p) a project of 100 forms and 100 datasets: {name}", figure, "ms", PROJECT_SECONDS)
