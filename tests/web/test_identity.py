"""Records are told apart, and edited as what they are, whatever their table declares."""

import json
import sqlite3

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.server.catalog import Catalog
from tests.harbour import made
from tests.servers import SERVERS
from tests.web.pages import Pages


class Identity(Pages):
    def ids(self, form) -> list[str]:
        page = self.client.get(f"/desk/{form.pk}/rows?start=0&size=100").content.decode()
        return page.split('id="r-')[0:0] or [part.split('"')[0] for part in page.split('data-id="')[1:]]

    def on(self, *statements: str, rows=None):
        self.spec = made(*statements, rows=rows)
        return self.connect(self.spec)

    def test_the_first_that_tells_rows_apart(self):
        place = self.on(
            "CREATE TABLE declared (code TEXT PRIMARY KEY, a TEXT)",
            "CREATE TABLE by_fact (code TEXT PRIMARY KEY, a TEXT)",
            "CREATE TABLE a_set (code TEXT, a TEXT NOT NULL, b INT NOT NULL, UNIQUE (a, b))",
            "CREATE TABLE plain (a TEXT, b TEXT)",
            "CREATE TABLE downwards (a INTEGER PRIMARY KEY DESC, b TEXT)",
            rows={
                "declared": [(None, "x"), (None, "y"), ("c", "z")],
                "by_fact": [("c", "x")],
                "downwards": [(1, "a"), (None, "b")],
            },
        )
        identities = {
            name: make_dataset(place.to_spec(), name).key
            for name in ("declared", "by_fact", "a_set", "plain", "downwards")
        }
        self.assertEqual(
            identities,
            {
                "downwards": ("_rowid_",),
                "declared": ("_rowid_",),
                "by_fact": ("code",),
                "a_set": ("a", "b"),
                "plain": ("_rowid_",),
            },
        )

    def test_rows_with_null_keys_are_edited_and_removed_one_by_one(self):
        place = self.on(
            "CREATE TABLE berth (code TEXT PRIMARY KEY, name TEXT)",
            rows={"berth": [(None, f"Berth {n}") for n in range(1, 31)]},
        )
        form = self.form("berth", place)
        self.assertEqual(form.dataset.compare, "all")
        page = self.client.get(f"/desk/{form.pk}/record?record=i7").content.decode()
        self.assertIn("Berth 7", page)
        self.edit(form, "i7", name="Seven", code="B7")
        self.post(form, "remove", record="i8")
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT code FROM berth WHERE name = 'Seven'"), [("B7",)])
        self.assertEqual(self.sql("SELECT count(*) FROM berth WHERE code IS NULL"), [(28,)])
        new = self.new(form, name="Late")
        self.assertIn("needs a value", self.client.get(f"/desk/{form.pk}/record?record={new}").content.decode())
        self.assertIn("Nothing was saved", self.said(self.post(form, "save")))
        self.edit(form, new, code="B99")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.post(form, "new")
        self.post(form, "discard")

    def test_all_columns_where_there_is_nothing_else(self):
        for kind in SERVERS[1:]:
            with self.subTest(server=kind):
                place = self.at_server(kind)
                place.run("CREATE TABLE visit (ship text, day date, tons numeric(8, 2))")
                place.run(
                    "INSERT INTO visit VALUES ('A', '2026-05-01', 1.5), ('A', NULL, NULL), (NULL, NULL, 2), ('B', NULL, 7), ('B', NULL, 7)"
                )
                form = self.form("visit", self.connect(place.spec))
                self.assertEqual(form.dataset.key, ["ship", "day", "tons"])
                ids = self.ids(form)
                self.assertEqual(len(set(ids)), 4)  # two rows are alike
                identifier = next(
                    i for i in ids if "A" in self.editors(form, i) and "2026" not in self.editors(form, i)
                )
                self.edit(form, identifier, tons="3")
                self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
                self.assertEqual(place.run("SELECT tons FROM visit WHERE ship = 'A' AND day IS NULL")[0][0], 3)
                twin = next(i for i in self.ids(form) if "B" in self.editors(form, i))
                self.edit(form, twin, ship="C")
                self.assertIn("are alike", self.said(self.post(form, "save")))
                self.assertEqual(place.run("SELECT count(*) FROM visit WHERE ship = 'B'"), [(2,)])

    def test_keys_that_are_not_equal_to_themselves(self):
        place = self.at_server("postgresql")
        place.run("CREATE TABLE level (k double precision PRIMARY KEY, v text)")
        place.run("INSERT INTO level VALUES ('NaN', 'a'), ('Infinity', 'b'), (0.1, 'c')")
        form = self.form("level", self.connect(place.spec))
        for identifier in self.ids(form):
            self.edit(form, identifier, v="seen")
        self.assertIn("Saved 3 records", self.said(self.post(form, "save")))
        place = self.at_server("mariadb")
        place.run("CREATE TABLE level (k float PRIMARY KEY, v varchar(9))")
        place.run("INSERT INTO level VALUES (0.1, 'a'), (0.3, 'b')")
        form = self.form("level", self.connect(place.spec))
        self.assertEqual((form.dataset.key, self.client.get(f"/desk/{form.pk}/").status_code), ([], 200))

    def editors(self, form, record: str) -> str:
        page = self.client.get(f"/desk/{form.pk}/record", {"record": record}).content.decode()
        return " ".join(part.split('"')[0] for part in page.split(' value="')[1:])

    def test_a_key_that_is_a_reference_is_chosen_from_its_list(self):
        place = self.on(
            "CREATE TABLE ship (id INTEGER PRIMARY KEY, name TEXT NOT NULL)",
            "CREATE TABLE papers (ship_id INTEGER PRIMARY KEY REFERENCES ship (id), flag TEXT)",
            rows={"ship": [(1, "Gaivota"), (2, "Maré")]},
        )
        form = self.form("papers", place)
        new = self.new(form, ship_id="Maré", flag="PT")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertNotEqual(new, "i2")
        self.assertEqual(self.sql("SELECT * FROM papers"), [(2, "PT")])
        self.new(form, ship_id="Maré", flag="NO")
        said = self.said(self.post(form, "save"))
        self.assertIn("There is already a record with this key", said)
        self.assertNotIn("Somebody", said)

    def test_a_number_may_be_typed_where_the_builder_says_so(self):
        for kind in SERVERS:
            with self.subTest(server=kind):
                place = self.at_server(kind)
                numbered = {"sqlite": "INTEGER", "postgresql": "serial", "mariadb": "integer AUTO_INCREMENT"}[kind]
                place.run(f"CREATE TABLE buoy (id {numbered} PRIMARY KEY, name varchar(20))")
                form = self.form("buoy", self.connect(place.spec))
                new = self.new(form, name="By number")
                self.edit(form, new, 400, id="77")
                field = form.dataset.fields.get(name="id")
                put = f"/workshop/field/{field.pk}/set"
                self.assertEqual(
                    self.client.post(
                        put, {"property": "read_only", "value": "no"}, headers={"HX-Request": "true"}
                    ).status_code,
                    200,
                )
                self.edit(form, new, id="77")
                self.new(form, name="By the server")
                self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
                rows = place.run("SELECT id, name FROM buoy ORDER BY name")
                self.assertEqual(rows[0], (77, "By number"))
                self.assertEqual(len(rows), 2)

    def test_made_up_types_hold_what_they_hold(self):
        place = self.on(
            "CREATE TABLE gauge (id INTEGER PRIMARY KEY, reading POINT_OR_CODE, plain NUMERIC)",
            "CREATE TABLE loose (id INTEGER PRIMARY KEY, v ANY) STRICT",
            rows={"gauge": [(1, 12, 3), (2, "n/a", 4)], "loose": [(1, 5), (2, "5"), (3, "x")]},
        )
        gauge, loose = self.form("gauge", place), self.form("loose", place)
        page = self.client.get(f"/desk/{gauge.pk}/record?record=i2").content.decode()
        self.assertNotIn("mends it", page)
        rows = self.client.get(f"/desk/{gauge.pk}/rows?only-reading=n/a").content.decode()
        self.assertEqual(rows.count('class="record'), 1)
        self.edit(gauge, "i2", reading="still n/a")
        self.edit(gauge, "i1", reading="13")
        self.assertIn("Saved 2 records", self.said(self.post(gauge, "save")))
        self.assertEqual(
            self.sql("SELECT reading, typeof(reading) FROM gauge"), [(13, "integer"), ("still n/a", "text")]
        )
        for record in ("i1", "i2", "i3"):
            self.edit(loose, record, v="6")
        self.post(loose, "save")
        self.assertEqual(self.sql("SELECT typeof(v) FROM loose"), [("integer",), ("text",), ("text",)])

    def test_an_empty_text_is_no_value_where_one_is_needed(self):
        place = self.on(
            "CREATE TABLE quay (id INTEGER PRIMARY KEY, name TEXT NOT NULL, note TEXT)", rows={"quay": [(1, "N", "x")]}
        )
        form = self.form("quay", place)
        self.assertContains(self.edit(form, "i1", name=""), "Name needs a value.")
        self.assertIn("Nothing was saved", self.said(self.post(form, "save")))
        self.post(form, "discard")
        self.post(form, "empty", record="i1", field="note", to="text")
        self.post(form, "save")
        self.assertEqual(self.sql("SELECT note FROM quay"), [("",)])
        self.post(form, "empty", record="i1", field="note", to="null")
        self.post(form, "save")
        self.assertEqual(self.sql("SELECT note FROM quay"), [(None,)])

    def test_internal_tables_are_not_offered(self):
        place = self.on(
            "CREATE VIRTUAL TABLE words USING fts5 (body)", "CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT)"
        )
        self.assertEqual(Catalog.of(place.to_spec()).tables, ("t", "words"))
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("INSERT INTO words (body) VALUES ('first word')")
        db.close()
        form = self.form("words", place)
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), "first word")
        self.edit(form, "i1", body="another word")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT body FROM words WHERE words MATCH 'another'"), [("another word",)])

    def test_long_values_of_a_view_are_whole_in_the_panel(self):
        place = self.on(
            "CREATE TABLE log (id INTEGER PRIMARY KEY, body TEXT)", "CREATE VIEW last AS SELECT * FROM log",
            rows={"log": [(1, "word " * 900 + "the end")]},
        )  # fmt: skip
        self.assertContains(self.client.get(f"/desk/{self.form('last', place).pk}/"), "the end")

    def test_new_is_not_offered_where_the_key_can_not_be_entered(self):
        place = self.on("CREATE TABLE token (id BLOB NOT NULL PRIMARY KEY, name TEXT)", rows={"token": [(b"\1", "a")]})
        form = self.form("token", place)
        self.assertRegex(self.client.get(f"/desk/{form.pk}/").content.decode(), r'id="act-new" disabled')
        self.post(form, "new", 400)


