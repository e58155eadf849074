"""Server actions, kept copies and totals, over HTTP."""

import shutil
import tempfile
from pathlib import Path
from unittest import mock

from enlace.desk import kept
from enlace.desk.models import Draft, JournalEntry
from enlace.workshop.models import Form, ServerAction
from tests.web.pages import Pages

CAST_OFF = {
    "title": "Cast off",
    "guard": "status = 'berthed'",
    "unmet": "This call is {status}.",
    "question": "Really?",
    "statements": "UPDATE port_call SET status = 'departed' WHERE id = :id;",
    "done": "Call {id} is {status}.",
}


class Actions(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.sql("UPDATE port_call SET status = 'berthed' WHERE id = 1")
        self.sql("UPDATE port_call SET status = 'announced' WHERE id = 2")

    def made(self) -> ServerAction:
        self.client.post(f"/workshop/form/{self.calls.pk}/actions/new", CAST_OFF)
        return ServerAction.objects.get()

    def test_written_tried_and_run(self):
        address = f"/workshop/form/{self.calls.pk}/actions/new"
        bad = self.client.post(address, {**CAST_OFF, "statements": "DROP TABLE port_call"})
        self.assertContains(bad, "is not a statement for an action", status_code=400)
        self.assertContains(bad, "DROP TABLE port_call", status_code=400)  # what was typed stays
        self.assertContains(self.client.post(address, {**CAST_OFF, "try": "1"}), "Tried on record")
        self.assertEqual(self.sql("SELECT status FROM port_call WHERE id = 1"), [("berthed",)])
        action = self.made()
        page = self.client.get(f"/desk/{self.calls.pk}/?record=i1").content.decode()
        self.assertIn('data-ask="Really?"', page)
        self.assertNotIn("disabled>Cast off", page)
        self.assertIn("disabled>Cast off", self.client.get(f"/desk/{self.calls.pk}/?record=i2").content.decode())
        self.assertEqual(self.said(self.post(self.calls, f"action/{action.pk}", record="i1")), "Call 1 is departed.")
        self.assertEqual(self.said(self.post(self.calls, f"action/{action.pk}", record="i1")), "This call is departed.")
        entry = JournalEntry.objects.get()
        self.assertEqual((entry.action, entry.records.get().now), ("Cast off", '{"status": "departed"}'))
        self.assertContains(self.client.get(f"/desk/journal/{entry.pk}/"), "A server action of the form")
        self.assertEqual(self.client.post(f"/desk/journal/{entry.pk}/take-back").status_code, 400)

    def test_not_over_edits_that_are_pending_and_not_by_operators(self):
        action = self.made()
        self.edit(self.calls, "i1", notes="waits")
        response = self.post(self.calls, f"action/{action.pk}", 400, record="i1")
        self.assertIn("changes that are not saved", response.content.decode())
        self.client.force_login(self.operator)
        self.assertEqual(self.client.get(f"/workshop/action/{action.pk}/").status_code, 403)
        self.assertEqual(self.client.post(f"/workshop/action/{action.pk}/remove").status_code, 403)
        self.post(self.calls, "discard")
        self.assertIn("departed", self.said(self.post(self.calls, f"action/{action.pk}", record="i1")))


class KeptCopies(Pages):
    def setUp(self):
        super().setUp()
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.object(kept, "FOLDER", folder / "kept"))
        self.vessels = self.form("vessel")
        self.file = Path(self.spec["path"])

    def act(self, act: str):
        return self.client.post(f"/desk/{self.vessels.pk}/kept", {"act": act})

    def away(self):
        shutil.move(self.file, self.file.with_suffix(".away"))

    def back(self):
        shutil.move(self.file.with_suffix(".away"), self.file)

    def test_work_goes_on_while_the_server_is_away(self):
        self.assertEqual(self.act("make").status_code, 403)
        Form.objects.update(may_keep=True)
        self.act("make")
        self.away()
        page = self.client.get(f"/desk/{self.vessels.pk}/")
        self.assertContains(page, "Work from the kept copy", status_code=503)
        self.act("use")
        page = self.client.get(f"/desk/{self.vessels.pk}/")
        self.assertContains(page, "kept copy of")
        self.assertContains(page, "Gaivota Azul")
        self.edit(self.vessels, "i1", name="Offline")
        self.edit(self.vessels, "i2", name="Mine")
        self.post(self.vessels, "save", 503)
        self.assertEqual(Draft.objects.get().counts["edited"], 2)
        self.back()
        self.sql("UPDATE vessel SET name = 'Theirs' WHERE id = 2")
        response = self.post(self.vessels, "save")
        self.assertIn("enlace:go", response["HX-Trigger"])
        page = self.client.get(f"/desk/{self.vessels.pk}/?record=i2")
        self.assertContains(page, "The server is back.")
        self.assertContains(page, "Changed by somebody else")  # all or nothing: the conflict holds both back
        self.assertNotContains(page, "kept copy of")
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id IN (1, 2)"), [("Gaivota Azul",), ("Theirs",)])
        self.post(self.vessels, "choose", record="i2", all="theirs")
        self.post(self.vessels, "save")
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id IN (1, 2)"), [("Offline",), ("Theirs",)])

    def test_a_copy_is_its_owners_and_can_go(self):
        Form.objects.update(may_keep=True)
        self.act("make")
        self.away()
        self.client.force_login(self.operator)
        self.assertContains(self.client.get(f"/desk/{self.vessels.pk}/"), "Nothing typed is lost", status_code=503)
        self.assertEqual(self.act("use").status_code, 404)
        self.client.force_login(self.builder)
        self.act("throw away")
        self.assertEqual(list(kept.FOLDER.iterdir()), [])
        self.assertEqual(self.act("nonsense").status_code, 400)
        self.back()


class Totals(Pages):
    def totals(self, form):
        return self.client.get(f"/desk/{form.pk}/totals").content.decode()

    def test_chosen_counted_with_the_draft_and_taken_away(self):
        form = self.form("dues_invoice")
        address = f"/desk/{form.pk}/totals/choose"
        self.client.post(address, {"total": "amount:sum"})
        [(before,)] = self.sql("SELECT round(sum(amount), 2) FROM dues_invoice")
        self.assertIn(f"{before:,.2f}", self.totals(form))
        [(_number, amount)] = self.sql("SELECT invoice_no, amount FROM dues_invoice ORDER BY 1 LIMIT 1")
        record = self.client.get(f"/desk/{form.pk}/at", {"position": 0})["HX-Trigger"].split('"id": "')[1].split('"')[0]
        self.edit(form, record, amount="1000000")
        self.assertIn(f"{before - amount + 1_000_000:,.2f}", self.totals(form))
        self.post(form, "remove", record=record)
        self.assertIn(f"{before - amount:,.2f}", self.totals(form))
        self.assertEqual(self.client.post(address, {"total": "invoice_no:sum"}).status_code, 400)
        self.assertEqual(self.client.post(address, {"total": "nope:sum"}).status_code, 400)
        self.client.post(address, {"total": "amount:sum", "remove": "1"})
        self.assertIn("None chosen", self.totals(form))
