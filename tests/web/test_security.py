"""What a hostile builder and a hostile operator try: each was done once, and is refused since."""

import os
import re
import socket
import tempfile
import threading
import time
from dataclasses import replace
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import Client, override_settings

from enlace.accounts.models import Person, PersonSession
from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.query import checked_query, run_query
from enlace.core.dataset.window import Rows as DatasetRows
from enlace.core.expression import Expression, ExpressionError, Unsupported
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.server import run_step
from enlace.core.server.places import Policy, allow, checked_file, policy
from enlace.desk.models import Draft, JournalEntry
from enlace.workshop import secrets
from enlace.workshop.local import folder, local_database
from enlace.workshop.models import Connection, Project
from tests.harbour import made
from tests.servers import Place, server
from tests.web.pages import Pages

HX = {"HX-Request": "true"}


class Computing(Pages):
    """Nothing that is computed takes long, whatever it is computed from."""

    def test_numbers_have_bounds(self):
        for text in ("floor(1e90000)", "1e9999999", "round(1, 1e99999999)", "9" * 5_000, "CAST('1' AS DECIMAL(a,b))"):
            with self.assertRaises((Unsupported, ExpressionError), msg=text[:40]):
                Expression(text, []).value({})
        for text in ("CAST('1e9999999' AS INTEGER)", "floor(CAST(a AS DECIMAL))", "abs(a) || 'x'", "a + 0.5 || ''"):
            with self.assertRaises(ExpressionError, msg=text):
                Expression(text, ["a"]).value({"a": "1e9999999"})

    def test_patterns_are_matched_in_linear_time(self):
        form = self.form("vessel")
        field = form.dataset.fields.get(name="name")
        field.pattern = "([A-Z][A-Za-z]* ?)+"
        field.save()
        form.dataset.touch()
        self.assertContains(self.edit(form, "i1", name="ThisIsTwentySevenLettersLon!"), "does not fit the pattern")
        self.edit(form, "i1", name="Gaivota Azul")
        long = Expression("a LIKE '%a%b%c%d%e%f%g%h%'", ["a"])
        self.assertIs(long({"a": "abcdefg" * 1_600}), False)
        self.assertIs(Expression("a LIKE '%É_\\%x' ESCAPE '\\'", ["a"])({"a": "12É3%X"}), True)
        put = f"/workshop/field/{field.pk}/set"
        refused = self.client.post(put, {"property": "pattern", "value": r"(a)\1"}, headers=HX)
        self.assertContains(refused, "not a regular expression")
        field.refresh_from_db()
        self.assertNotIn("\\1", field.pattern)


class Markup(Pages):
    """Markup in every text that a definition or a value can hold stays a text."""

    def test_rows_panel_and_pages(self):
        evil = "<img src=x onerror=alert(1)>"
        self.spec = made(
            "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT, n INTEGER, d NUMERIC, k TEXT REFERENCES u (code))",
            "CREATE TABLE u (code TEXT PRIMARY KEY NOT NULL, name TEXT)",
            rows={"u": [(evil, evil)], "t": [(1, evil, 5, 2.5, evil), (2, f'"{evil}', -7, 0, None)]},
        )
        form = self.form("t", self.connect(self.spec))
        for field in form.dataset.fields.all():
            field.label = field.help = evil[:100]
            if field.kind in ("whole", "decimal"):
                field.format = f"'{evil}'0.0'{evil}'"
            field.save()
        form.title = evil
        form.save()
        form.dataset.touch()
        form.dataset.rules.create(expression="n < 0", message=evil, own=True)
        self.edit(form, "i1", a=evil + evil)
        self.post(form, "edit", record="i1", field="n", value=evil)
        at = f"/desk/{form.pk}/"
        pages = [
            "",
            "rows",
            "record?record=i1",
            "review",
            "groups?by=a",
            "totals",
            f"?only-a={evil}",
            "choices?record=i1&field=k",
        ]
        for page in [f"{at}{page}" for page in pages] + [
            "/desk/",
            "/desk/journal/",
            f"/workshop/dataset/{form.dataset_id}/",
        ]:
            for headers in ({}, HX):
                body = self.client.get(page, headers=headers).content.decode()
                self.assertNotIn("<img src=x", body, page)
        self.assertIn("&lt;img src=x", self.client.get(f"{at}rows").content.decode())

    def test_ids_are_canonical(self):
        for odd in (
            "kWyJ4Il0=",
            "kWyJ4Il0\n",
            "kIFsieCJd",
            'kWyJ4Il0"><b>',
            "i1 ",
            "kW1sxXV0",
            "kW3siJCI6InV1aWQiLCJ2Ijo1fV0",
        ):
            with self.assertRaises(ValueError, msg=odd):
                key_of(odd)
        form = self.form("vessel")
        answer = self.client.get(f"/desk/{form.pk}/record", {"record": 'k"><b>x'}, headers=HX)
        self.assertNotIn(b"<b>x", answer.content)
        self.assertEqual(answer.status_code, 404)