class Lists(Pages):
    def setUp(self):
        super().setUp()
        self.spec = made(
            "CREATE TABLE town (id INTEGER PRIMARY KEY, name TEXT)",
            "CREATE INDEX by_name ON town (name)",
            "CREATE TABLE call (id INTEGER PRIMARY KEY, town_id INTEGER REFERENCES town (id), flag TEXT)",
            rows={
                "town": [(n, f"Town {n}" if n > 3 else "San José") for n in range(1, 20_101)],
                "call": [(n, n % 250 + 1, "x") for n in range(1, 1001)],
            },
        )
        self.call = self.form("call", self.connect(self.spec))

    def test_the_last_letters_there_are(self):
        for typed in ("\ud7ff", "\U0010ffff", "a\U0010ffff\U0010ffff"):
            asked = {"record": "i1", "field": "town_id", "typed": typed}
            self.assertEqual(self.client.get(f"/desk/{self.call.pk}/choices", asked).status_code, 200)

    def test_several_are_called_so(self):
        told = self.edit(self.call, "i1", town_id="San José")
        self.assertContains(told, "Several are called “San José”")
        self.assertNotContains(told, "is not in the list")
        self.assertContains(self.edit(self.call, "i1", town_id="Nowhere"), "is not in the list")

    def test_counts_go_by_the_value_and_on(self):
        at = f"/desk/{self.call.pk}/groups"
        first = self.client.get(at, {"by": "town_id"}).content.decode()
        self.assertEqual((first.count('<tr><th scope="row">'), first.count(">San José")), (200, 3))
        self.assertIn("only-town_id=%3D%3D2", first)
        only = self.client.get(f"/desk/{self.call.pk}/count?only-town_id=%3D%3D2")
        self.assertEqual(json.loads(only["HX-Trigger"])["enlace:total"]["total"], 4)
        self.assertIn("Smaller ones", first)
        self.edit(self.call, "i7", town_id="nothing of the list")  # a text that is no value counts as none
        self.assertEqual(self.client.get(at, {"by": "town_id"}).status_code, 200)
        self.post(self.call, "discard")
        second = self.client.get(at, {"by": "town_id", "start": "200"}).content.decode()
        self.assertEqual(second.count('<tr><th scope="row">'), 50)
        self.sql("UPDATE call SET flag = '' WHERE id = 1")
        self.sql("UPDATE call SET flag = NULL WHERE id = 2")
        notes = self.client.get(at, {"by": "flag"}).content.decode()
        for words in ("(empty text)", "(no value)", "x"):
            self.assertIn(f">{words}<", notes)
        for said, count in (("==", 1), ("no value", 1), ("==x", 998), ("==X", 0)):
            response = self.client.get(f"/desk/{self.call.pk}/count", {"only-flag": said})
            self.assertEqual(json.loads(response["HX-Trigger"])["enlace:total"]["total"], count, said)


