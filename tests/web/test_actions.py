"""Server actions, kept copies and totals, over HTTP."""

import json
import re
import shutil
import tempfile
from pathlib import Path
from unittest import mock

from enlace.desk import kept
from enlace.desk.models import Arrangement, Draft, JournalEntry
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
        self.assertEqual((entry.action, entry.records.get().now), ("Cast off", '{"status":"departed"}'))
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

    def choose(self, form, field, function):
        data = {"act": "total", "field": field, "value": function}
        return self.client.post(f"/desk/{form.pk}/columns", data, headers={"HX-Request": "true"})

    def test_chosen_counted_with_the_draft_and_taken_away(self):
        form = self.form("dues_invoice")
        self.choose(form, "amount", "sum")
        [(before,)] = self.sql("SELECT round(sum(amount), 2) FROM dues_invoice")
        self.assertIn(f"{before:,.2f}", self.totals(form))
        [(number, amount)] = self.sql("SELECT invoice_no, amount FROM dues_invoice ORDER BY 1 LIMIT 1")
        record = self.client.get(f"/desk/{form.pk}/at", {"position": 0})["HX-Trigger"].split('"id": "')[1].split('"')[0]
        self.edit(form, record, amount="1000000")
        self.assertIn(f"{before - amount + 1_000_000:,.2f}", self.totals(form))
        self.choose(form, "invoice_no", "first")
        self.assertIn(number, self.totals(form))
        self.post(form, "remove", record=record)
        self.assertIn(f"{before - amount:,.2f}", self.totals(form))
        self.assertNotIn(number, self.totals(form))  # the first that stays is another one
        self.assertEqual(self.choose(form, "invoice_no", "sum").status_code, 400)
        self.assertEqual(self.choose(form, "nope", "sum").status_code, 400)
        self.choose(form, "amount", "sum")
        self.assertNotIn("Sum", self.totals(form))


class Arrangements(Pages):
    """How grids stand: for a person, for all, under names."""

    def setUp(self):
        super().setUp()
        self.vessels = self.form("vessel")

    def arrange(self, act, field="", value="", form=None):
        data = {"act": act, "field": field, "value": value}
        return self.client.post(f"/desk/{(form or self.vessels).pk}/columns", data, headers={"HX-Request": "true"})

    def keep(self, form=None, **data):
        return self.client.post(f"/desk/{(form or self.vessels).pk}/arrangements", data, headers={"HX-Request": "true"})

    def columns(self, form=None):
        html = self.client.get(f"/desk/{(form or self.vessels).pk}/").content.decode()
        return re.findall(r'data-name="(\w+)"', html)

    def test_columns_at_a_side_and_before_another(self):
        self.arrange("pin", "flag", "start")
        self.assertEqual(self.columns()[0], "flag")
        self.arrange("pin", "name", "end")
        self.assertEqual(self.columns()[-1], "name")
        self.assertContains(self.client.get(f"/desk/{self.vessels.pk}/"), 'data-pinned-start="1"')
        self.arrange("before", "imo_no", "flag")  # what stays at the start is in front of it all the same
        self.assertEqual(self.columns()[:2], ["flag", "imo_no"])
        self.assertEqual(self.arrange("pin", "flag", "above").status_code, 400)
        self.assertEqual(self.arrange("widths", value="100 200").status_code, 400)
        self.arrange("widths", value=" ".join(["77"] * len(self.columns())))
        self.assertContains(self.client.get(f"/desk/{self.vessels.pk}/"), "77px 77px")

    def test_two_change_places_and_several_follow_one_act(self):
        before = self.columns()
        first, last = before[1], before[-1]
        self.arrange("pin", last, "end")
        self.arrange("swap", first, last)
        self.assertEqual((self.columns()[1], self.columns()[-1]), (last, first))
        self.assertEqual([c["pin"] for c in Arrangement.objects.get().columns if "pin" in c], ["end"])
        named = {"act": "hide", "fields": json.dumps(before[2:5]), "value": ""}
        self.client.post(f"/desk/{self.vessels.pk}/columns", named, headers={"HX-Request": "true"})
        self.assertFalse(set(before[2:5]) & set(self.columns()))
        for wrong in ("{", '"flag"', "[1]", json.dumps(["gone"]), "[" * 10_000):
            response = self.client.post(f"/desk/{self.vessels.pk}/columns", {**named, "fields": wrong})
            self.assertEqual(response.status_code, 400, wrong[:20])

    def widths(self):
        html = self.client.get(f"/desk/{self.vessels.pk}/").content.decode()
        names = re.findall(r'data-name="(\w+)"', html)
        return dict(zip(names, re.search(r'data-widths="([^"]*)"', html)[1].split(), strict=True))

    def test_texts_share_what_is_left_of_the_width_until_somebody_says_theirs(self):
        self.assertEqual([w[-1] for n, w in self.widths().items() if n in ("name", "length_m")], ["+", "x"])
        self.arrange("width", "name", "222")
        self.assertEqual(self.widths()["name"], "222px")
        self.assertIn("+", self.widths()["imo_no"])  # the others go on
        self.arrange("width", "name", "")
        self.assertTrue(self.widths()["name"].endswith("+"))
        self.arrange("pin", "name", "start")
        self.assertFalse(self.widths()["name"].endswith("+"))
        for name, width in self.widths().items():
            self.arrange("width", name, "90" if width.endswith("+") else "")
        self.assertTrue(self.widths()["length_m"].endswith("+"))  # no text is left to take it

    def test_kept_shared_and_put_on(self):
        self.arrange("hide", "flag")
        self.arrange("total", "length_m", "max")
        self.assertContains(self.keep(name="Short", shared="1"), "Kept as Short, for everybody.")
        self.arrange("reset")
        self.assertIn("flag", self.columns())
        number = Arrangement.objects.get(name="Short").pk
        self.client.force_login(self.operator)
        self.assertContains(self.client.get(f"/desk/{self.vessels.pk}/arrangements"), "Short")
        self.arrange("apply", value=str(number))
        self.assertNotIn("flag", self.columns())
        self.assertEqual(self.keep(remove=str(number)).status_code, 400)  # a builder's
        calls = self.form("port_call")
        told = self.arrange("apply", value=str(number), form=calls)
        self.assertEqual(told.status_code, 404)  # of another form
        self.client.force_login(self.builder)
        self.assertContains(self.keep(remove=str(number)), "Short is removed.")

    def test_what_everybody_begins_with(self):
        self.arrange("hide", "flag")
        self.keep(for_all="1")
        self.client.force_login(self.operator)
        self.assertNotIn("flag", self.columns())
        self.assertEqual(self.keep(for_all="1").status_code, 403)
        self.arrange("show", "flag")
        self.assertIn("flag", self.columns())
        self.arrange("reset")
        self.assertNotIn("flag", self.columns())