class Secrets(Pages):
    def test_a_password_goes_nowhere_else(self):
        host = server("postgresql")
        typed = {f"p-{name}": value for name, value in host.parameters.items()}
        made_by = {"name": "S", "kind": "postgresql", **typed, "password_from": "kept", "password": host.password}
        self.client.post(f"/workshop/project/{self.project.pk}/connections/new", made_by)
        kept = Connection.objects.get(name="S")
        at = f"/workshop/connection/{kept.pk}/edit"
        for change in (
            {"p-port": "1"},
            {"p-host": "localhost"},
            {"p-database": "other"},
            {"p-user": "other"},
            {"kind": "mariadb"},
        ):
            refused = self.client.post(at, {**made_by, **change, "password": ""})
            self.assertContains(refused, "The password is missing", status_code=400)
        kept.refresh_from_db()
        kept.parameters = {**kept.parameters, "port": "1"}
        with self.assertRaises(Problem):
            kept._password()  # even where only the definition was changed

    def test_what_was_given_for_a_session_neither(self):
        connection = self.connect(self.spec)
        Connection.objects.filter(pk=connection.pk).update(
            kind="postgresql", password_from="asked", parameters={"host": "a", "database": "d", "user": "u"}
        )
        connection.refresh_from_db()
        from enlace.workshop.models import place_of

        token = secrets.given.set({str(connection.pk): secrets.seal("s3cret", place_of(connection))})
        self.addCleanup(secrets.given.reset, token)
        self.assertEqual(connection._password(), "s3cret")
        connection.parameters["host"] = "b"
        with self.assertRaises(secrets.PasswordAsked):
            connection._password()

    def test_variables_of_others_are_not_read(self):
        with mock.patch.dict(os.environ, {"AWS_KEY": "x", "DB_PASSWORD_A": "y", "LISTED": "z"}):
            for name in ("AWS_KEY", "ENLACE_SECRET", "PATH"):
                with self.assertRaises(Problem, msg=name):
                    secrets.from_environment(name)
            self.assertEqual(secrets.from_environment("DB_PASSWORD_A"), "y")
            with self.settings(VARIABLES={"LISTED"}):
                self.assertEqual(secrets.from_environment("LISTED"), "z")


