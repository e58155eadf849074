"""(o) A file of many rows checked and put into a draft, against csv and executemany: run with the server's environment.

Prints the milliseconds of both, the growth of memory in MB, and what saving the draft takes.
"""

from __future__ import annotations

import csv
import gc
import io
import json
import os
import sqlite3
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import chain, islice
from pathlib import Path
from statistics import median

import django

COUNT = int(os.environ.get("BENCH_ROWS", 100_000))
ROUNDS = 5
HEADS = ["code", "weight", "day", "pieces", "agent_id", "berth_code", "urgent", "remarks"]
SCHEMA = """
CREATE TABLE agent (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL);
CREATE TABLE berth (code VARCHAR(6) PRIMARY KEY, quay VARCHAR(40) NOT NULL);
CREATE TABLE shipment (id INTEGER PRIMARY KEY, code VARCHAR(12) NOT NULL UNIQUE, weight DECIMAL(9, 3) NOT NULL, day DATE NOT NULL,
  pieces INTEGER NOT NULL, agent_id INTEGER NOT NULL REFERENCES agent (id),
  berth_code VARCHAR(6) REFERENCES berth (code), urgent BOOLEAN NOT NULL,
  remarks VARCHAR(60));
"""
RULES = [
    ("weight > 0", "The weight must be more than nothing."),
    ("pieces BETWEEN 1 AND 5000", "There are 1 to 5 000 pieces."),
    ("day >= '2020-01-01'", "The day is too long ago."),
    ("NOT urgent OR weight < 900", "What is urgent weighs less than 900 t."),
]


def rows() -> Iterator[list[str]]:
    for i in range(COUNT):
        weight, day = f"{(i % 8000) / 10 + 0.125:.3f}", f"2026-0{i % 9 + 1}-1{i % 9}"
        urgent = "yes" if i % 3 else "no"
        yield [f"S{i:06}", weight, day, str(i % 4000 + 1), f"Agent {i % 200}", f"B{i % 20}", urgent, f"remark {i}"]


def write_rows(file: Path) -> None:
    """The file, a row at a time: what an import takes in memory is measured in the same process."""
    with file.open("w", newline="") as out:
        csv.writer(out).writerows(chain([HEADS], rows()))


def made(database: Path) -> None:
    with sqlite3.connect(database) as db:
        db.executescript(SCHEMA)
        db.executemany("INSERT INTO agent VALUES (?, ?)", [(n, f"Agent {n}") for n in range(200)])
        db.executemany("INSERT INTO berth VALUES (?, ?)", [(f"B{n}", f"Quay {n}") for n in range(20)])


def by_hand(database: Path, file: Path) -> None:
    """What somebody writes for this one file: read, looked up, checked, inserted."""
    with sqlite3.connect(database) as db, file.open(newline="") as text:
        agents = dict(db.execute("SELECT name, id FROM agent"))
        berths = {code for (code,) in db.execute("SELECT code FROM berth")}
        several = []
        for row in csv.DictReader(text):
            weight, pieces = float(row["weight"]), int(row["pieces"])
            urgent = row["urgent"] == "yes"
            if not (weight > 0 and 1 <= pieces <= 5000 and row["day"] >= "2020-01-01" and (not urgent or weight < 900)):
                continue
            if row["berth_code"] in berths:
                values = (row["code"], weight, row["day"], pieces, agents[row["agent_id"]])
                several.append((*values, row["berth_code"], urgent, row["remarks"]))
        names = ", ".join(HEADS)
        db.executemany(f"INSERT INTO shipment ({names}) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", several)


def plain(database: Path, file: Path) -> None:
    """The csv module and executemany, with nothing looked up or checked."""
    with sqlite3.connect(database) as db, file.open(newline="") as text:
        db.execute("CREATE TABLE plain (a, b, c, d, e, f, g, h)")
        db.executemany("INSERT INTO plain VALUES (?, ?, ?, ?, ?, ?, ?, ?)", csv.reader(text))


