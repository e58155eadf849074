"""Catalogs and what they suggest, on schemas as they come."""

import os
import sqlite3
import unittest
from pathlib import Path

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.expression import Expression
from enlace.core.labels import label_of
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.server import Catalog, run_step
from enlace.core.server.dialects.sqlite_checks import checks_in
from tests.harbour import ENGLISH, Bench, forget, harbour_copy, made, new_path


def steps(path) -> list:
    outcomes = []
    for number in range(5):
        outcomes.append(run_step(ConnectionSpec.of("sqlite", path=str(path)), number))
        if not outcomes[-1].ok:
            break
    return outcomes


class ConnectionTest(unittest.TestCase):
    def stops(self, path, at: int, *words: str):
        outcomes = steps(path)
        self.assertEqual(len(outcomes), at + 1, outcomes[-1])
        for word in words:
            self.assertIn(word, str(outcomes[-1].problem) + outcomes[-1].problem.words)

    def test_all_steps_pass(self):
        self.assertEqual([o.ok for o in steps(harbour_copy())], [True] * 5)

    def test_each_failure_stops_at_its_step(self):
        path = harbour_copy()
        self.stops("", 0, "No file is named")
        self.stops("/no/such/place/x.db", 0, "There is no file", "exists, but not")
        self.stops(path.with_name(path.name[:-1].upper()), 0, "closest name", path.name)
        self.stops(path.parent, 0, "is a folder")
        self.stops("/a\0b", 0, "No file is named")
        self.stops("/" + "x" * 5000, 0, "can't be used")
        text = new_path()
        text.write_text("Dear diary, this is not a database at all.")
        self.stops(text, 2, "not an SQLite database")
        broken = new_path()
        broken.write_bytes(b"SQLite format 3\0" + b"\xff" * 500)
        self.stops(broken, 2, "file is not a database")

    def test_a_locked_file(self):
        import sqlite3

        path = harbour_copy()
        other = sqlite3.connect(path, isolation_level=None)
        other.execute("BEGIN EXCLUSIVE")
        self.stops(path, 2, "holds the database locked", "database is locked")
        other.close()

    def test_an_unreadable_file(self):
        path = harbour_copy()
        os.chmod(path, 0)
        if os.access(path, os.R_OK):  # the superuser may read everything: take the right away another way
            os.remove(path)
            os.mkfifo(path)
            os.remove(path)
            path.symlink_to(Path("/proc/self/mem"))
            self.stops(path, 1, "no ordinary file")
        else:
            self.stops(path, 1, "may not be read")

    def test_a_wrong_path_makes_no_file(self):
        path = new_path()
        path.unlink()
        steps(path)
        with self.assertRaises(Problem):
            Catalog.of(ConnectionSpec.of("sqlite", path=str(path)))
        self.assertFalse(path.exists())


class Suggestions(unittest.TestCase):
    def test_the_harbour(self):
        spec = ConnectionSpec.of("sqlite", path=str(harbour_copy()))
        vessel = Catalog.of(spec).table("vessel")
        self.assertEqual([r.target for r in vessel.references], ["agent", "vessel_type"])
        self.assertEqual([r.table for r in vessel.referenced_by], ["port_call"])
        self.assertEqual([u.columns for u in vessel.uniques], [("imo_no",)])
        self.assertEqual(len(vessel.checks), 6)
        kinds = {f.name: f.kind for f in make_dataset(spec, "vessel").fields}
        self.assertEqual(kinds["photo"], "picture")
        self.assertEqual(kinds["remarks"], "longtext")
        self.assertEqual((kinds["in_service"], kinds["built"], kinds["length_m"]), ("yesno", "date", "decimal"))
        shift = make_dataset(spec, "pilot_shift")
        self.assertEqual((shift.key, shift.by_name["starts"].kind), (("pilot_id", "day"), "time"))
        self.assertTrue(make_dataset(spec, "vessel").by_name["id"].numbered)
        log = make_dataset(
            spec, "gate_log"
        )  # it has no key: the row number tells rows apart, and all of a row is compared
        self.assertEqual((log.key, log.compare, log.editable), (("_rowid_",), "all", True))
        self.assertIn("is a view", make_dataset(spec, "unpaid_dues").read_only_because)

    def test_a_missing_table_names_the_closest(self):
        spec = ConnectionSpec.of("sqlite", path=str(harbour_copy()))
        with self.assertRaises(Problem) as caught:
            Catalog.of(spec).table("pilotorder")
        self.assertIn("“PilotOrder”", str(caught.exception))

    def test_a_new_table_is_seen_at_once(self):
        path = harbour_copy()
        spec = ConnectionSpec.of("sqlite", path=str(path))
        before = len(Catalog.of(spec).tables)
        import sqlite3

        with sqlite3.connect(path) as db:
            db.execute("CREATE TABLE fresh (id INTEGER PRIMARY KEY)")
        self.assertEqual(len(Catalog.of(spec).tables), before + 1)

    def test_labels(self):
        for name, label in [
            ("gross_tonnage", "Gross tonnage"),
            ("shipName", "Ship name"),
            ("length_m", "Length (m)"),
            ("imo_no", "IMO no."),
            ("in_service", "In service"),
            ("Número do cais", "Número do cais"),
            ("___", "___"),
            ("", "(no name)"),
        ]:
            self.assertEqual(label_of(name), label)