class Files(Pages):
    def setUp(self):
        super().setUp()
        self.place = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.home = self.place / "home"
        self.home.mkdir()
        (self.home / "enlace.sqlite3").write_bytes(b"SQLite format 3\0own")
        self.addCleanup(allow, policy())
        allow(Policy(home=self.home, own=(self.home / "local",)))

    def test_what_is_no_file_or_enlaces_own(self):
        os.mkfifo(self.place / "fifo")
        os.symlink(self.home / "enlace.sqlite3", self.place / "soft")
        os.link(self.home / "enlace.sqlite3", self.place / "hard")
        for path in (
            "fifo",
            "soft",
            "hard",
            "home/enlace.sqlite3",
            "home/../home/enlace.sqlite3",
            "/dev/zero",
            "/proc/self/environ",
        ):
            with self.assertRaises(Problem, msg=path) as told:
                checked_file(str(self.place / path))
            self.assertEqual(told.exception.code, "forbidden", path)

    def test_a_link_that_is_laid_later(self):
        spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY)")
        path = self.place / "app.db"
        path.write_bytes(Path(spec["path"]).read_bytes())
        connection = self.connect(ConnectionSpec.of("sqlite", path=str(path)))
        form = self.form("t", connection)
        self.assertEqual(self.client.get(f"/desk/{form.pk}/").status_code, 200)
        path.unlink()
        path.symlink_to(self.home / "enlace.sqlite3")
        told = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(told, "Enlace&#x27;s own files", status_code=403)

    def test_folders_and_servers_by_a_setting(self):
        inside, outside = self.place / "in", self.place / "out"
        for item in (inside, outside):
            item.mkdir()
            (item / "a.db").write_bytes(b"x")
        allow(Policy(home=self.home, folders=(inside,), servers=(("db.example", 5432),)))
        checked_file(str(inside / "a.db"))
        (inside / "link").symlink_to(outside / "a.db")
        for path in (outside / "a.db", inside / "link"):
            with self.assertRaisesRegex(Problem, "folder"):
                checked_file(str(path))
        spec = ConnectionSpec.of("postgresql", "x", host="127.0.0.1", port="1", database="d", user="u")
        self.assertIn("may not be reached", str(run_step(spec, 1).problem))

    def test_a_folder_of_somebody_else(self):
        with mock.patch("enlace.workshop.local.folder", return_value=self.place / "shm"):
            (self.place / "shm").mkdir(mode=0o777)
            (self.place / "shm").chmod(0o777)
            with self.assertRaisesRegex(Problem, "not Enlace's own"):
                local_database(self.project, True)
        self.assertEqual(Path(settings.DATABASES["default"]["NAME"]).parent.stat().st_mode & 0o077, 0)
        self.assertTrue(folder(False))

    def test_a_silent_and_a_dripping_server(self):
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        ending = threading.Event()
        self.addCleanup(ending.set)

        def drip():
            held = []
            while not ending.is_set():
                listening.settimeout(0.2)
                try:
                    held.append(listening.accept()[0])
                except OSError:
                    continue
                finally:
                    for item in held[:]:
                        try:
                            item.send(b"\x10")
                        except OSError:
                            held.remove(item)

        threading.Thread(target=drip, daemon=True).start()
        port = str(listening.getsockname()[1])
        with mock.patch("enlace.core.server.probing.run.STEP_SECONDS", 1.5):
            for kind in ("postgresql", "mariadb"):
                spec = ConnectionSpec.of(kind, "x", host="127.0.0.1", port=port, database="d", user="u")
                for step in (2, 3) if kind == "mariadb" else (3,):
                    told = run_step(spec, step)
                    self.assertFalse(told.ok, (kind, step))
                    self.assertNotIn("file", str(told.problem).lower())


