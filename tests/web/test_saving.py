"""Policies, review, details and two windows, over HTTP."""

import json
import random
import re
import sqlite3
from html import escape
from unittest import mock

from enlace.desk.models import Draft, DraftRecord, JournalEntry
from enlace.workshop.details import Above, add_detail, possible_details
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
            self.assertIn("has entered a record with this key", response.content.decode())
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
            act, one = dice.choice(("edit", "edit", "edit", "new", "remove", "keep")), f"i{dice.randrange(1, 9)}"
            if act == "edit":
                field, value = dice.choice(
                    (("name", f"N{n}"), ("built", "31 Feb"), ("flag", ""), ("length_m", str(n + 50)))
                )
                target = dice.choice([one, *new])
                self.client.post(f"/desk/{form.pk}/edit", {"record": target, "field": field, "value": value})
            elif act == "new":
                new.append(self.new(form))
            else:
                self.client.post(f"/desk/{form.pk}/{act}", {"record": dice.choice([one, *new])})
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
            mock.patch("enlace.desk.saving._settle", side_effect=RuntimeError("gone")),
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

    def test_with_a_receipt_too_and_where_nothing_was_saved(self):
        form = self.form("vessel")
        self.client.post(f"/workshop/connection/{self.connection.pk}/receipts", {"act": "make"})
        new = self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        self.crash(form)
        self.edit(form, new, name="Fresh II")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id > 40"), [("Fresh II",)])
        self.edit(form, "i1", name="Not yet")
        Draft.objects.update(sending=True, last_save="of a save that never reached the server")
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