class StrangeNames(unittest.TestCase):
    NAMES = [
        'a "quoted" name',
        "select",
        "Ünïcode ключ 键",
        "semi;colon",
        "per%cent",
        "dot.ted",
        "sl/ash",
        "new\nline",
        "it's",
        ":colon",
        "[",
    ]

    def test_every_name_works_from_catalog_to_save(self):
        from enlace.core.save import save
        from tests.harbour import ask

        for name in self.NAMES:
            quoted = '"' + name.replace('"', '""') + '"'
            spec = made(
                f'CREATE TABLE {quoted} ({quoted} TEXT PRIMARY KEY NOT NULL, {quoted[:-1]}2" INTEGER)',
                f"INSERT INTO {quoted} VALUES ('k/1 \"x\"', 5)",
            )
            bench = Bench(spec, name)
            (row,) = bench.rows.window(0, 10)
            outcome = save(spec, bench.dataset, [bench.edit(row.id, **{name + "2": "6"})])
            self.assertTrue(outcome.committed, (name, outcome))
            self.assertEqual(ask(spec, f"SELECT * FROM {quoted}"), [('k/1 "x"', 6)])

    def test_a_column_that_went_away_is_said(self):
        spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT)", "INSERT INTO t VALUES (1, 'x')")
        bench = Bench(spec, "t")
        import sqlite3

        with sqlite3.connect(spec["path"]) as db:
            db.execute("ALTER TABLE t DROP COLUMN a")
        with self.assertRaises(Problem) as caught:
            bench.rows.window(0, 10)
        self.assertIn("no longer has a table or column", str(caught.exception))
        self.assertEqual(ENGLISH.locale, "en_GB")


class Unreadable(unittest.TestCase):
    """What stands in the list and can't be read hides nothing else."""

    def test_a_view_of_what_is_gone_and_a_table_of_no_module(self):
        path = new_path()
        db = sqlite3.connect(path)
        db.executescript(
            "CREATE TABLE ship (id INTEGER PRIMARY KEY, name TEXT); CREATE VIEW broken AS SELECT * FROM gone;"
            "CREATE TABLE call (id INTEGER PRIMARY KEY, ship_id INTEGER REFERENCES ship); CREATE VIEW named AS SELECT name FROM ship;"
            "CREATE VIEW by_program AS SELECT of_a_program(name) AS n FROM ship; PRAGMA writable_schema = ON;"
            "INSERT INTO sqlite_master VALUES ('table', 'map', 'map', 0, 'CREATE VIRTUAL TABLE map USING no_module(x)')"
        )
        db.close()
        spec = ConnectionSpec.of("sqlite", path=str(path))
        self.addCleanup(forget)
        for name in ("ship", "call", "named"):
            self.assertEqual(make_dataset(spec, name).table, name)
        self.assertIsNotNone(make_dataset(spec, "call").by_name["ship_id"].lookup)
        self.assertEqual(Catalog.of(spec).tables, ("call", "ship"))
        for name, words in (("broken", "gone"), ("by_program", "of_a_program")):
            with self.assertRaisesRegex(Problem, f"can't say what columns “{name}” has") as told:
                make_dataset(spec, name)
            self.assertIn(words, told.exception.words)


class ChecksOfSqlite(unittest.TestCase):
    """What a table demands is read whatever stands beside it in the statement that made it; SQLite itself is the judge."""

    STATEMENT = """CREATE TABLE "Order ""Header" ( -- CHECK (never)
        "check" TEXT DEFAULT 'CHECK (no)' NOT NULL, made GENERATED ALWAYS AS (length([a b])) VIRTUAL,
        [a b] any thing at most (3, 4) CONSTRAINT "long enough" CHECK (length([a b]) > (1 + (1))), /* CHECK (a) */
        state TEXT COLLATE NOCASE check(state IN ('open', ')', 'on hold')) REFERENCES other ON DELETE SET NULL,
        loose, CONSTRAINT both CHECK (loose IS NULL OR state = 'open') ON CONFLICT FAIL, PRIMARY KEY ([a b])) WITHOUT ROWID"""

    def test_each_is_found_and_is_what_sqlite_holds_to(self):
        checks = checks_in(self.STATEMENT)
        self.assertEqual([name for name, _ in checks], ["long enough", "", "both"])
        db = sqlite3.connect(":memory:")
        db.execute(self.STATEMENT)
        rows = [(a, state, loose) for a in ("xy", "xyz") for state in ("open", ")", "shut") for loose in (None, 1)]
        for a, state, loose in rows:
            given = {"a b": a, "state": state, "loose": loose}
            holds = all(Expression(condition, list(given))(given) is not False for _, condition in checks)
            try:
                db.execute(
                    'INSERT INTO "Order ""Header" ("check", [a b], state, loose) VALUES (?, ?, ?, ?)',
                    ("", a, state, loose),
                )
                db.rollback()
                taken = True
            except sqlite3.IntegrityError:
                taken = False
            self.assertEqual(taken, holds, given)