class Statements(Pages):
    def test_what_a_query_may_not_call(self):
        evil = {
            "postgresql": (
                'SELECT U&"pg\\005fread_file"(\'x\')', "SELECT pg_sleep(9)", "SELECT pg_catalog . pg_sleep (9)", 'SELECT "pg_sleep"(9)',
                "SELECT pg_terminate_backend(1)", "SELECT pg_reload_conf()", "SELECT pg_advisory_lock(1)", "SELECT /* x */ pg_sleep /* y */ (1)",
                "SELECT pg_read_file('/etc/passwd')", "SELECT lo_import('/etc/passwd')", "SELECT set_config('a.b', 'c', false)",
                "SELECT query_to_xml('SELECT 1', true, true, '')", "SELECT nobody_knows(1)", "SELECT * INTO x FROM pg_class",
                "SELECT 1; SELECT 2", "WITH pg_sleep(x) AS (SELECT 1) SELECT pg_sleep(3)",
            ),
            "mariadb": (
                "SELECT 1 /*! INTO OUTFILE '/tmp/x' */", "SELECT 1 /*M! INTO OUTFILE '/tmp/x' */", "SELECT LOAD_FILE('/etc/passwd')",
                "SELECT SLEEP(9)", "SELECT sleep (9)", "SELECT GET_LOCK('a', 9)", "SELECT BENCHMARK(100000000, md5('a'))",
                "SELECT 1 INTO OUTFILE '/tmp/x'", "SELECT `sleep`(9)", "SELECT nobody_knows(1)",
            ),
            "sqlite": ("SELECT load_extension('x')", "SELECT writefile('x', 'y')", "SELECT readfile('x')", "PRAGMA writable_schema = 1", "ATTACH 'x' AS y"),
        }  # fmt: skip
        for kind, several in evil.items():
            place = self.at_server(kind)
            for sql in several:
                with self.assertRaises(Problem, msg=f"{kind}: {sql}"):
                    checked_query(sql, kind, place.spec)
            fine = (
                "WITH c (a, b) AS (SELECT 1, 2) SELECT coalesce(sum(a), 0) AS s, count(*) AS n FROM c WHERE a IN (1, 2)"
            )
            self.assertEqual(len(run_query(place.spec, checked_query(fine, kind, place.spec), {}).rows), 1)

    def test_functions_of_the_database_itself(self):
        place = self.at_server("postgresql")
        place.run("CREATE FUNCTION twice(n int) RETURNS int LANGUAGE sql IMMUTABLE AS 'SELECT 2 * n'")
        place.run("CREATE FUNCTION restless(n int) RETURNS int LANGUAGE sql VOLATILE AS 'SELECT 2 * n'")
        query = checked_query("SELECT twice(4) AS n", "postgresql", place.spec)
        self.assertEqual(run_query(place.spec, query, {}).rows, ((8,),))
        with self.assertRaises(Problem):
            checked_query("SELECT restless(4) AS n", "postgresql", place.spec)

    def test_actions_neither(self):
        place = self.at_server("postgresql")
        place.run("CREATE TABLE t (id int PRIMARY KEY, a text)")
        form = self.form("t", self.connect(place.spec))
        at = f"/workshop/form/{form.pk}/actions/new"
        for call in ("pg_sleep(5)", "pg_read_file('/etc/passwd')", "pg_advisory_lock(4)"):
            told = self.client.post(at, {"title": "A", "statements": f"UPDATE t SET a = {call}::text WHERE id = :id"})
            self.assertContains(told, "does more than compute", status_code=400)
        self.assertEqual(form.actions.count(), 0)

    def test_no_session_is_used_again_after_a_query(self):
        place = self.at_server("postgresql")
        query = checked_query("SELECT 1 AS a", "postgresql", place.spec)
        run_query(place.spec, query, {})
        open_ones = (
            "SELECT count(*) FROM pg_stat_activity WHERE application_name = 'Enlace' AND datname = current_database()"
        )
        until = time.monotonic() + 10
        while (left := place.run(open_ones)) != [(0,)] and time.monotonic() < until:
            time.sleep(0.1)
        self.assertEqual(left, [(0,)])

    def test_more_rights_than_needed_are_told(self):
        told = run_step(Place("postgresql").spec, 3)
        self.assertIn("superuser", told.found)
        self.assertIn("everything on every database", run_step(Place("mariadb").spec, 3).found)

    def test_one_long_step_of_sqlite_is_ended(self):
        spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY)")
        long = "SELECT instr(hex(zeroblob(843374)), hex(zeroblob(400000)) || 'x') AS n"
        kept = DatasetSpec("q", (FieldSpec("n", "n", "whole"),), read_only_because="It is a query.", query=long)
        with mock.patch("enlace.core.server.apart.STATEMENT_SECONDS", 1.0), self.assertRaises(Problem) as told:
            DatasetRows.of(spec, kept).window(0, 5)
        self.assertEqual(told.exception.code, "slow")
        fine = replace(kept, query="SELECT 7 AS n")
        self.assertEqual([row.values for row in DatasetRows.of(spec, fine).window(0, 5)], [(7,)])
        with mock.patch("enlace.core.server.apart.STATEMENT_SECONDS", 1.0), self.assertRaises(Problem) as told:
            run_query(spec, checked_query(long, "sqlite", spec), {})
        self.assertEqual(told.exception.code, "slow")
        with self.assertRaises(Problem):
            run_query(spec, checked_query("SELECT hex(zeroblob(900000000)) AS n", "sqlite", spec), {})
        self.assertEqual(run_query(spec, checked_query("SELECT 1 AS n", "sqlite", spec), {}).rows, ((1,),))


