"""Policies, review, details and two windows, over HTTP."""

import json
import random
import re
from unittest import mock

from enlace.desk.models import Draft, DraftRecord, JournalEntry, SaveClaim
from tests.web.pages import Pages


class Policies(Pages):
    def test_keep_what_succeeds(self):
        form = self.form("vessel")
        self.client.post(f"/workshop/form/{form.pk}/", {"title": "V", "policy": "keep", "most_failures": "5"})
        self.edit(form, "i1", name="Fine")
        self.without_list(form, "vessel_type_code")
        self.edit(form, "i2", vessel_type_code="ZZZ")
        self.edit(form, "i3", built="31 February 2020")
        said = self.said(self.post(form, "save"))
        self.assertIn("Saved 1 record. Not saved: 1 refused, 1 held back.", said)
        self.assertEqual(set(DraftRecord.objects.values_list("record", flat=True)), {"i2", "i3"})
        self.assertContains(self.client.get(f"/desk/{form.pk}/review"), "There is no ZZZ in vessel_type")
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 1"), [("Fine",)])
        self.post(form, "save")
        self.assertEqual(JournalEntry.objects.count(), 1)

    def test_a_bad_number_of_failures_is_told(self):
        form = self.form("vessel")
        response = self.client.post(
            f"/workshop/form/{form.pk}/", {"title": "V", "policy": "keep", "most_failures": "x"}
        )
        self.assertContains(response, "not a number of failures", status_code=400)

    def test_what_is_compared(self):
        form = self.form("vessel")
        address = f"/workshop/dataset/{form.dataset_id}/saving"
        self.assertEqual(self.client.post(address, {"compare": "version", "version": "nope"}).status_code, 400)
        self.client.post(address, {"compare": "version", "version": "version"})
        self.edit(form, "i1", name="Mine")
        self.sql("UPDATE vessel SET flag = 'XX' WHERE id = 1")  # the trigger raises the version
        response = self.post(form, "save", record="i1")
        self.assertIn("Combine both", response.content.decode())
        self.post(form, "choose", record="i1")
        self.assertIn("Saved 1", self.said(self.post(form, "save", record="i1")))
        self.assertEqual(self.sql("SELECT name, flag, version FROM vessel WHERE id = 1"), [("Mine", "XX", 3)])