class Details(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.assertIn("cargo_line", [r.table for r in possible_details(Above(self.calls))])
        for name in ("cargo_line", "dues_invoice"):
            add_detail(Above(self.calls), next(r for r in possible_details(Above(self.calls)) if r.table == name))
        self.cargo, self.dues = self.calls.details.all()

    def at(self, master, detail=None):
        return f"/desk/{self.calls.pk}/detail/{(detail or self.cargo).pk}/{master}/"

    def ask(self, address, **data):
        return self.client.post(address, data, headers={"HX-Request": "true"})

    def test_only_what_belongs_to_the_master(self):
        count = self.sql("SELECT count(*) FROM cargo_line WHERE port_call_id = 7")[0][0]
        page = self.client.get(self.at("i7")).content.decode()
        self.assertEqual(page.count('class="record"'), count)
        self.assertIn(f'data-total="{count}"', page)

    def test_one_draft_and_one_save_for_all_parts(self):
        self.edit(self.calls, "i7", notes="with cargo")
        new = json.loads(self.ask(self.at("i7") + "new")["HX-Trigger"])["enlace:current"]["id"]
        for field, value in (("line_no", "99"), ("commodity_code", "CORK"), ("direction", "in"), ("tonnes", "5")):
            self.ask(self.at("i7") + "edit", record=new, field=field, value=value)
        self.assertContains(self.client.get(self.at("i7")), "2 records pending")
        self.assertIn("Saved 2 records", self.said(self.post(self.calls, "save")))
        self.assertEqual(self.sql("SELECT tonnes FROM cargo_line WHERE port_call_id = 7 AND line_no = 99"), [(5,)])
        entry = JournalEntry.objects.get()
        self.client.post(f"/desk/journal/{entry.pk}/take-back")
        self.assertIn("Saved 2 records", self.said(self.post(self.calls, "save")))
        self.assertEqual(self.sql("SELECT count(*) FROM cargo_line WHERE line_no = 99"), [(0,)])

    def test_under_a_new_master_and_with_policy_keep(self):
        """The master is saved alone first, where its detail still lacks something: the key is handed to the draft."""
        type(self.calls).objects.filter(pk=self.calls.pk).update(whole=False)
        master = self.new(self.calls, vessel_id="3", agent_id="2", eta="2026-06-02 10:00")
        new = json.loads(self.ask(self.at(master) + "new")["HX-Trigger"])["enlace:current"]["id"]
        self.ask(self.at(master) + "edit", record=new, field="line_no", value="1")
        self.assertIn("Saved 1 record. Not saved: 1 held back", self.said(self.post(self.calls, "save", record=master)))
        call = self.sql("SELECT max(id) FROM port_call")[0][0]
        row = DraftRecord.objects.get()
        self.assertEqual((row.owner, json.loads(row.body)["now"]["port_call_id"]), (f"i{call}", call))
        for field, value in (("commodity_code", "CORK"), ("direction", "in"), ("tonnes", "5")):
            self.ask(self.at(f"i{call}") + "edit", record=new, field=field, value=value)
        self.assertIn("Saved 1 record", self.said(self.post(self.calls, "save")))
        self.assertEqual(self.sql("SELECT port_call_id FROM cargo_line WHERE tonnes = 5 AND line_no = 1"), [(call,)])

    def test_a_detail_with_a_dataset_that_is_shaped_already(self):
        moves, page = self.form("container_move"), f"/workshop/form/{self.calls.pk}/"
        moves.dataset.fields.filter(name="moved_at").update(label="Lifted at")
        choice = f"container_move: port_call_id/{moves.dataset_id}"
        self.assertContains(self.client.get(page), f'value="{choice}"')
        self.client.post(page + "details", {"reference": choice})
        detail = self.calls.details.last()
        self.assertEqual(detail.dataset, moves.dataset)
        self.assertContains(self.client.get(self.at("i7", detail)), "Lifted at")
        self.assertEqual(self.client.post(page + "details", {"reference": choice}).status_code, 404)
        self.client.post(page + "details", {"act": "remove", "detail": detail.pk})
        self.assertTrue(type(moves).objects.filter(dataset=moves.dataset_id).exists())

    def test_a_detail_linked_by_chosen_columns(self):
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("CREATE TABLE drill (no INTEGER PRIMARY KEY, title TEXT NOT NULL)")
            db.execute("CREATE TABLE drill_step (id INTEGER PRIMARY KEY, drill_no INTEGER, minutes INTEGER)")
            db.execute("INSERT INTO drill VALUES (1, 'Fire'), (2, 'Spill')")
            db.execute("INSERT INTO drill_step VALUES (1, 1, 10), (2, 1, 5), (3, 2, 7)")
        db.close()
        drills = self.form("drill")
        page = f"/workshop/form/{drills.pk}/"
        for link, told in (
            ("drill_step.drill_nr = no", "no drill_nr in drill_step. The closest one is drill_no."),
            ("drill_stp.drill_no = no", "The closest name is “drill_step”."),
            ("drill_step.drill_no = num", "no num in the master"),
            ("drill_no = no", "which table belongs"),
            ("drill_step.drill_no > no", "links no columns"),
        ):
            response = self.client.post(page + "details", {"act": "link", "link": link})
            self.assertContains(response, told, status_code=400)
            self.assertContains(response, escape(link), status_code=400)
        self.client.post(page + "details", {"act": "link", "link": "Drill_Step.drill_no = drill.no"})
        detail = drills.details.get()
        at = f"/desk/{drills.pk}/detail/{detail.pk}/"
        self.assertIn('data-total="2"', self.client.get(f"{at}i1/").content.decode())
        self.client.post(
            f"/workshop/dataset/{drills.dataset_id}/fields",
            {"act": "calculate", "label": "Minutes", "kind": "whole", "formula": "sum(drill_step.minutes)"},
        )
        self.assertContains(self.client.get(f"/desk/{drills.pk}/record", {"record": "i1"}), "15")
        master = self.new(drills, title="Abandon ship")
        step = json.loads(self.ask(f"{at}{master}/new")["HX-Trigger"])["enlace:current"]["id"]
        self.ask(f"{at}{master}/edit", record=step, field="minutes", value="20")
        self.assertIn("Saved 2 records", self.said(self.post(drills, "save")))
        self.assertEqual(self.sql("SELECT drill_no, minutes FROM drill_step WHERE id = 4"), [(3, 20)])

    def drills(self):
        """A form of drills with their steps, and with the notes to those: (form, steps, notes)."""
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("CREATE TABLE drill (no INTEGER PRIMARY KEY, title TEXT NOT NULL)")
            db.execute(
                "CREATE TABLE drill_step (id INTEGER PRIMARY KEY, drill_no INTEGER REFERENCES drill, minutes INTEGER)"
            )
            db.execute("CREATE TABLE drill_note (id INTEGER PRIMARY KEY, step_id INTEGER NOT NULL, words TEXT)")
            db.execute("INSERT INTO drill VALUES (1, 'Fire'), (2, 'Spill')")
            db.execute("INSERT INTO drill_step VALUES (1, 1, 10), (2, 1, 5), (3, 2, 7)")
            db.execute("INSERT INTO drill_note VALUES (1, 1, 'Ring'), (2, 1, 'Run'), (3, 3, 'Mop')")
        db.close()
        form = self.form("drill")
        page = f"/workshop/form/{form.pk}/details"
        self.client.post(page, {"act": "add", "reference": "drill_step: drill_no"})
        steps = form.details.get()
        self.client.post(page, {"act": "link", "of": steps.pk, "link": "drill_note.step_id = id"})
        return form, steps, form.details.get(of=steps)

    def test_details_of_details(self):
        form, steps, notes = self.drills()
        at = f"/desk/{form.pk}/detail"
        self.client.post(
            f"/workshop/dataset/{steps.dataset_id}/fields",
            {"act": "calculate", "label": "Notes", "kind": "whole", "formula": "count(drill_note.id)"},
        )
        step = self.client.get(f"{at}/{steps.pk}/i1/?record=i1")
        self.assertContains(step, f'href="{at}/{notes.pk}/i1/"')
        page = self.client.get(f"{at}/{notes.pk}/i1/")
        self.assertContains(page, 'data-total="2"')
        self.assertContains(page, f'href="{at}/{steps.pk}/i1/?record=i1"')

        def new(address, **texts):
            made = json.loads(self.ask(f"{address}/new")["HX-Trigger"])["enlace:current"]["id"]
            for field, value in texts.items():
                self.ask(f"{address}/edit", record=made, field=field, value=value)
            return made

        master = self.new(form, title="Abandon ship")
        first = new(f"{at}/{steps.pk}/{master}", minutes="3")
        new(f"{at}/{notes.pk}/{first}", words="Count heads")
        self.assertContains(
            self.client.get(f"{at}/{notes.pk}/{first}/"), f'href="{at}/{steps.pk}/{master}/?record={first}"'
        )
        new(f"{at}/{notes.pk}/i2", words="Breathe")
        counted = self.client.get(f"{at}/{steps.pk}/i1/record", {"record": "i2"}).content.decode()
        self.assertRegex(counted, r"Notes</[^>]*>(\s|<[^>]*>)*1\b")  # the pending one
        self.assertIn("Saved 4 records", self.said(self.post(form, "save")))
        self.assertRedirects(self.client.get(f"{at}/{notes.pk}/{first}/?record=i4"), f"{at}/{notes.pk}/i4/?record=i4")
        found = self.sql(
            "SELECT d.title, s.minutes, n.words FROM drill d JOIN drill_step s ON s.drill_no = d.no JOIN drill_note n ON n.step_id = s.id WHERE n.id > 3 ORDER BY n.id"
        )
        self.assertEqual(sorted(found), [("Abandon ship", 3, "Count heads"), ("Fire", 5, "Breathe")])
        entry = JournalEntry.objects.get()
        self.client.post(f"/desk/journal/{entry.pk}/take-back")
        self.assertIn("Saved 4 records", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT count(*) FROM drill_note"), [(3,)])
        self.client.post(f"/workshop/form/{form.pk}/details", {"act": "remove", "detail": steps.pk})
        self.assertEqual(form.details.count(), 0)

    def test_undo_goes_across_parts(self):
        self.edit(self.calls, "i7", notes="first")
        line = self.sql("SELECT line_no FROM cargo_line WHERE port_call_id = 7")[0][0]
        from enlace.core.dataset.values import record_id

        self.ask(self.at("i7") + "edit", record=record_id((7, line)), field="tonnes", value="1.5")
        self.post(self.calls, "undo")
        self.assertEqual(list(DraftRecord.objects.values_list("part", flat=True)), [""])
        self.post(self.calls, "redo")
        self.assertEqual(DraftRecord.objects.count(), 2)

    def test_a_detail_taken_away_takes_its_draft_along(self):
        self.ask(self.at("i7") + "new")
        self.client.post(f"/workshop/form/{self.calls.pk}/details", {"act": "remove", "detail": self.cargo.pk})
        self.assertEqual(DraftRecord.objects.count(), 0)
        self.assertEqual(self.client.get(self.at("i7")).status_code, 404)
