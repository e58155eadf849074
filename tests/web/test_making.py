"""New tables and columns in the workshop: the statement first, then the deed."""

from django.core.files.uploadedfile import SimpleUploadedFile

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
        columns = [one for one in context["lines"] if one.name]
        data = {"name": "branch", "content": context["content"], "column": [c.name for c in columns], "kind": [c.kind for c in columns], "size": [c.size for c in columns], "key": ["0"]}  # fmt: skip
        made = self.client.post(address, {**data, "run": "1"})
        self.assertEqual(made.status_code, 302, made.content[:300])
        self.client.post(f"/workshop/connection/{local.pk}/make-form", {"name": "branch"})
        form = self.project.forms.get()
        page = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(page, "Rio; Mar")
        again = self.client.post(address, {**data, "run": "1"})
        self.assertContains(again, "There is a table branch already", status_code=400)
        self.assertContains(again, 'value="opened"', status_code=400)

    def test_a_column_is_added_after_its_statement_was_seen(self):
        address = f"/workshop/connection/{self.connection.pk}/new-column"
        data = {"table": "berth", "column": "lamp", "kind": "yesno"}
        self.assertContains(self.client.post(address, data), "ADD COLUMN lamp BOOLEAN")
        self.assertNotIn("lamp", str(self.sql("SELECT sql FROM sqlite_master WHERE name = 'berth'")))
        self.client.post(address, {**data, "run": "1"})
        self.assertIn("lamp", str(self.sql("SELECT sql FROM sqlite_master WHERE name = 'berth'")))
