"""What lookups, calculated fields and rules cost, against the same without them and against raw statements."""

from __future__ import annotations

import csv
import random
import sqlite3
import string
from dataclasses import replace
from pathlib import Path

from django.template import Context, Engine

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.lookups import listed, shown_writer
from enlace.core.dataset.window import Rows
from enlace.core.kinds import Formats
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.dataset import DatasetSpec, FieldSpec, RuleSpec
from enlace.core.rules import RecordRules
from enlace.rows.writer import row_writer

from .results import Results, medians, milliseconds

LISTS, LINES, ROWS, LONG, IMPORT = 5, 2_000, 200_000, 1_000_000, 100_000
FORMULAS = (
    "weight * 1.23",
    "COALESCE(list1.name, '') || ' ' || code",
    "CASE WHEN weight > 50 THEN 'heavy' ELSE 'light' END",
)
RULES = ("weight > 0", "length(code) BETWEEN 2 AND 12", "weight < 1000 OR code LIKE 'X%'", "list1_id <> 0")
ENGLISH = Formats.of("en_GB")
LINES_BY_HAND = Engine().from_string(
    "{% for value, name in rows %}<li data-choice='{{ value }}'>{{ name }}</li>{% endfor %}"
)


def _make(path: Path) -> ConnectionSpec:
    dice = random.Random(3)
    word = lambda: "".join(dice.choices(string.ascii_lowercase, k=9)).capitalize()  # noqa: E731
    with sqlite3.connect(path) as db:
        for n in range(1, LISTS + 1):
            db.execute(f"CREATE TABLE list{n} (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL)")
            db.executemany(f"INSERT INTO list{n} VALUES (?, ?)", ((i, word()) for i in range(1, LINES + 1)))
        columns = ", ".join(f"list{n}_id INTEGER REFERENCES list{n} (id)" for n in range(1, LISTS + 1))
        db.execute(
            f"CREATE TABLE item (id INTEGER PRIMARY KEY, code VARCHAR(12) NOT NULL, weight DECIMAL(8, 3), {columns})"
        )
        db.executemany(
            f"INSERT INTO item VALUES (?, ?, ?{', ?' * LISTS})",
            (
                (n, f"C{n}", n % 97 + 0.5, *(dice.randrange(1, LINES + 1) for _ in range(LISTS)))
                for n in range(1, ROWS + 1)
            ),
        )
        db.execute("CREATE TABLE place (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL)")
        db.execute("CREATE INDEX place_name ON place (name)")
        db.executemany("INSERT INTO place VALUES (?, ?)", ((n, word()) for n in range(1, LONG + 1)))
        db.execute("CREATE TABLE trip (id INTEGER PRIMARY KEY, place_id INTEGER REFERENCES place (id))")
        db.execute("ANALYZE")
    db.close()
    return ConnectionSpec.of("sqlite", path=str(path))


def _bare(dataset: DatasetSpec) -> DatasetSpec:
    return replace(dataset, fields=tuple(replace(f, lookup=None) for f in dataset.fields))


def windows(results: Results, spec: ConnectionSpec) -> None:
    """A window of 100 rows with five lookups and three calculated fields against the same without."""
    bare = _bare(make_dataset(spec, "item"))
    kinds = ("decimal", "text", "text")
    extra = tuple(
        FieldSpec(f"calc{i}", f"Calc {i}", kind, formula=item)
        for i, (item, kind) in enumerate(zip(FORMULAS, kinds, strict=True))
    )
    full = replace(make_dataset(spec, "item"), extra=extra)

    def show(dataset: DatasetSpec) -> str:
        rows = Rows.of(spec, dataset).window(0, 100)
        return row_writer(dataset, ENGLISH).write(rows, {}, lambda _: None)

    assert len(full.looked_up) == LISTS
    assert show(full).count("gridcell") > show(bare).count("gridcell")
    name = "window of 100 rows with five lookups and three calculated fields against the same without"
    results.ratio(name, *medians(lambda: show(full), lambda: show(bare), 150), "ms", 1.5)


def searches(results: Results, spec: ConnectionSpec, path: Path) -> None:
    """A search in a list of a million against two raw queries that an index serves, and their rendering."""
    dataset = make_dataset(spec, "trip")
    field = dataset.by_name["place_id"]
    db = sqlite3.connect(path)
    turn = iter(random.Random(5).choices(string.ascii_lowercase, k=100_000))

    def ours() -> None:
        page = listed(spec, dataset, field, next(turn) + next(turn))
        assert field.lookup is not None
        write = shown_writer(field.lookup, ENGLISH)
        html = [f"<li data-choice='{option.value}'>{write(option.shown)}</li>" for option in page.options]
        assert len(html) == 50

    def theirs() -> None:
        result: list = []
        start = next(turn) + next(turn)
        for spelling in (start, start.capitalize()):
            sql = "SELECT id, name FROM place WHERE name >= ? AND name < ? ORDER BY name LIMIT 50"
            result += db.execute(sql, (spelling, spelling[:-1] + chr(ord(spelling[-1]) + 1))).fetchall()
        assert LINES_BY_HAND.render(Context({"rows": result}))

    name = "a search in a list of a million against two raw indexed queries and their rendering"
    results.ratio(name, *medians(ours, theirs, 150), "ms", 1.0)
    db.close()


def rules(results: Results, spec: ConnectionSpec, folder: Path) -> None:
    """Rules on 100 000 records against reading them from a CSV file and executemany of them."""
    dataset = replace(_bare(make_dataset(spec, "item")), rules=tuple(RuleSpec(item) for item in RULES))
    names = [f.name for f in dataset.fields]
    lines = [[n, f"C{n}", n % 97 + 0.5, *[n % LINES + 1] * LISTS] for n in range(1, IMPORT + 1)]
    file = folder / "items.csv"
    with file.open("w", newline="") as out:
        csv.writer(out).writerows(lines)
    records = [dict(zip(names, line, strict=True)) for line in lines]
    checked, touched = RecordRules(dataset), frozenset(names)

    def ours() -> None:
        # As an import asks: one by one only those that are not sound at first sight.
        for record, sound in zip(records, checked.sound(records, new=True), strict=True):
            assert sound or not checked.complaints(record, touched, True)

    def theirs() -> None:
        target = folder / "by_hand.sqlite3"
        target.unlink(missing_ok=True)
        db = sqlite3.connect(target)
        db.execute(f"CREATE TABLE item ({', '.join(names)})")
        with file.open(newline="") as given, db:
            db.executemany(f"INSERT INTO item VALUES ({', '.join('?' * len(names))})", csv.reader(given))
        db.close()

    ratios = [(milliseconds(ours), milliseconds(theirs)) for _ in range(3)]
    first, second = min(item for item, _ in ratios), min(other for _, other in ratios)
    print(f"     {IMPORT / first * 1000:,.0f} records a second checked against {len(RULES)} rules", flush=True)
    results.ratio("rules on 100 000 records against reading their CSV and executemany", first, second, "ms", 3.0)


def main(results: Results, folder: Path) -> None:
    """All of it."""
    print("Making lists and a list of a million ...", flush=True)
    path = folder / "shape.sqlite3"
    spec = _make(path)
    windows(results, spec)
    searches(results, spec, path)
    rules(results, spec, folder)