def formed(kind: str, parameters: dict[str, str], password: str = "") -> Callable:
    """What somebody works with: a form of the shipments of a database, with its rules."""
    from enlace.accounts.models import Person
    from enlace.core.dataset.inference.make import make_dataset
    from enlace.core.kinds import Formats
    from enlace.desk.work import Work
    from enlace.workshop import secrets
    from enlace.workshop.models import Connection, Dataset, Form, Project, place_of

    person = Person.objects.create_user("bench", password="bench-7-bench", role="builder")
    project = Project.objects.create(name="Bench")
    connection = Connection(project=project, name="Bench", kind=kind, parameters=parameters)
    if password:
        connection.password_from, connection.password = "kept", secrets.seal(password, place_of(connection))
    connection.save()
    dataset = Dataset.make(connection, make_dataset(connection.to_spec(), "shipment"), "shipment")
    for condition, sentence in RULES:
        dataset.rules.create(name=sentence[:40], expression=condition, message=sentence)
    form = Form.make(dataset, "Shipments")
    return lambda: Work(person, form, Formats.of("en_GB"))


def timed(act: Callable[[], object]) -> float:
    begun = time.perf_counter()
    act()
    return (time.perf_counter() - begun) * 1000


def on_server(kind: str) -> None:
    """The same file into a draft over a database server, beside the csv module and executemany there."""
    from sqlalchemy import URL, create_engine, text

    from scripts.throwaway import KINDS

    server = KINDS[kind](safe=True)
    server.start()
    driver = {"postgresql": "postgresql+psycopg", "mariadb": "mariadb+pymysql"}[kind]
    place = URL.create(driver, server.user, server.password, "127.0.0.1", server.port, server.database)
    key = {"postgresql": "INTEGER GENERATED BY DEFAULT AS IDENTITY", "mariadb": "INTEGER AUTO_INCREMENT"}[kind]
    with create_engine(place).begin() as db:
        for statement in filter(str.strip, SCHEMA.replace("shipment (id INTEGER", f"shipment (id {key}").split(";")):
            db.execute(text(statement))
        db.execute(
            text("INSERT INTO agent VALUES (:n, :name)"), [{"n": n + 1, "name": f"Agent {n}"} for n in range(200)]
        )
        db.execute(
            text("INSERT INTO berth VALUES (:n, :name)"), [{"n": f"B{n}", "name": f"Quay {n}"} for n in range(20)]
        )
        db.execute(text(f"CREATE TABLE plain ({', '.join(f'{head} VARCHAR(60)' for head in HEADS)})"))
    with tempfile.TemporaryDirectory() as folder:
        prepared(folder)
        file = Path(folder) / "rows.csv"
        write_rows(file)

        def plainly() -> None:
            with create_engine(place).begin() as db, file.open(newline="") as lines:
                db.exec_driver_sql(
                    f"INSERT INTO plain VALUES ({', '.join(['%s'] * 8)})", [tuple(row) for row in csv.reader(lines)]
                )

        told = read_and_put_in(formed(kind, server.parameters, server.password), file)
        print(json.dumps({**told, "plain": timed(plainly)}))
    server.end()


