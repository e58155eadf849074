"""New tables and columns in the workshop: the statement first, then the deed."""

import json
import shutil

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from enlace.workshop.local import folder
from enlace.workshop.models import Connection
from tests.core.test_making import CSV
from tests.web.pages import Pages


class Making(Pages):
    def test_a_local_table_from_a_file_becomes_a_form(self):
        response = self.client.post(f"/workshop/project/{self.project.pk}/local")
        local = Connection.objects.get(name="Local tables")
        self.assertRedirects(response, f"/workshop/connection/{local.pk}/new-table")
        address = response["Location"]
        shown = self.client.post(address, {"name": "branch", "file": SimpleUploadedFile("b.csv", CSV.encode())})
        self.assertContains(shown, "CREATE TABLE branch")
        self.assertContains(shown, "2 rows were read")
        context = shown.context
        columns = [item for item in context["lines"] if item.name]
        data = {"name": "branch", "content": context["content"], "column": [c.name for c in columns], "kind": [c.kind for c in columns], "size": [c.size for c in columns], "key": ["0"]}  # fmt: skip
        made = self.client.post(address, {**data, "run": "1"})
        self.assertEqual(made.status_code, 302, made.content[:300])
        self.client.post(f"/workshop/connection/{local.pk}/make-form", {"name": "branch"})
        form = self.project.forms.get()
        page = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(page, "Rio; Mar")
        sheet = f"/workshop/dataset/{form.dataset_id}/"
        self.assertContains(self.client.get(sheet), "Made-up rows")
        self.assertContains(self.client.post(f"{sheet}samples", {"count": "12"}, follow=True), "12 made-up rows are in")
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), 'class="record"', 14)
        self.assertEqual(self.client.post(f"{sheet}samples", {"count": "many"}).status_code, 400)
        real = self.form("berth")
        self.assertNotContains(self.client.get(f"/workshop/dataset/{real.dataset_id}/"), "Made-up rows")
        self.assertEqual(self.client.post(f"/workshop/dataset/{real.dataset_id}/samples", {"count": "1"}).status_code, 400)  # fmt: skip
        schema = json.loads(next((settings.HOME / "local").glob("*.branch.schema.json")).read_text())
        self.assertEqual(schema["fields"][0]["name"], "code")
        again = self.client.post(address, {**data, "run": "1"})
        self.assertContains(again, "There is a table branch already", status_code=400)
        self.assertContains(again, 'value="opened"', status_code=400)

    def test_tables_only_in_memory(self):
        place = folder(memory=True)
        self.addCleanup(shutil.rmtree, place, ignore_errors=True)
        made = self.client.post(f"/workshop/project/{self.project.pk}/local", {"memory": "1"})
        columns = {"name": "note", "column": ["id", "said"], "kind": ["number", "text"], "size": ["", "20"], "key": ["0"]}  # fmt: skip
        self.assertEqual(self.client.post(made["Location"], {**columns, "run": "1"}).status_code, 302)
        memory = Connection.objects.get(name="Tables in memory")
        self.client.post(f"/workshop/connection/{memory.pk}/make-form", {"name": "note"})
        form = self.project.forms.get()
        self.edit(form, self.new(form), said="kept nowhere")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        shutil.rmtree(place)  # as when the machine starts again
        gone = self.client.get(f"/desk/{form.pk}/")
        self.assertNotEqual(gone.status_code, 200)
        self.assertNotEqual(gone.status_code, 500)
        again = self.client.post(f"/workshop/project/{self.project.pk}/local", {"memory": "1"})
        self.assertEqual(self.client.post(again["Location"], {**columns, "run": "1"}).status_code, 302)

    def test_a_column_is_added_after_its_statement_was_seen(self):
        address = f"/workshop/connection/{self.connection.pk}/new-column"
        data = {"table": "berth", "column": "lamp", "kind": "yesno"}
        self.assertContains(self.client.post(address, data), "ADD COLUMN lamp BOOLEAN")
        self.assertNotIn("lamp", str(self.sql("SELECT sql FROM sqlite_master WHERE name = 'berth'")))
        self.client.post(address, {**data, "run": "1"})
        self.assertIn("lamp", str(self.sql("SELECT sql FROM sqlite_master WHERE name = 'berth'")))
