"""Labels, what lists show, and which fields nobody is shown."""

import sqlite3
import tempfile
import unittest
from pathlib import Path

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.labels import label_of, list_label
from enlace.core.model.connection import ConnectionSpec
from enlace.core.server import forget_engines
from enlace.core.words import words_of
from tests.harbour import Bench, forget, made


class Labels(unittest.TestCase):
    def test_words_that_run_together(self):
        words = words_of(["stop_name", "time_zone", "trip"])
        self.assertEqual(label_of("stoptime", words), "Stop time")
        self.assertEqual(label_of("stopover", words), "Stopover")
        self.assertEqual(label_of("filename", {"file", "name"}), "Filename")

    def test_acronyms_and_endings(self):
        told = {"gid": "GID", "composers_ids": "Composers IDs", "body_html": "Body HTML", "ISRC": "ISRC"}
        self.assertEqual({name: label_of(name) for name in told}, told)
        lists = {
            "currency_code": "Currency",
            "page_ptr_id": "Page",
            "vesselId": "Vessel",
            "piano": "Piano",
            "paid": "Paid",
        }
        self.assertEqual({name: list_label(name, "t") for name in lists}, lists)
        self.assertEqual(list_label("id", "vessel"), "Vessel")


class WhatListsShow(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.addCleanup(forget_engines)
        self.path = Path(folder.name) / "t.sqlite"

    def shows(self, columns: str, rows: list[tuple]) -> tuple[str, ...]:
        with sqlite3.connect(self.path) as db:
            db.executescript(
                f"CREATE TABLE a ({columns}); CREATE TABLE b (id INTEGER PRIMARY KEY, a_id REFERENCES a (id))"
            )
            db.executemany(f"INSERT INTO a VALUES ({', '.join('?' * len(rows[0]))})", rows)
        dataset = make_dataset(ConnectionSpec.of("sqlite", path=str(self.path)), "b")
        return dataset.by_name["a_id"].lookup.shows

    def test_a_state_is_no_name(self):
        rows = [(i, "cancelled", f"2026-01-{i % 28 + 1:02} 10:{i % 60:02}") for i in range(60)]
        shows = self.shows("id INTEGER PRIMARY KEY, status TEXT NOT NULL, eta TIMESTAMP", rows)
        self.assertEqual(shows, ("eta",))

    def test_what_is_unique_together(self):
        rows = [(i, "app" + str(i // 10), f"model{i % 10}") for i in range(30)]
        shows = self.shows(
            "id INTEGER PRIMARY KEY, app_label TEXT NOT NULL, model TEXT NOT NULL, UNIQUE (app_label, model)", rows
        )
        self.assertEqual(shows, ("model", "app_label"))

    def test_json_and_paths_are_not_read(self):
        rows = [(i, f'{{"a": {i}}}', f"/files/{i}/x.png", f"Notice {i}") for i in range(20)]
        shows = self.shows(
            "id INTEGER PRIMARY KEY, name_data VARCHAR(80) NOT NULL, filename TEXT NOT NULL, headline TEXT", rows
        )
        self.assertEqual(shows, ("headline",))

    def test_names_that_repeat_get_what_tells_them_apart(self):
        rows = [(i, "San José", f"{'north' if i % 2 else 'south'} {i}") for i in range(20)]
        self.assertEqual(self.shows("id INTEGER PRIMARY KEY, name TEXT, region TEXT", rows), ("region",))
        self.path.unlink()
        rows = [(i, f"San José {i // 2}", f"{'north' if i % 2 else 'south'}") for i in range(20)]
        self.assertEqual(self.shows("id INTEGER PRIMARY KEY, name TEXT, region TEXT", rows), ("name", "region"))

    def test_what_several_columns_refer_to(self):
        with sqlite3.connect(self.path) as db:
            db.executescript("""
                CREATE TABLE house (id INTEGER PRIMARY KEY, title TEXT NOT NULL);
                CREATE TABLE bed (house_id INTEGER REFERENCES house (id), no INTEGER, area NUMERIC (6, 2),
                    PRIMARY KEY (house_id, no));
                CREATE TABLE row (house_id INTEGER, bed INTEGER, nth INTEGER, PRIMARY KEY (house_id, bed, nth),
                    FOREIGN KEY (house_id, bed) REFERENCES bed (house_id, no));
                CREATE TABLE plant (id INTEGER PRIMARY KEY, house INTEGER, bed INTEGER, nth INTEGER,
                    FOREIGN KEY (house, bed, nth) REFERENCES row (house_id, bed, nth));
            """)
            db.executemany("INSERT INTO house VALUES (?, ?)", [(i, f"House {i}") for i in range(1, 10)])
            db.executemany("INSERT INTO bed VALUES (?, ?, ?)", [(1 + i // 9, i % 9, 10 + i / 8) for i in range(81)])
        dataset = make_dataset(ConnectionSpec.of("sqlite", path=str(self.path)), "plant")
        told = {f.name: (f.lookup.table, f.lookup.shows, f.lookup.also) for f in dataset.fields if f.lookup}
        self.assertEqual(told["house"], ("house", ("title",), ()))
        # An area tells the beds apart today, and names none of them.
        self.assertEqual(told["bed"], ("bed", ("no",), (("house", "house_id"),)))
        self.assertEqual(told["nth"], ("row", ("nth",), (("house", "house_id"), ("bed", "bed"))))


class TimesAsOthersWriteThem(unittest.TestCase):
    """What is written into a file follows what other programs wrote there: their texts stand in one order, and are equal."""

    def test_each_form(self):
        self.addCleanup(forget)
        for at, clock, wanted in (
            ("2021-06-01 12:00:00.000000", "12:30:00.000000", ("2022-03-04 05:06:00.000000", "07:08:00.000000")),
            ("2021-06-01T12:00:00.000", "12:30:00", ("2022-03-04T05:06:00.000", "07:08:00")),
            ("2021-06-01 12:00:00", "12:30", ("2022-03-04 05:06:00", "07:08")),
            ("2021-06-01T12:00:00Z", "12:30:00.5", ("2022-03-04T05:06:00", "07:08")),
        ):
            rows = {"t": [(1, at, clock), (2, at, clock), (3, None, None)]}
            spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY, at DATETIME, clock TIME)", rows=rows)
            edited = Bench(spec, "t").edit("i3", at="4 Mar 2022 05:06", clock="07:08")
            self.assertEqual((edited.now["at"], edited.now["clock"]), wanted)
            whole = Bench(spec, "t").edit("i3", clock="07:08:09.123456")
            self.assertEqual(whole.now["clock"], "07:08:09.123456")  # nothing typed is cut off


class Nobodys(unittest.TestCase):
    def test_versions_and_secrets_are_hidden_and_json_is_checked(self):
        with tempfile.TemporaryDirectory() as folder:
            self.addCleanup(forget_engines)
            path = str(Path(folder) / "t.sqlite")
            with sqlite3.connect(path) as db:
                db.execute(
                    "CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT, lock_version INTEGER NOT NULL, api_token TEXT,"
                    " app_version INTEGER, settings TEXT NOT NULL CHECK ((JSON_VALID(settings) OR settings IS NULL)))"
                )
            dataset = make_dataset(ConnectionSpec.of("sqlite", path=path), "t")
        self.assertEqual([field.name for field in dataset.fields if field.hidden], ["lock_version", "api_token"])
        version = dataset.by_name["lock_version"]
        self.assertEqual((version.read_only, version.initial), (True, "1"))
        self.assertEqual((dataset.by_name["settings"].kind, dataset.by_name["settings"].storage), ("longtext", "json"))
        self.assertEqual(dataset.rules, ())