class Rows(Pages):
    """The condition of a dataset, and what somebody is a member of, hold on every way to a record."""

    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.calls.dataset.row_condition = "status = 'berthed'"
        self.calls.dataset.save()
        self.calls.dataset.touch()
        [(self.out,)] = self.sql("SELECT id FROM port_call WHERE status <> 'berthed' LIMIT 1")
        [(self.inside,)] = self.sql("SELECT id FROM port_call WHERE status = 'berthed' LIMIT 1")
        self.client.force_login(self.operator)

    def test_outside_the_condition(self):
        at, record = f"/desk/{self.calls.pk}/", f"i{self.out}"
        for address in ("record", "takes", "preview", "picture", "choices", "count"):
            asked = {"record": record, "field": "notes", "value": "x"}
            answer = self.client.get(at + address, asked, headers=HX)
            if address != "count":
                self.assertIn(answer.status_code, (200, 400, 404), address)
                self.assertNotIn(f'data-record="{record}"', answer.content.decode())
        self.assertEqual(self.client.get(at + "record", {"record": record}, headers=HX).status_code, 404)
        for act in ("edit", "remove", "later", "empty"):
            answer = self.client.post(at + act, {"record": record, "field": "notes", "value": "x"}, headers=HX)
            self.assertGreaterEqual(answer.status_code, 400, act)
        self.assertFalse(Draft.objects.filter(records__isnull=False).exists())
        action = self.calls.actions.create(title="Note", statements="UPDATE port_call SET notes = 'x' WHERE id = :id")
        done = self.client.post(at + f"action/{action.pk}", {"record": record}, headers=HX)
        self.assertNotIn(b"Note: done", done.content + done.get("HX-Trigger", "").encode())
        self.assertNotEqual(self.sql(f"SELECT notes FROM port_call WHERE id = {self.out}"), [("x",)])

    def test_that_left_it_meanwhile(self):
        self.edit(self.calls, f"i{self.inside}", notes="mine")
        self.sql(f"UPDATE port_call SET status = 'departed' WHERE id = {self.inside}")
        self.post(self.calls, "save")
        self.assertNotEqual(self.sql(f"SELECT notes FROM port_call WHERE id = {self.inside}"), [("mine",)])

    def test_projects_of_others(self):
        self.project.members.clear()
        at = f"/desk/{self.calls.pk}/"
        for address in ("", "rows", "record?record=i1", "review", "kept"):
            answer = self.client.post(at + address) if address == "kept" else self.client.get(at + address)
            self.assertEqual(answer.status_code, 404, address)
        self.assertNotContains(self.client.get("/desk/"), at)

    def test_saves_of_others(self):
        mine = JournalEntry.objects.create(
            person=self.operator, person_name="rui", form=self.calls, form_title="A", table="a"
        )
        theirs = JournalEntry.objects.create(
            person=self.builder, person_name="inês", form=self.calls, form_title="B", table="b"
        )
        page = self.client.get("/desk/journal/").content.decode()
        self.assertIn(f"/desk/journal/{mine.pk}/", page)
        self.assertNotIn(f"/desk/journal/{theirs.pk}/", page)
        self.assertEqual(self.client.get(f"/desk/journal/{theirs.pk}/").status_code, 404)
        self.assertEqual(self.client.post(f"/desk/journal/{theirs.pk}/take-back").status_code, 404)

    def test_hidden_fields(self):
        vessels = self.form("vessel")
        vessels.dataset.fields.filter(name="gross_tonnage").update(hidden=True)
        vessels.dataset.touch()
        self.edit(vessels, "i1", name="Seen")
        review = self.client.get(f"/desk/{vessels.pk}/review").content.decode()
        self.assertNotIn("gross_tonnage", review)
        plain = self.client.get(f"/desk/{vessels.pk}/rows").content
        for query in ("order=gross_tonnage", "order=-gross_tonnage", "only-gross_tonnage=>1000"):
            self.assertEqual(self.client.get(f"/desk/{vessels.pk}/rows?{query}").content, plain, query)
        self.assertEqual(self.client.get(f"/desk/{vessels.pk}/groups?by=gross_tonnage").status_code, 400)


class Bounds(Pages):
    def test_each_with_a_sentence(self):
        form = self.form("vessel")
        with mock.patch("enlace.desk.draft_counts.MOST_PENDING", 2):
            self.edit(form, "i1", name="A")
            self.edit(form, "i2", name="B")
            self.assertContains(self.edit(form, "i3", 400, name="C"), "at most 2 records", status_code=400)
            self.edit(form, "i2", name="B2")
        with mock.patch("enlace.desk.draft_counts.MOST_PENDING_BYTES", 100):
            self.assertContains(self.edit(form, "i3", 400, name="C"), "holds at most", status_code=400)
        self.assertContains(self.client.get(f"/desk/{form.pk}/?only-name={'x' * 300}"), "At most 200 characters")
        with self.settings(DATA_UPLOAD_MAX_MEMORY_SIZE=1_000):
            told = self.client.post(f"/desk/{form.pk}/edit", {"record": "i1", "field": "name", "value": "x" * 2_000})
            self.assertContains(told, "more than Enlace takes", status_code=400)

    def test_no_formulas_in_csv(self):
        at = f"/workshop/connection/{self.connection.pk}/query/export"
        sql = "SELECT '=1+1' AS a, '-x' AS b, -5 AS c, 'fine' AS d"
        lines = b"".join(self.client.post(at, {"sql": sql}).streaming_content).decode().splitlines()
        self.assertEqual(lines[1], "'=1+1,'-x,-5,fine")