class NoFiniteNumbers(Pages):
    """NaN, infinity and very long numbers in a column of numbers: shown, added up and put into groups like others."""

    def test_on_every_page(self):
        place = self.at_server("postgresql")
        long = "1234567890123456789012345678901234567890.125"
        place.run("CREATE TABLE gauge (id integer PRIMARY KEY, name text, n numeric, d double precision)")
        place.run(
            "INSERT INTO gauge VALUES (1, 'a', 'NaN', 'Infinity'), (2, 'a', 2.5, '-Infinity'), (3, 'b', 'Infinity', 1),"
            f" (4, 'b', {long}, 'NaN')"
        )
        form = self.form("gauge", self.connect(place.spec))
        at = f"/desk/{form.pk}/"
        self.edit(form, "i2", n="3.5", d="7")
        for page in (
            "",
            "rows?start=0&size=50",
            "?group=name",
            "?group=n",
            "values?field=n",
            "values?field=d",
            "table",
        ):
            told = self.client.get(at + page)
            self.assertEqual(told.status_code, 200, page)
        for field in ("n", "d"):
            for function in ("sum", "avg", "min", "max", "distinct", "first"):
                self.client.post(at + "columns", {"act": "total", "field": field, "value": function})
        self.assertContains(self.client.get(at + "totals"), "NaN")
        self.assertContains(self.client.get(at + "?group=name"), "NaN")
        cells = self.client.get(at + "cells?from=0&count=4&column=2&wide=1").json()["words"]
        self.assertIn("least 3.5, greatest NaN", cells)
        self.edit(form, "i1", n="1", d="2")
        self.edit(form, "i3", n="2")
        cells = self.client.get(at + "cells?from=0&count=4&column=2&wide=1").json()["words"]
        self.assertIn("sum 1,234,567,890,123,456,789,012,345,678,901,234,567,896.625", cells)
        self.assertContains(self.client.get(at + "totals"), "1,234,567,890,123,456,789,012,345,678,901,234,567,896.625")
        self.post(form, "save", token="a" * 32)
        self.assertContains(self.client.get(at + "totals"), "1,234,567,890,123,456,789,012,345,678,901,234,567,896.625")
