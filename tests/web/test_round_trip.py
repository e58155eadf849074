"""What was taken out comes in again unchanged: all kinds of values, each format, three servers, numbers written with a comma too."""

import json
import shutil
import uuid
from decimal import Decimal
from functools import partial

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from sqlalchemy import text

from enlace.core.model.connection import ConnectionSpec
from enlace.core.server.catalog import Catalog
from enlace.desk.models import Draft, Incoming
from tests.harbour import ask, new_path
from tests.outside.schemas import made
from tests.servers import SERVERS
from tests.web.pages import Pages

ENDS = {"csv": "csv", "json": "json", "jsonl": "jsonl", "xml": "xml", "xlsx": "xlsx", "ods": "ods", "package": "zip"}
SQL = {
    "sqlite": "CREATE TABLE t (id INTEGER PRIMARY KEY, words VARCHAR(80), story TEXT, n BIGINT, price DECIMAL(14,3),"
    " share DOUBLE, day DATE, at TIME, moment DATETIME, yes BOOLEAN, said JSON, mark CHAR(36))",
    "postgresql": "CREATE TABLE t (id integer PRIMARY KEY, words varchar(80), story text, n bigint, price numeric(14,3),"
    " share double precision, day date, at time(6), moment timestamp(6), yes boolean, said jsonb, mark uuid)",
    "mariadb": "CREATE TABLE t (id integer PRIMARY KEY, words varchar(80), story longtext, n bigint, price decimal(14,3),"
    " share double, day date, at time(6), moment datetime(6), yes boolean, said json, mark uuid)",
}
COLUMNS = ("id", "words", "story", "n", "price", "share", "day", "at", "moment", "yes", "said", "mark")
WORDS = ("plain", "", " leads", "trails ", "   ", "=1+1", "'", "''", "'=x", "+351 2", "-5", "@x", 'q"q,;\t|', "é ñ 日本 🚢", "null", "NULL", "yes", "007", "1e5", "2026-01-02", "1.234", "<a>&amp;", "true", "#N/A", "\\", "=", "_x000D_", "\u00a0")  # fmt: skip
STORIES = ("a\nb", "a\r\nb\r\n", "\n", "\tTab", "x" * 5000, "", None, "]]>", "a\rb", "line\n\n\nline ")


def _at(i, several):
    return several[i % len(several)]


def lines(kind):
    numbers = (0, 1, -1, 2**53 + 1, -(2**63), 2**63 - 1, None, 1234)
    prices = (
        "0.125",
        "12.345",
        "1234.500",
        "0",
        "-0.001",
        "99999999999.999" if kind != "sqlite" else "999999999.999",
        None,
    )
    shares = (0.1, 1e-7, 1.5e300, -2.5, 1 / 3, 1234.0, 5e-324, None, 1e22, 12.345)
    days = (
        "1899-12-31",
        "1900-02-28",
        "0101-01-01" if kind != "mariadb" else "1000-01-01",
        "9999-12-31",
        "2026-02-28",
        None,
    )
    times = ("00:00:00", "23:59:59.999999", "05:06:07", "12:30:00", None)
    moments = (
        "1899-12-31 23:59:59",
        "2026-01-02 00:00:00",
        "2026-01-02 03:04:05.678901",
        "9999-12-31 23:59:59",
        "1000-01-01 00:00:00",
        None,
    )
    said = ('{"a": 1}', "[1, 2]", '"x"', "1", "true", None, '"="')
    made = []
    for i in range(60):
        pick = partial(_at, i)
        price, share = pick(prices), pick(shares)
        words = pick(WORDS)
        made.append(
            {
                "id": i + 1, "words": words, "story": pick(STORIES), "n": pick(numbers), "price": price if price is None else (float(price) if kind == "sqlite" else Decimal(price)),
                "share": share, "day": pick(days), "at": pick(times), "moment": pick(moments), "yes": pick((True, False, None)),
                "said": pick(said), "mark": str(uuid.UUID(int=i * 7919)) if i % 5 else None,
            }
        )  # fmt: skip
    return made