class SigningIn(Pages):
    def wrong(self, name: str, address: str, times: int) -> int:
        client = Client(REMOTE_ADDR=address)
        answers = [
            client.post("/sign-in/", {"username": name, "password": f"wrong {n}"}).status_code for n in range(times)
        ]
        return answers[-1]

    def right(self, address: str) -> int:
        return Client(REMOTE_ADDR=address).post("/sign-in/", {"username": "rui", "password": "quay-side-7"}).status_code

    def test_counted_by_the_name_as_it_is_meant_and_nobody_locks_the_owner_out(self):
        for name in ("rui", "RUI", " rui", "rui "):
            self.wrong(name, "10.0.0.1", 3)
        self.assertEqual(self.right("10.0.0.1"), 429)
        self.assertEqual(self.right("10.0.0.2"), 302)

    def test_counted_by_address_as_well(self):
        with mock.patch("enlace.accounts.views.MOST_FROM_ADDRESS", 12):
            for n in range(4):
                self.wrong(f"nobody{n}", "10.0.0.3", 4)
            self.assertEqual(self.right("10.0.0.3"), 429)
            self.assertEqual(self.right("10.0.0.4"), 302)

    def test_sessions_are_listed_and_end(self):
        here, there = Client(), Client()
        for item in (here, there):
            item.post("/sign-in/", {"username": "rui", "password": "quay-side-7"})
        self.assertEqual(PersonSession.objects.filter(person=self.operator).count(), 2)
        page = here.get("/account/").content.decode()
        other = re.search(r"/account/session/(\d+)/end", page)[0]
        here.post(other)
        self.assertEqual(there.get("/desk/").status_code, 302)
        self.assertEqual(here.get("/desk/").status_code, 200)
        self.assertEqual(here.get("/desk/")["Cache-Control"], "no-store")
        changed = {"old_password": "quay-side-7", "new_password1": "a-new-one-88", "new_password2": "a-new-one-88"}
        self.assertRedirects(here.post("/account/", changed), "/account/")
        self.assertTrue(Person.objects.get(pk=self.operator.pk).check_password("a-new-one-88"))

    def test_nobody_is_there(self):
        client = Client()
        client.post("/sign-in/", {"username": "rui", "password": "quay-side-7"})
        form = self.form("vessel")
        with mock.patch("enlace.accounts.sessions.time.time", return_value=time.time() + 7_000):
            self.assertEqual(client.get(f"/desk/{form.pk}/pulse").status_code, 204)  # the page asks by itself
        with mock.patch("enlace.accounts.sessions.time.time", return_value=time.time() + 7_300):
            self.assertEqual(client.get("/desk/").status_code, 302)

    def test_the_demos_people_are_for_the_demo(self):
        Person.objects.filter(pk=self.operator.pk).update(demo=True)
        self.assertEqual(self.right("10.0.0.9"), 200)
        with override_settings(DEMO=True):
            self.assertEqual(self.right("10.0.0.9"), 302)

    def test_what_is_logged_has_no_values(self):
        with self.assertLogs("enlace.security", "INFO") as logged:
            self.wrong("rui", "10.0.0.5", 1)
            self.right("10.0.0.5")
            self.client.post(
                f"/workshop/dataset/{self.form('vessel').dataset_id}/rules", {"expression": "length_m > 123456"}
            )
            self.client.force_login(self.operator)
            self.client.get("/workshop/")
        text = "\n".join(logged.output)
        for what in ("sign-in refused", "signed in", "definition", "refused"):
            self.assertIn(f'"what": "{what}"', text)
        for value in ("quay-side-7", "wrong 0", "123456"):
            self.assertNotIn(value, text)


assert Project  # the project of `Pages`
assert make_dataset
