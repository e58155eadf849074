"""Find and replace: looked at first, then one step of the draft."""

from enlace.desk.models import DraftRecord
from tests.web.pages import Pages


class Replacing(Pages):
    def setUp(self):
        super().setUp()
        self.vessels = self.form("vessel")

    def ask(self, act="replace/look", status=200, **data):
        return self.post(self.vessels, act, status, **{"record": "i1", **data})

    def test_looked_at_then_replaced_and_undone(self):
        names = dict(self.sql("SELECT id, name FROM vessel WHERE name LIKE '%Doce%'"))
        seen = self.ask(find="doce", put="Salgada", field="name").content.decode()
        self.assertIn(f"{len(names)} records would change", seen)
        self.assertEqual(DraftRecord.objects.count(), 0)
        self.assertContains(self.ask(find="doce", put="x", field="name", capitals="1"), "It stands in no text")
        self.assertIn(
            f"Replaced in {len(names)} records",
            self.said(self.ask("replace/run", find="doce", put="Salgada", field="name")),
        )
        changed = {r.record: r for r in DraftRecord.objects.all()}
        self.assertEqual(set(changed), {f"i{n}" for n in names})
        self.assertIn("Salgada", next(iter(changed.values())).body)
        # what is pending is replaced in, not what is stored
        self.assertContains(self.ask(find="doce", put="x", field="name"), "It stands in no text")
        self.post(self.vessels, "undo", record="i1")
        self.assertEqual(DraftRecord.objects.count(), 0)

    def test_only_where_the_rows_are_and_only_what_can_be(self):
        flag = self.sql("SELECT flag FROM vessel WHERE name LIKE '%Doce%' LIMIT 1")[0][0]
        count = self.sql("SELECT count(*) FROM vessel WHERE name LIKE '%Doce%' AND flag = ?", flag)[0][0]
        self.post(self.vessels, f"replace/run?only-flag=={flag}", find="Doce", put="Salgada", record="i1")
        self.assertEqual(DraftRecord.objects.count(), count)
        self.assertEqual(self.client.post(f"/desk/{self.vessels.pk}/replace/look", {"find": ""}).status_code, 400)
        self.assertEqual(
            self.client.post(f"/desk/{self.vessels.pk}/replace/look", {"find": "1", "field": "length_m"}).status_code,
            400,
        )
        read_only = self.form("agent")
        read_only.dataset.read_only_because = "It is for looking at."
        read_only.dataset.save()
        refused = self.client.post(f"/desk/{read_only.pk}/replace/look", {"find": "a"})
        self.assertEqual(refused.status_code, 409)