class Review(Pages):
    def test_of_many_changes_those_that_need_attention_are_shown_and_the_others_counted(self):
        form = self.form("vessel")
        for key in range(1, 6):
            self.edit(form, f"i{key}", name=f"Named {key}")
        self.edit(form, "i9", built="31 February 2020")
        with mock.patch("enlace.desk.review.MOST_SHOWN", 2):
            page = self.client.get(f"/desk/{form.pk}/review").content.decode()
            tried = self.post(form, "rehearse").content.decode()
        for html in (page, tried):
            self.assertIn("4 more records are not shown here", html)
        self.assertIn("31 February 2020", page)
        self.assertIn("Named 1", page)
        self.assertNotIn("Named 2", page)

    def test_one_change_one_record_or_all_can_be_dropped(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="A", flag="MT")
        self.edit(form, "i2", name="B")
        page = self.client.get(f"/desk/{form.pk}/review").content.decode()
        self.assertIn("UPDATE &quot;vessel&quot; SET", page)
        self.assertIn("IS &#x27;Gaivota Azul&#x27;", page)
        self.client.post(f"/desk/{form.pk}/drop", {"record": "i1", "field": "flag"})
        self.assertEqual(list(json.loads(DraftRecord.objects.get(record="i1").body)["now"]), ["name"])
        self.client.post(f"/desk/{form.pk}/drop", {"record": "i1"})
        self.assertEqual(list(DraftRecord.objects.values_list("record", flat=True)), ["i2"])
        self.post(form, "undo")
        self.assertEqual(DraftRecord.objects.count(), 2)
        self.client.post(f"/desk/{form.pk}/discard")
        self.assertEqual(DraftRecord.objects.count(), 0)

    def test_left_for_later(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Mine")
        self.edit(form, "i2", name="Also mine")
        self.sql("UPDATE vessel SET name = 'Theirs' WHERE id = 1")
        self.post(form, "save")
        self.post(form, "later", record="i1", wanted="1")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertIn("left for later", self.client.get(f"/desk/{form.pk}/review").content.decode())
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id IN (1, 2)"), [("Theirs",), ("Also mine",)])


class Conflicts(Pages):
    def test_a_key_that_changed_is_gone_on_with(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Mine")
        self.sql("DELETE FROM port_call WHERE vessel_id = 1")
        self.sql("PRAGMA foreign_keys = OFF")
        self.sql("UPDATE vessel SET id = 901 WHERE id = 1")
        response = self.post(form, "save", record="i1")
        self.assertIn("another key", response.content.decode())
        settled = self.post(form, "choose", record="i1")
        self.assertEqual(json.loads(settled["HX-Trigger"])["enlace:current"]["id"], "i901")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save", record="i901")))
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 901"), [("Mine",)])

    def test_a_record_that_both_entered(self):
        for mine, expected in (({}, "Mine"), ({"all": "theirs"}, "Theirs")):
            form = self.form("berth")
            code = f"X{len(mine)}"
            new = self.new(form, code=code, quay="Mine", length_m="10", depth_m="5")
            self.sql("INSERT INTO berth (code, quay, length_m, depth_m) VALUES (?, 'Theirs', 10, 5)", code)
            response = self.post(form, "save", record=new)
            self.assertIn("already a record with this key", response.content.decode())
            self.post(form, "choose", record=new, **mine)
            self.post(form, "save")
            self.assertEqual(self.sql("SELECT quay FROM berth WHERE code = ?", code), [(expected,)])
            self.assertEqual(DraftRecord.objects.count(), 0)


class Undoing(Pages):
    def test_any_edits_stored_and_undone_and_done_again(self):
        """Random acts: undone one by one the draft is as it was before each, and done again the same once more."""
        form = self.form("vessel")
        dice = random.Random(5)
        new: list[str] = []

        def state():
            return sorted(DraftRecord.objects.values_list("record", "state", "body"))

        states = [state()]
        for n in range(60):
            act, item = dice.choice(("edit", "edit", "edit", "new", "remove", "keep")), f"i{dice.randrange(1, 9)}"
            if act == "edit":
                field, value = dice.choice(
                    (("name", f"N{n}"), ("built", "31 Feb"), ("flag", ""), ("length_m", str(n + 50)))
                )
                target = dice.choice([item, *new])
                self.client.post(f"/desk/{form.pk}/edit", {"record": target, "field": field, "value": value})
            elif act == "new":
                new.append(self.new(form))
            else:
                self.client.post(f"/desk/{form.pk}/{act}", {"record": dice.choice([item, *new])})
            if state() != states[-1]:
                states.append(state())
        self.assertGreater(len(states), 20)
        for before in reversed(states[:-1]):
            self.post(form, "undo")
            self.assertEqual(state(), before)
        for after in states[1:]:
            self.post(form, "redo")
            self.assertEqual(state(), after)


class CutOff(Pages):
    """A save that was cut off after COMMIT, and edits that arrive while one is under way."""

    def crash(self, form):
        """The save is committed, and Enlace is gone before it could note that."""
        with (
            mock.patch("enlace.desk.saving._apply_outcomes", side_effect=RuntimeError("gone")),
            self.assertRaises(RuntimeError),
        ):
            self.client.post(f"/desk/{form.pk}/save")

    def test_what_was_saved_is_found_before_anything_else_is_done(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited")
        new = self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        self.crash(form)
        self.assertEqual(DraftRecord.objects.count(), 2)
        self.edit(form, new, name="Fresh II")
        self.assertEqual([r.record for r in DraftRecord.objects.all()], ["i41"])
        self.assertEqual(JournalEntry.objects.get().records.count(), 2)
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(
            self.sql("SELECT name FROM vessel WHERE id > 40 OR id = 1 ORDER BY id"), [("Edited",), ("Fresh II",)]
        )

    def test_what_was_typed_while_the_save_was_cut_off_stays(self):
        for receipts in (False, True):
            with self.subTest(receipts=receipts):
                if receipts:
                    self.client.post(f"/workshop/connection/{self.connection.pk}/receipts", {"act": "make"})
                form = self.form("vessel")
                self.edit(form, "i2", name=f"Sent {receipts}")

                def gone(*_, form=form, receipts=receipts):
                    self.edit(form, "i2", name=f"Typed {receipts}")
                    raise RuntimeError("gone")

                with (
                    mock.patch("enlace.desk.saving._apply_outcomes", side_effect=gone),
                    self.assertRaises(RuntimeError),
                ):
                    self.client.post(f"/desk/{form.pk}/save")
                self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 2"), [(f"Sent {receipts}",)])
                self.edit(form, "i3", flag="MT")  # looks first what became of the save
                self.assertIn(
                    f"Typed {receipts}", self.client.get(f"/desk/{form.pk}/record?record=i2").content.decode()
                )
                self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
                self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 2"), [(f"Typed {receipts}",)])
                self.sql("UPDATE vessel SET flag = 'PT' WHERE id = 3")

    def test_with_a_receipt_too_and_where_nothing_was_saved(self):
        form = self.form("vessel")
        self.client.post(f"/workshop/connection/{self.connection.pk}/receipts", {"act": "make"})
        new = self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        self.crash(form)
        self.edit(form, new, name="Fresh II")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id > 40"), [("Fresh II",)])
        self.edit(form, "i1", name="Not yet")
        SaveClaim.objects.create(draft=Draft.objects.get(), token="never-reached", owner="gone", sent=True)
        self.edit(form, "i2", name="Also")
        self.assertEqual(DraftRecord.objects.count(), 2)
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))

    def test_edits_that_arrive_while_a_save_is_under_way_stay(self):
        form = self.form("vessel")
        new = self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        self.edit(form, "i1", name="First", flag="MT")
        from enlace.desk import saving

        real = saving.save_parts

        def slow(*args, **how):
            outcomes = real(*args, **how)
            for record, text in ((new, "Fresh, typed on"), ("i1", "First, typed on")):  # another window, meanwhile
                self.assertEqual(
                    self.client.post(
                        f"/desk/{form.pk}/edit", {"record": record, "field": "name", "value": text}
                    ).status_code,
                    200,
                )
            self.client.post(f"/desk/{form.pk}/edit", {"record": "i1", "field": "flag", "value": self.flag})
            return outcomes

        self.flag = self.sql("SELECT flag FROM vessel WHERE id = 1")[0][0]
        with mock.patch.object(saving, "save_parts", slow):
            self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT name, flag FROM vessel WHERE id = 1"), [("First", "MT")])
        self.assertEqual(sorted(r.record for r in DraftRecord.objects.all()), ["i1", "i41"])
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT name, flag FROM vessel WHERE id = 1"), [("First, typed on", self.flag)])
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 41"), [("Fresh, typed on",)])


class TwoWindows(Pages):
    def pulse(self, form, **asked):
        return self.client.get(f"/desk/{form.pk}/pulse", asked, headers={"HX-Request": "true"})

    def test_a_pulse_tells_what_changed(self):
        form = self.form("vessel")
        page = self.client.get(f"/desk/{form.pk}/?record=i1").content.decode()
        seen = re.search(r'data-state="" data-seen="(\w+)"', page)[1]
        self.assertEqual(self.pulse(form, revision=0, record="i1", seen=seen).status_code, 204)
        self.sql("UPDATE vessel SET flag = 'XX' WHERE id = 1")
        told = self.pulse(form, revision=0, record="i1", seen=seen)
        self.assertContains(told, "Somebody else changed this record")
        again = json.loads(told["HX-Trigger"])["enlace:drift"]["seen"]
        self.assertEqual(self.pulse(form, revision=0, record="i1", seen=again).status_code, 204)
        self.edit(form, "i1", name="Mine")
        shared = self.pulse(form, revision=0, record="i1", seen=again)
        self.assertContains(shared, "1 record pending")
        self.sql("DELETE FROM port_call WHERE vessel_id = 1")

    def test_a_removed_record_is_told(self):
        form = self.form("tide_reading")
        self.edit(form, "i5", quality="3")
        self.sql("DELETE FROM tide_reading WHERE id = 5")
        told = self.pulse(form, revision=Draft.objects.get().revision, record="i5", seen="x")
        self.assertContains(told, "Somebody else removed this record")
