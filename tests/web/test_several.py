"""The same values for several records: what they have in common is shown, what is typed goes into all of them as one step."""

import re

from enlace.desk.models import DraftRecord
from tests.web.pages import Pages


class Several(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")

    def panel(self, **asked):
        """What the panel shows of each field, by its name; None where the records differ."""
        html = self.client.get(f"/desk/{self.calls.pk}/several", asked).content.decode()
        tags = re.findall(r"<(?:input|textarea)[^>]*name=\"put-([^\"]+)\"[^>]*>", html)
        whole = {name: re.search(rf"<[^>]*name=\"put-{name}\"[^>]*>", html)[0] for name in tags}
        shown = {name: None if "(different)" in tag else tag for name, tag in whole.items()}
        return shown, re.search(r'name="ids" value="([^"]*)"', html)[1]

    def test_what_chosen_records_have_in_common(self):
        rows = self.sql("SELECT id, status, agent_id FROM port_call ORDER BY id LIMIT 12")
        shown, ids = self.panel(**{"from": 2, "count": 3})
        self.assertEqual(ids, " ".join(f"i{row[0]}" for row in rows[2:5]))
        for at, name in ((1, "status"), (2, "agent_id")):
            self.assertEqual(shown[name] is not None, len({row[at] for row in rows[2:5]}) == 1, name)
        alone, _ = self.panel(**{"from": 0, "count": 1})
        self.assertTrue(all(alone.values()))
        self.assertEqual(self.panel()[1], "")  # all of them, whose ids the page does not carry

    def test_ticked_fields_go_into_all_chosen_ones_as_one_step(self):
        asked = {
            "ids": "i1 i2 i3",
            "record": "i1",
            "take-purpose": "1",
            "put-purpose": "Bunkers",
            "put-notes": "not ticked",
        }
        seen = self.post(self.calls, "several/look", 200, **asked).content.decode()
        self.assertIn("Purpose of 3 records would be set", " ".join(seen.split()))
        self.assertEqual(DraftRecord.objects.count(), 0)
        self.assertIn("3 records changed", self.said(self.post(self.calls, "several/run", 200, **asked)))
        for record in DraftRecord.objects.all():
            self.assertIn("Bunkers", record.body)
            self.assertNotIn("not ticked", record.body)
        self.post(self.calls, "undo", record="i1")
        self.assertEqual(DraftRecord.objects.count(), 0)

    def test_all_that_pass_a_filter_and_lines_of_lists(self):
        status, count = self.sql("SELECT status, count(*) FROM port_call GROUP BY status ORDER BY 2 LIMIT 1")[0]
        pilot, licence = self.sql("SELECT id, licence_no FROM pilot LIMIT 1")[0]
        asked = {"record": "", "take-pilot_id": "1", "put-pilot_id": licence}
        self.post(self.calls, f"several/run?only-status=={status}", 200, **asked)
        own = self.sql("SELECT count(*) FROM port_call WHERE status = ? AND pilot_id IS ?", status, pilot)[0][0]
        self.assertEqual(DraftRecord.objects.count(), count - own)

    def test_what_can_not_be_put_in_is_told(self):
        self.post(self.calls, "several/look", 400, ids="i1 i2", record="i1")
        unknown = {"ids": "i1 i2", "record": "i1", "take-status": "1", "put-status": "on the moon"}
        self.post(self.calls, "several/run", 200, **unknown)
        self.assertTrue(all("on the moon" in record.body for record in DraftRecord.objects.all()))
        none = self.client.post(f"/desk/{self.calls.pk}/several/look", {"take-id": "1", "put-id": "7", "ids": "i1"})
        self.assertEqual(none.status_code, 400)
        many = self.client.get(f"/desk/{self.calls.pk}/several", {"from": 0, "count": 2001})
        self.assertEqual(many.status_code, 400)