class RoundTrip(Pages):
    def at(self, kind):
        place = self.at_server(kind)
        place.run(SQL[kind])
        with place.engine.begin() as db:
            db.execute(text(f"INSERT INTO t VALUES ({', '.join(':' + n for n in COLUMNS)})"), lines(kind))
        return place

    def through(self, form, what):
        done = {"done": 0, "of": 1}
        while done["done"] < done["of"]:
            response = self.client.post(f"/desk/{form.pk}/bring-in/{what}")
            self.assertEqual(response.status_code, 200, response.content[:500])
            done = json.loads(response.content)

    def out(self, form, name, stored="1"):
        return b"".join(self.client.get(f"/desk/{form.pk}/take?format={name}&stored={stored}").streaming_content)

    def come_in(self, form, name, content):
        at = f"/desk/{form.pk}/bring-in"
        response = self.client.post(at, {"act": "file", "file": SimpleUploadedFile(f"rows.{ENDS[name]}", content)})
        self.assertEqual(response.status_code, 302, response.content.decode()[-3000:])
        self.through(form, "check")

    def as_they_are(self, place):
        return place.run(f"SELECT {', '.join(COLUMNS)} FROM t ORDER BY id")

    def test_each_value(self):
        for kind in SERVERS:
            place = self.at(kind)
            form = self.form("t", self.connect(place.spec))
            for locale in ("en_GB", "de_DE"):
                for name in ENDS:
                    with self.subTest(kind, locale=locale, format=name), override_settings(LOCALE=locale):
                        self.unchanged(form, len(lines(kind)), name)

    def test_each_table_of_schemas_that_know_nothing_of_enlace(self):
        """As stored, and as shown: what people read in a file is understood again."""
        for path in sorted(made().glob("*.sqlite")):
            copy = shutil.copy(path, new_path())
            spec = ConnectionSpec.of("sqlite", path=str(copy))
            connection = self.connect(spec)
            for table in Catalog.of(spec).tables:
                if table.endswith("_fts"):
                    continue  # no key, so no row of it can be known again
                [(count,)] = ask(spec, f'SELECT count(*) FROM "{table}"')
                if 0 < count < 1_500:
                    form = self.form(table, connection)
                    for stored in ("1", ""):
                        with self.subTest(path.stem, table=table, stored=stored):
                            self.unchanged(form, count, "csv", stored)

    def test_what_nobody_could_type(self):
        """Values that their field's kind does not have: they stay as they are, and so does the row around them."""
        tables = {
            "sqlite": (
                "CREATE TABLE odd (id INTEGER PRIMARY KEY, at DATETIME, share DECIMAL(5, 1), third NUMERIC, d REAL, e DATE, yes BOOLEAN)",
                "INSERT INTO odd VALUES (1, 1577836801, 3 * 1.1, 1 / 3.0, 'none', '31/12/2020', 'maybe'), (2, 1577836802, 6.6, 0.5, 2, '2020-12-31', 1)",
            ),
            "mariadb": (
                "CREATE TABLE odd (id INT PRIMARY KEY, words VARCHAR(9), t TIME(3), s TIME)",
                "INSERT INTO odd VALUES (1, 'a', '-10:00:00.123', '838:59:59'), (2, '', '10:00', '-838:59:59')",
            ),
            "postgresql": (
                "CREATE TABLE odd (id text PRIMARY KEY, at timestamp, d date, n numeric, f float8, ip inet)",
                "INSERT INTO odd VALUES ('', 'infinity', '0044-03-15 BC', 'NaN', '-Infinity', '10.0.0.1'), ('b', '2020-01-01', '-infinity', 2, 1, '10.0.0.0/8')",
            ),
        }
        for kind, statements in tables.items():
            place = self.at_server(kind, *statements)
            form = self.form("odd", self.connect(place.spec))
            for name in ENDS:
                for stored in ("1", ""):
                    if name == "csv" and not stored and kind == "postgresql":
                        continue  # as it is shown, an empty text is nothing
                    with self.subTest(kind, format=name, stored=stored):
                        self.unchanged(form, 2, name, stored)

    def test_what_lists_and_missing_values_would_turn_into_something_else(self):
        """Half of a reference over two columns, a value that another line of the list shows, rows of a table without a key."""
        tables = {
            "sqlite": (
                "CREATE TABLE quay (side TEXT, n INTEGER, PRIMARY KEY (side, n))",
                "INSERT INTO quay VALUES ('A', 16), ('16', 13), ('B', 7)",
                "CREATE TABLE odd (id INTEGER PRIMARY KEY, side TEXT, n INTEGER, FOREIGN KEY (side, n) REFERENCES quay (side, n))",
                "INSERT INTO odd VALUES (1, 'A', 16), (2, NULL, 16), (3, '16', 13), (4, 'B', NULL), (5, NULL, NULL)",
            ),
            "mariadb": (
                "CREATE TABLE odd (words VARCHAR(9), n INT)",
                "INSERT INTO odd VALUES ('a', 1), (NULL, 2), ('b', NULL), ('', 3), ('c', 4)",
            ),
        }
        for kind, statements in tables.items():
            place = self.at_server(kind, *statements)
            form = self.form("odd", self.connect(place.spec))
            for name in ENDS:
                with self.subTest(kind, format=name):
                    self.unchanged(form, 5, name)

    def unchanged(self, form, count, name, stored="1"):
        content = self.out(form, name, stored)
        try:
            self.come_in(form, name, content)
            incoming = Incoming.objects.get()
            self.assertEqual(incoming.counts, {"update": count}, [f["faults"] for f in incoming.faults][:6])
            self.through(form, "put-in")
            draft = Draft.objects.filter(form=form).first()
            pending = [(r.record, r.body[:300]) for r in draft.records.all()] if draft else []
            self.assertEqual((draft.counts if draft else {}).get("all", 0), 0, pending)
        finally:
            self.post(form, "discard")
            self.client.post(f"/desk/{form.pk}/bring-in", {"act": "forget"})

    def test_each_value_of_new_records(self):
        for kind in SERVERS:
            place = self.at(kind)
            form = self.form("t", self.connect(place.spec))
            before = self.as_they_are(place)
            for name in ENDS:
                with self.subTest(kind, format=name), override_settings(LOCALE="de_DE"):
                    self.made_anew(form, place, name, before)

    def made_anew(self, form, place, name, before):
        content = self.out(form, name)
        place.run("DELETE FROM t")
        try:
            self.come_in(form, name, content)
            incoming = Incoming.objects.get()
            self.assertEqual(incoming.counts, {"new": len(before)}, [f["faults"] for f in incoming.faults][:6])
            self.through(form, "put-in")
            self.post(form, "save")
            now = self.as_they_are(place)
            self.assertEqual(len(now), len(before))
            different = [
                (a, b) for x, y in zip(before, now, strict=True) for a, b in zip(x[1:], y[1:], strict=True) if a != b
            ]
            self.assertEqual(different, [])
        finally:
            self.post(form, "discard")
            self.client.post(f"/desk/{form.pk}/bring-in", {"act": "forget"})
            place.run("DELETE FROM t")
            with place.engine.begin() as db:
                db.execute(text(f"INSERT INTO t VALUES ({', '.join(':' + n for n in COLUMNS)})"), lines(place.kind))
