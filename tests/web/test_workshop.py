"""The workshop over HTTP: from a path to a form."""

import re

from django.conf import settings

from enlace.workshop import layout
from enlace.workshop.models import Connection, Form, Project
from tests.harbour import made
from tests.web.pages import Pages


class FromPathToForm(Pages):
    def test_the_whole_way(self):
        spec = made(
            "CREATE TABLE ice (id INTEGER PRIMARY KEY, kind TEXT NOT NULL)", "INSERT INTO ice VALUES (1, 'pack')"
        )
        self.client.post("/workshop/", {"name": "  Winter  office "})
        project = Project.objects.get(name="Winter office")
        response = self.client.post(
            f"/workshop/project/{project.pk}/connections/new", {"name": "Ice", "p-path": spec["path"]}
        )
        connection = Connection.objects.get(name="Ice")
        self.assertRedirects(response, f"/workshop/connection/{connection.pk}/?test=1")
        for step in range(5):
            self.assertContains(
                self.client.get(f"/workshop/connection/{connection.pk}/test?step={step}"), 'class="fine"'
            )
        connection.refresh_from_db()
        self.assertTrue(connection.test_passed)
        self.assertContains(self.client.get(f"/workshop/connection/{connection.pk}/"), "?name=ice")
        self.assertContains(self.client.get(f"/workshop/connection/{connection.pk}/count?name=ice"), "1 row")
        self.assertContains(self.client.get(f"/workshop/connection/{connection.pk}/table?name=ice"), "pack")
        response = self.client.post(f"/workshop/connection/{connection.pk}/make-form", {"name": "ice", "open": "1"})
        form = Form.objects.get(project=project)
        self.assertRedirects(response, f"/desk/{form.pk}/")
        self.assertEqual([item.kind for item in layout.document(form).all()], ["navigator", "grid", "panel"])
        self.assertContains(self.client.get(f"/workshop/form/{form.pk}/"), "Lay it out")

    def test_one_more_form_of_a_dataset(self):
        vessel, address = self.form("vessel"), f"/workshop/project/{self.project.pk}/forms/new"
        dataset = vessel.dataset_id
        self.assertContains(self.client.get(vessel.dataset.get_absolute_url()), f'name="dataset" value="{dataset}"')
        for data, title, kinds in (
            ({}, "vessel 2", ["navigator", "grid", "panel"]),
            ({"title": " Ships ", "begin": "empty"}, "Ships", []),
        ):
            response = self.client.post(address, {"dataset": dataset, **data})
            form = Form.objects.latest("pk")
            self.assertRedirects(response, f"/workshop/form/{form.pk}/compose")
            self.assertEqual((form.title, form.dataset_id), (title, dataset))
            self.assertEqual([item.kind for item in layout.document(form).all()], kinds)
            self.assertContains(self.client.get(f"/desk/{form.pk}/"), "Lay it out")
        refused = self.client.post(address, {"dataset": dataset, "title": "\0", "begin": "empty"})
        self.assertContains(refused, "The form needs a name.", status_code=400)
        self.assertContains(refused, '<option value="empty" selected>', status_code=400)
        self.assertEqual(self.client.post(address, {"dataset": "x"}).status_code, 404)
        self.client.force_login(self.operator)
        self.assertNotContains(self.client.get(f"/desk/{vessel.pk}/"), "Lay it out")
        self.assertEqual(self.client.post(address, {"dataset": dataset}).status_code, 403)

    def test_what_is_wrong_is_said_and_stays_in_the_form(self):
        address = f"/workshop/project/{self.project.pk}/connections/new"
        for path, told in [
            ("", "File: a value is missing"),
            (str(settings.DATABASES["default"]["NAME"]), "own files"),
        ]:
            self.assertContains(self.client.post(address, {"name": "N", "p-path": path}), told, status_code=400)
        again = self.client.post(address, {"name": self.connection.name, "p-path": "/tmp/typed.db"})
        self.assertContains(again, "/tmp/typed.db", status_code=400)
        self.assertContains(self.client.post("/workshop/", {"name": "pORTO"}), "already", status_code=400)
        self.assertContains(self.client.post("/workshop/", {"name": " "}), "needs a name", status_code=400)

    def test_a_connection_in_use_stays(self):
        self.form("vessel")
        response = self.client.post(f"/workshop/connection/{self.connection.pk}/remove")
        self.assertContains(response, "still used by: vessel", status_code=409)

    def test_removing_a_form_leaves_the_table(self):
        form = self.form("vessel")
        self.client.post(f"/workshop/form/{form.pk}/remove")
        self.assertEqual((Form.objects.count(), self.sql("SELECT count(*) FROM vessel")), (0, [(40,)]))
        self.client.post(f"/workshop/project/{self.project.pk}/remove")
        self.assertEqual(Connection.objects.count(), 0)
        self.assertEqual(self.sql("SELECT count(*) FROM vessel"), [(40,)])