def prepared(folder: str) -> None:
    """Enlace on a home of its own."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enlace.site.settings")
    os.environ["ENLACE_HOME"] = f"{folder}/home"
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0, interactive=False)
    gc.collect()
    gc.freeze()  # as the server's processes do before they begin
    gc.set_threshold(20_000, 10, 10)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        prepared(folder)
        database, file = Path(folder) / "office.sqlite3", Path(folder) / "rows.csv"
        made(database)
        write_rows(file)
        work = formed("sqlite", {"path": str(database)})
        told = brought(work, file)  # first, so that its memory is measured alone
        told |= in_turns(work, file, {"by hand": by_hand, "plain": plain}, Path(folder))
        told |= pasted(work, database)
        print(json.dumps(told))


def in_turns(
    work: Callable, file: Path, others: dict[str, Callable[[Path, Path], None]], folder: Path
) -> dict[str, float]:
    """The medians of a file's way into the draft and of what is done by hand, one after the other several times: the machine's
    speed changes from one second to the next."""
    rounds: list[dict[str, float]] = []
    for number in range(ROUNDS):
        told = read_and_put_in(work, file)
        work().store.clear()
        for name, act in others.items():
            database = folder / f"{name}-{number}.sqlite3"
            made(database)
            told[name] = timed(lambda act=act, database=database: act(database, file))
        rounds.append(told)
    return {name: median(told[name] for told in rounds) for name in rounds[0]}


def pasted(work: Callable, database: Path) -> dict[str, float]:
    """A block of 10 000 lines of five cells put into the grid, as new records and over stored ones, beside reading it and
    checking it with the same rules."""
    from enlace.core.kinds import KINDS
    from enlace.core.rules import RecordRules
    from enlace.desk.blocks import put_block, read_block

    lines = [row[:5] for row in islice(rows(), 10_000)]
    text = "\n".join("\t".join(line) for line in lines)
    shown = work().dataset.shown
    first = next(i for i, field in enumerate(shown) if field.name == HEADS[0])
    fields = shown[first : first + 5]

    def ours() -> None:
        here = work()
        block = read_block(here, 0, first, lines)
        assert len(put_block(here, block, "Paste")) == 10_000

    def theirs() -> None:
        here = work()
        checked, formats = RecordRules(here.dataset), here.formats
        for line in csv.reader(io.StringIO(text), delimiter="\t"):
            record = {}
            for field, cell in zip(fields, line, strict=True):
                record[field.name] = 1 if field.lookup else KINDS[field.kind].parse(cell, field, formats)
            checked.complaints(record, frozenset(record), True)

    def by_turns(name: str) -> dict[str, float]:
        rounds = []
        for _ in range(ROUNDS):
            work().store.clear()
            rounds.append((timed(ours), timed(theirs)))
        return dict(zip((name, f"{name} by hand"), map(median, zip(*rounds, strict=True)), strict=True))

    told = by_turns("paste")
    work().store.clear()
    with sqlite3.connect(database) as db:
        several = [(f"T{i:06}", 1.5, "2021-01-01", 3, 1, True) for i in range(len(lines))]
        db.executemany(
            "INSERT INTO shipment (code, weight, day, pieces, agent_id, urgent) VALUES (?, ?, ?, ?, ?, ?)", several
        )
    return told | by_turns("paste over")


def read_and_put_in(work: Callable, file: Path) -> dict[str, float]:
    """The milliseconds of a file's way into the draft."""
    from enlace.desk import bringing

    def begin() -> None:
        bringing.begin(work(), "rows.csv", io.BytesIO(file.read_bytes()), file.stat().st_size)

    def through(what: str, done: str) -> None:
        while True:
            there = bringing.begun(work())
            if getattr(there.incoming, done) >= there.spool.count:
                return
            there.for_a_while(what)

    told = {"read": timed(begin), "check": timed(lambda: through("check", "checked"))}
    told["put in"] = timed(lambda: through("put_in", "taken"))
    told["sound"] = bringing.begun(work()).incoming.counts.get("new", 0)
    return told


def brought(work: Callable, file: Path) -> dict[str, float]:
    from enlace.core.draft.pending import new_record
    from enlace.desk import saving

    with sqlite3.connect(work().spec["path"]) as db:
        db.executemany(
            "INSERT INTO shipment (code, weight, day, pieces, agent_id, urgent) VALUES (?, 1, '2021-01-01', 1, 1, 0)",
            [(f"W{n:06}",) for n in range(1_000)],
        )
    window = lambda: median(timed(lambda: work().window(0, 60)) for _ in range(40))  # noqa: E731
    entered = {"code": "W-new", "weight": 1, "day": "2021-01-01", "pieces": 1, "agent_id": 1, "urgent": False}
    record = replace(new_record(), now=entered)
    work().store.put("New", {record.id: None}, {record.id: record})
    alone, before = window(), memory()
    told = read_and_put_in(work, file)
    told["MB"] = memory() - before
    told |= {"window": alone, "window beside": window()}
    told["save"] = timed(lambda: saving.save(work()))
    assert not work().store.counts()["all"]
    return told


def memory() -> float:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024


if __name__ == "__main__":
    if sys.argv[1:] and sys.argv[1] in ("postgresql", "mariadb"):
        on_server(sys.argv[1])
    elif "-p" in sys.argv:
        import cProfile
        import pstats

        with cProfile.Profile() as profile:
            main()
        pstats.Stats(profile).sort_stats("tottime").print_stats(45)
    else:
        main()
