"""The query pad, and forms of queries."""

import html
import io
import json
import re
import zipfile

import openpyxl

from enlace.accounts.models import Person
from enlace.workshop.models import Dataset, Form
from tests.web.pages import Pages

DUE = "SELECT c.id, c.status, c.notes, v.name AS vessel FROM port_call c JOIN vessel v ON v.id = c.vessel_id"


class Pad(Pages):
    def ask(self, act, **data):
        address = f"/workshop/connection/{self.connection.pk}/query/{act}"
        return self.client.post(address, data, headers={"HX-Request": "true"})

    def test_write_run_look_and_keep(self):
        self.assertContains(self.client.get(f"/workshop/connection/{self.connection.pk}/query"), "port_call")
        self.assertContains(self.ask("run", sql="SELECT name FROM vessel ORDER BY name"), "40 rows")
        self.assertContains(self.ask("run", sql="SELECT * FROM port_call"), "The first 200 rows; there are more")
        self.assertContains(self.ask("run", sql="DELETE FROM vessel"), "would not only read")
        self.assertContains(self.ask("run", sql="SELECT nothing FROM vessel"), "nothing")
        rows = b"".join(self.ask("export", sql="SELECT id, name FROM vessel ORDER BY id").streaming_content).decode()
        self.assertEqual((rows.splitlines()[0], len(rows.splitlines())), ("id,name", 41))
        self.assertEqual(self.ask("export", sql="SELECT nothing FROM vessel").status_code, 409)
        told = json.loads(
            b"".join(self.ask("export", format="json", sql="SELECT id, eta FROM port_call").streaming_content)
        )
        self.assertEqual(told[6], dict(zip(("id", "eta"), self.sql("SELECT id, eta FROM port_call")[6], strict=True)))
        book = openpyxl.load_workbook(
            io.BytesIO(b"".join(self.ask("export", format="xlsx", sql=DUE).streaming_content))
        )
        self.assertEqual(next(book.active.iter_rows(values_only=True)), ("id", "status", "notes", "vessel"))
        package = zipfile.ZipFile(io.BytesIO(b"".join(self.ask("export", format="package", sql=DUE).streaming_content)))
        schema = json.loads(package.read("datapackage.json"))["resources"][0]["schema"]
        self.assertEqual([field["type"] for field in schema["fields"]], ["integer", "string", "string", "string"])
        self.assertEqual(self.ask("export", format="none", sql=DUE).status_code, 400)
        self.assertContains(self.ask("stop", run="1"), "Nothing runs")
        self.assertEqual(self.ask("keep", sql=DUE, name=" ").status_code, 400)
        self.assertRedirects(
            self.ask("keep", sql=DUE, name="Calls and ships"), Dataset.objects.get().get_absolute_url()
        )
        form = Form.objects.get()
        vessel = self.sql("SELECT v.name FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE c.id = 1")[0][0]
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), vessel)
        self.edit(form, "i1", notes="seen in a query")
        self.edit(form, "i1", 400, vessel="no")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save", record="i1")))
        self.assertEqual(self.sql("SELECT notes FROM port_call WHERE id = 1"), [("seen in a query",)])
        window = self.client.get(f"/desk/{form.pk}/rows?start=0&size=1&order=-vessel").content.decode()
        last = self.sql("SELECT max(v.name) FROM port_call c JOIN vessel v ON v.id = c.vessel_id")[0][0]
        self.assertIn(last, window)

    def test_what_was_run_its_plan_and_what_is_wrong(self):
        told = self.ask("check", sql="SELECT nme FROM vessel").json()["faults"]
        self.assertEqual([(fault["from"], fault["to"]) for fault in told], [(7, 10)])
        self.assertContains(self.ask("run", sql="SELECT name FROM vessel WHERE id = 1", plan="1"), "by its key")
        self.assertContains(self.ask("run", sql="SELECT * FROM vessel WHERE flag = :f", plan="1"), "asks for a value")
        pad = f"/workshop/connection/{self.connection.pk}/query"
        self.assertNotContains(self.client.get(pad), "data-again")  # nothing of it was run
        for n in range(60):
            self.ask("run", sql=f"SELECT name FROM vessel WHERE id = {n}")
        self.ask("run", sql="SELECT name FROM vessel WHERE id = 58")
        again = re.findall('data-again="([^"]*)"', self.client.get(pad).content.decode())
        self.assertEqual(len(again), 50)
        self.assertEqual([sql.rpartition(" ")[2] for sql in again[:3]], ["58", "59", "57"])
        response = self.ask("run", sql="SELECT nme FROM vessel")
        self.assertContains(response, 'data-again="SELECT nme FROM vessel"')
        self.client.force_login(Person.objects.create_user("ana", password="quay-side-7", role="builder"))
        self.assertNotIn(b"data-again", self.client.get(pad).content)

    def test_only_a_page_with_an_editor_gives_styles_a_nonce(self):
        policy = lambda address: self.client.get(address)["Content-Security-Policy"]  # noqa: E731
        self.assertIn("nonce-", policy(f"/workshop/connection/{self.connection.pk}/query"))
        self.assertNotIn("nonce-", policy("/workshop/"))

    def test_parameters_are_asked_on_the_form(self):
        sql = f"{DUE} WHERE c.status = :status"
        self.assertContains(self.ask("run", sql=sql), "asks for a value")
        self.assertContains(self.ask("run", sql=sql, **{"given-status": "departed"}), "The first 200 rows")
        self.assertContains(self.ask("keep", sql=sql, name="By status"), "asks for a value")
        told = self.ask("keep", sql="SELECT nme FROM vessel", name="By status")
        self.assertContains(told, "no such column", status_code=409)
        for stays in ('value="By status"', "SELECT nme FROM vessel"):
            self.assertContains(told, stays, status_code=409)
        self.ask("keep", sql=sql, name="By status", **{"given-status": "departed"})
        form = Form.objects.get()
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), "Say which rows")
        self.client.post(f"/desk/{form.pk}/given", {"given-status": "cancelled"})
        count = self.sql("SELECT count(*) FROM port_call WHERE status = 'cancelled'")[0][0]
        page = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(page, f'data-total="{count}"')
        self.assertContains(page, 'value="cancelled"')
        lacking = self.client.post(f"/desk/{form.pk}/given", {"given-status": ""})
        self.assertContains(lacking, "Give a value for each", status_code=400)
        self.assertContains(lacking, "Show the rows", status_code=400)  # it is asked for again in its place

    def test_a_value_that_the_server_cannot_take_is_asked_for_again(self):
        """Values are kept: the form could never be opened again otherwise."""
        sql = f"{DUE} WHERE c.id = json_extract(:pick, '$.id')"
        self.ask("keep", sql=sql, name="Picked", **{"given-pick": '{"id": 3}'})
        form = Form.objects.get()
        for given, expected in (("{no", "malformed JSON"), ('{"id": 3}', 'data-total="1"')):
            self.client.post(f"/desk/{form.pk}/given", {"given-pick": given})
            page = self.client.get(f"/desk/{form.pk}/")
            self.assertIn(expected, page.content.decode())
            self.assertContains(page, html.escape(given), status_code=200 if "3" in given else 409)

    def test_parameters_are_filled_from_another_dataset(self):
        ships = self.form("vessel")
        self.ask("keep", sql=f"{DUE} WHERE c.vessel_id = :vessel_id AND v.flag = :flag", name="Calls of it", **{"given-vessel_id": "1", "given-flag": "PT"})  # fmt: skip
        self.ask("keep", sql=f"{DUE} WHERE c.status = :state", name="By state", **{"given-state": "departed"})
        page, at = f"/workshop/form/{ships.pk}/", f"/workshop/form/{ships.pk}/details"
        self.assertContains(self.client.get(page), "Queries that ask for values")
        mine, other = (Dataset.objects.get(name=name) for name in ("Calls of it", "By state"))
        told = self.client.post(at, {"act": "query", "query": other.pk})
        self.assertContains(told, "asks for state, which this form does not have", status_code=400)
        self.client.post(at, {"act": "query", "query": mine.pk})
        detail = ships.details.get()
        self.assertEqual((detail.columns, detail.master_columns), ([":vessel_id", ":flag"], ["id", "flag"]))
        self.assertContains(self.client.get(page), ":vessel_id, :flag = id, flag")
        self.assertContains(self.client.get(f"/desk/{ships.pk}/?record=i3"), "Calls of it")
        count = self.sql("SELECT count(*) FROM port_call WHERE vessel_id = 3")[0][0]
        shown = self.client.get(f"/desk/{ships.pk}/detail/{detail.name}/i3/")
        self.assertContains(shown, f'data-total="{count}"')
        self.assertContains(shown, "Edit them on a form of their table")
        self.assertNotContains(shown, "Show the rows")
        self.edit(ships, "i3", flag="XX")  # the draft's value is the one that is asked with
        self.assertContains(self.client.get(f"/desk/{ships.pk}/detail/{detail.name}/i3/"), 'data-total="0"')
        self.edit(ships, "i3", name="Renamed")
        self.assertIn("Saved 1 record", self.said(self.post(ships, "save", record="i3")))
        new = self.new(ships)
        self.assertContains(self.client.get(f"/desk/{ships.pk}/detail/{detail.name}/{new}/"), 'data-total="0"')

    def test_a_grouped_query_is_read_only_and_says_why(self):
        self.ask("keep", sql="SELECT status, count(*) AS calls FROM port_call GROUP BY status", name="Calls by status")
        form = Form.objects.get()
        page = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(page, "groups, counts or limits rows")
        self.assertContains(page, "departed")
        self.assertNotContains(page, "data-blank")  # nothing can be entered

    def test_a_form_of_what_a_procedure_gives(self):
        place = self.at_server(
            "mariadb",
            "CREATE TABLE stay (berth VARCHAR(4), days INT)",
            "INSERT INTO stay VALUES ('N1', 3), ('N1', 5), ('S1', 9), ('T1', 2)",
            "CREATE PROCEDURE long_stays(least INT) SELECT berth, SUM(days) AS days FROM stay GROUP BY 1 HAVING days > least",
        )
        pad = f"/workshop/connection/{self.connect(place.spec).pk}/query/"
        self.assertContains(self.client.get(pad.removesuffix("/")), "CALL of a procedure")
        asked = {"sql": "CALL long_stays(:least)", "given-least": "1", "name": "Long stays"}
        self.assertContains(self.client.post(pad + "run", asked), "3 rows")
        self.assertContains(self.client.post(pad + "run", {**asked, "plan": 1}), "has no plan")
        told = b"".join(self.client.post(pad + "export", asked).streaming_content).decode()
        self.assertEqual(told.splitlines(), ["berth,days", "N1,8", "S1,9", "T1,2"])
        self.client.post(pad + "keep", asked)
        at = f"/desk/{Form.objects.get().pk}/"
        self.assertContains(self.client.get(at), "Least")  # it is asked for
        for least, more, shown in (("1", {}, "S1 N1 T1"), ("2", {}, "S1 N1"), ("1", {"only-days": "<9"}, "N1 T1")):
            page = self.client.get(at, {"given-least": least, "order": "-days", **more}).content.decode()
            self.assertEqual(re.findall(r'role="gridcell"[^>]*>([A-Z]1)<', page), shown.split())
        place.run("INSERT INTO stay VALUES ('F1', 40)")
        self.assertContains(self.client.get(f"{at}rows?order=-days"), "F1")  # it is run anew