class Maps(Pages):
    """The drawn map of a schema, and how a project's forms look."""

    def test_the_map_of_a_connection(self):
        at = f"/workshop/connection/{self.connection.pk}/map"
        page = self.client.get(at)
        self.assertContains(page, 'data-table="port_call"')
        self.assertContains(page, "cargo_line (port_call_id) refers to port_call (id)")
        near = self.client.get(at, {"table": "PILOT", "steps": "1"})
        self.assertContains(near, 'data-table="pilot_shift"')
        self.assertNotContains(near, 'data-table="cargo_line"')
        self.assertContains(self.client.get(at, {"table": "gone"}), "There is no table called gone.")
        self.client.force_login(self.operator)
        self.assertEqual(self.client.get(at).status_code, 403)

    def test_what_operators_come_to_first(self):
        calls, vessels = self.form("port_call"), self.form("vessel")
        start = f"/workshop/project/{self.project.pk}/start"
        self.client.post(start, {"about": "All of the  quays", "opens": calls.title})
        self.assertEqual(self.client.post(start, {"opens": "Nothing"}).status_code, 404)
        self.client.force_login(self.operator)
        self.assertRedirects(self.client.get("/"), f"/desk/{calls.pk}/")
        self.assertContains(self.client.get("/desk/"), "All of the quays")
        menu = self.client.get(f"/desk/{calls.pk}/forms").content.decode()
        self.assertEqual(
            re.findall(r'href="/desk/(\d+)/"( aria-current)?', menu),
            [(str(calls.pk), " aria-current"), (str(vessels.pk), "")],
        )
        self.project.members.clear()
        self.assertEqual(self.client.get(f"/desk/{calls.pk}/forms").status_code, 404)

    def test_tiles_are_laid_out_on_one_page(self):
        calls, vessels = self.form("port_call"), self.form("vessel")
        start = f"/workshop/project/{self.project.pk}/start"
        said = {"about": "", "opens": ""}
        for form, section, place in ((calls, "Ships ", "20"), (vessels, " Quays", "5")):
            said |= {f"section-{form.pk}": section, f"place-{form.pk}": place, f"listed-{form.pk}": "on"}
        wrong = self.client.post(start, {**said, f"place-{calls.pk}": "first", f"about-{vessels.pk}": "All ships"})
        for text in ("“first” is not a place", 'value="first"', 'value="All ships"'):
            self.assertContains(wrong, text, status_code=400)
        self.assertEqual({calls.section, vessels.section}, set(Form.objects.values_list("section", flat=True)))
        self.client.post(start, {**said, f"counted-{vessels.pk}": "on"})
        self.client.force_login(self.operator)
        tiles = self.client.get("/desk/").content.decode()
        self.assertEqual(re.findall(r"<h3[^>]*>\s*(Ships|Quays)", tiles), ["Quays", "Ships"])
        self.assertEqual(re.findall(r"/desk/(\d+)/tally", tiles), [str(vessels.pk)])

    def test_a_form_with_another_title_is_found_by_what_leads_to_it(self):
        calls, vessels = self.form("port_call"), self.form("vessel")
        act = f"/workshop/form/{vessels.pk}/compose/act"
        self.client.post(act, {"act": "add", "kind": "button", "source": "vessel", "layout": 0})
        for layout_count, (name, value) in enumerate((("act", "form"), ("to", calls.title)), 1):
            self.client.post(act, {"act": "set", "ids": "button", "name": name, "value": value, "layout": layout_count})
        self.client.post(f"/workshop/project/{self.project.pk}/start", {"opens": calls.title})
        self.client.post(f"/workshop/form/{calls.pk}/", {"title": "Ships at the quay"})
        self.assertContains(self.client.get(f"/desk/{vessels.pk}/"), "Open Ships at the quay")
        self.project.refresh_from_db()
        self.assertEqual(self.project.opens, "Ships at the quay")

    def test_looks_of_a_project(self):
        form, at = self.form("vessel"), f"/workshop/project/{self.project.pk}/looks"
        self.client.post(at, {"accent": "slate", "density": "roomy"})
        page = self.client.get(f"/desk/{form.pk}/")
        self.assertContains(page, 'data-accent="slate" data-density="roomy"')
        self.assertEqual(self.client.post(at, {"accent": "pink"}).status_code, 400)
