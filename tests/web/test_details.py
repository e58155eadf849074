"""Details of a form: linked, shaped, saved with their masters, to any depth."""

import io
import json
import re
import sqlite3
import zipfile
from html import escape, unescape
from xml.etree import ElementTree

import openpyxl
import python_calamine

from enlace.core.model.values import record_id
from enlace.desk.models import DraftRecord, JournalEntry
from enlace.workshop.details import Above, add_detail, possible_details
from tests.web.pages import Pages


class Details(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.assertIn("cargo_line", [r.table for r in possible_details(Above(self.calls))])
        for name in ("cargo_line", "dues_invoice"):
            add_detail(Above(self.calls), next(r for r in possible_details(Above(self.calls)) if r.table == name))
        self.cargo, self.dues = self.calls.details.all()

    def at(self, master, detail=None):
        return f"/desk/{self.calls.pk}/detail/{(detail or self.cargo).name}/{master}/"

    def ask(self, address, **data):
        return self.client.post(address, data, headers={"HX-Request": "true"})

    def new_at(self, address, **texts):
        """A new detail of the master at an address, with texts typed into it."""
        made = json.loads(self.ask(f"{address}/new")["HX-Trigger"])["enlace:current"]["id"]
        for field, value in texts.items():
            self.ask(f"{address}/edit", record=made, field=field, value=value)
        return made

    def test_only_what_belongs_to_the_master(self):
        count = self.sql("SELECT count(*) FROM cargo_line WHERE port_call_id = 7")[0][0]
        page = self.client.get(self.at("i7")).content.decode()
        self.assertEqual(page.count('class="record"'), count)
        self.assertIn(f'data-total="{count}"', page)

    def taken(self, name):
        address = f"/desk/{self.calls.pk}/take?format={name}&stored=1&details=1&order=-id"
        return b"".join(self.client.get(address).streaming_content)

    def test_masters_go_out_with_their_details(self):
        new = self.new_at(self.at("i7").rstrip("/"), line_no="99", commodity_code="CORK", direction="in", tonnes="5.5")
        under = self.new(self.calls, vessel_id="3")
        below = self.new_at(self.at(under).rstrip("/"), line_no="1", commodity_code="CORK")
        self.assertTrue(new and below)
        told = json.loads(self.taken("json"))
        stored = self.sql("SELECT port_call_id, line_no, tonnes FROM cargo_line ORDER BY port_call_id DESC, line_no")
        lines = [(call["id"], line["line_no"], line["tonnes"]) for call in told for line in call[self.cargo.name]]
        mine = [(7, 99, 5.5), (None, 1, None)]
        self.assertEqual([line for line in lines if line not in mine], stored)
        self.assertEqual([line for line in lines if line in mine], mine)
        self.assertEqual(
            [call["id"] for call in told][:2],
            [row[0] for row in self.sql("SELECT id FROM port_call ORDER BY id DESC LIMIT 2")],
        )
        for name, read in (("xlsx", openpyxl.load_workbook), ("ods", None)):
            file = io.BytesIO(self.taken(name))
            if read is None:
                self.assertEqual(len(python_calamine.CalamineWorkbook.from_filelike(file).sheet_names), 3)
                continue
            book = read(file)
            self.assertEqual(book.sheetnames, [self.calls.title, self.cargo.title, self.dues.title])
            heads, *rows = book[self.cargo.title].iter_rows(values_only=True)
            at = [heads.index(name) for name in ("port_call_id", "line_no", "tonnes")]
            self.assertEqual(len(rows), len(stored) + 2)
            self.assertEqual([tuple(row[i] for i in at) for row in rows if row[at[1]] != 99][: len(stored)], stored)
        package = zipfile.ZipFile(io.BytesIO(self.taken("package")))
        resources = json.loads(package.read("datapackage.json"))["resources"]
        self.assertEqual([item["name"] for item in resources], ["port_call", "cargo_line", "dues_invoice"])
        link = {"fields": ["port_call_id"], "reference": {"resource": "port_call", "fields": ["id"]}}
        self.assertIn(link, resources[1]["schema"]["foreignKeys"])
        self.assertEqual(
            len(ElementTree.fromstring(self.taken("xml")).findall(f"row/{self.cargo.name}/row")), len(stored) + 2
        )
        refused = self.client.get(f"/desk/{self.calls.pk}/take?format=csv&details=1")
        self.assertContains(refused, "CSV has no room for details", status_code=400)

    def test_what_stays_in_sight_is_of_the_master_that_one_stands_in(self):
        other = re.search(r'data-id="(k\w+)"', self.client.get(f"{self.at('i8')}rows?start=0&size=1").content.decode())[
            1
        ]
        refused = self.client.post(f"{self.at('i7')}columns", {"act": "row", "field": other})
        self.assertContains(refused, "Only a saved record", status_code=400)
        self.client.post(f"{self.at('i8')}columns", {"act": "row", "field": other})
        self.assertContains(self.client.get(f"{self.at('i8')}kept-rows"), other)
        self.assertNotContains(self.client.get(f"{self.at('i7')}kept-rows"), other)

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
        self.make_drills()
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
        at = f"/desk/{drills.pk}/detail/{detail.name}/"
        self.assertIn('data-total="2"', self.client.get(f"{at}i1/").content.decode())
        self.client.post(
            f"/workshop/dataset/{drills.dataset_id}/fields",
            {"act": "calculate", "label": "Minutes", "kind": "whole", "formula": "sum(drill_step.minutes)"},
        )
        self.assertContains(self.client.get(f"/desk/{drills.pk}/record", {"record": "i1"}), "15")
        master = self.new(drills, title="Abandon ship")
        self.new_at(f"{at}{master}", minutes="20")
        self.assertIn("Saved 2 records", self.said(self.post(drills, "save")))
        self.assertEqual(self.sql("SELECT drill_no, minutes FROM drill_step WHERE id = 4"), [(3, 20)])

    def make_drills(self, reference=""):
        """Tables of drills, their steps, and the notes to those. reference: how a step refers to its drill."""
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("CREATE TABLE drill (no INTEGER PRIMARY KEY, title TEXT NOT NULL)")
            db.execute(
                f"CREATE TABLE drill_step (id INTEGER PRIMARY KEY, drill_no INTEGER {reference}, minutes INTEGER)"
            )
            db.execute("CREATE TABLE drill_note (id INTEGER PRIMARY KEY, step_id INTEGER NOT NULL, words TEXT)")
            db.execute("INSERT INTO drill VALUES (1, 'Fire'), (2, 'Spill')")
            db.execute("INSERT INTO drill_step VALUES (1, 1, 10), (2, 1, 5), (3, 2, 7)")
            db.execute("INSERT INTO drill_note VALUES (1, 1, 'Ring'), (2, 1, 'Run'), (3, 3, 'Mop')")
        db.close()

    def drills(self):
        """A form of drills with their steps, and with the notes to those: (form, steps, notes)."""
        self.make_drills("REFERENCES drill")
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
        step = self.client.get(f"{at}/{steps.name}/i1/?record=i1")
        self.assertContains(step, f'href="{at}/{notes.name}/i1/"')
        page = self.client.get(f"{at}/{notes.name}/i1/")
        self.assertContains(page, 'data-total="2"')
        self.assertContains(page, f'href="{at}/{steps.name}/i1/?record=i1"')

        master = self.new(form, title="Abandon ship")
        first = self.new_at(f"{at}/{steps.name}/{master}", minutes="3")
        self.new_at(f"{at}/{notes.name}/{first}", words="Count heads")
        self.assertContains(
            self.client.get(f"{at}/{notes.name}/{first}/"), f'href="{at}/{steps.name}/{master}/?record={first}"'
        )
        self.new_at(f"{at}/{notes.name}/i2", words="Breathe")
        counted = self.client.get(f"{at}/{steps.name}/i1/record", {"record": "i2"}).content.decode()
        self.assertRegex(counted, r"Notes</[^>]*>(\s|<[^>]*>)*1\b")  # the pending one
        self.assertIn("Saved 4 records", self.said(self.post(form, "save")))
        self.assertRedirects(
            self.client.get(f"{at}/{notes.name}/{first}/?record=i4"), f"{at}/{notes.name}/i4/?record=i4"
        )
        rows = self.sql(
            "SELECT d.title, s.minutes, n.words FROM drill d JOIN drill_step s ON s.drill_no = d.no JOIN drill_note n ON n.step_id = s.id WHERE n.id > 3 ORDER BY n.id"
        )
        self.assertEqual(sorted(rows), [("Abandon ship", 3, "Count heads"), ("Fire", 5, "Breathe")])
        entry = JournalEntry.objects.get()
        self.client.post(f"/desk/journal/{entry.pk}/take-back")
        self.assertIn("Saved 4 records", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT count(*) FROM drill_note"), [(3,)])
        self.client.post(f"/workshop/form/{form.pk}/details", {"act": "remove", "detail": steps.pk})
        self.assertEqual(form.details.count(), 0)

    def test_what_lies_on_a_closed_page_of_tabs_is_read_once_it_is_opened(self):
        page = self.client.get(f"/desk/{self.calls.pk}/?record=i7").content.decode()
        cargo, dues = (
            re.search(rf'<div [^>]*data-part="{part.name}"[^>]*>', page)[0] for part in (self.cargo, self.dues)
        )
        self.assertNotIn("data-unread", cargo)
        self.assertIn("data-unread", dues)
        self.assertIn(f'data-url="{self.at("i7", self.dues)}"', dues)
        count = self.sql("SELECT count(*) FROM dues_invoice WHERE port_call_id = 8")[0][0]
        self.assertGreater(count, 0)
        place = {"record": "i3", "master": "i7", "closed": "1", "headless": "1"}

        def moved(**more):
            places = json.dumps({self.dues.name: {**place, **more}})
            return self.client.get(f"/desk/{self.calls.pk}/record", {"record": "i8", "on": "sheet", "places": places})

        for known in ({}, {"nothing": "1"}):
            closed = unescape(moved(**known).content.decode())
            self.assertRegex(
                closed, rf'"at": "{re.escape(self.at("i8", self.dues))}"[^}}]*"record": "", "unread": true'
            )
            self.assertEqual(f'id="{self.dues.name}--panel"' in closed, not known)
        # Seen for the first time it comes with headings, which the page was opened without.
        seen = moved(closed="").content.decode()
        self.assertIn(f'data-grid-of="{self.dues.name}--"', seen)
        self.assertEqual(seen.count(f'id="{self.dues.name}--row-'), count)
        lines = [record_id((7, n)) for (n,) in self.sql("SELECT line_no FROM cargo_line WHERE port_call_id = 7")]
        there = self.client.get(self.at("i7") + "arrange", {"on": "sheet", "record": lines[-1]})
        self.assertEqual(json.loads(there["HX-Trigger"])["enlace:current"]["id"], lines[-1])

    def test_undo_goes_across_parts(self):
        self.edit(self.calls, "i7", notes="first")
        line = self.sql("SELECT line_no FROM cargo_line WHERE port_call_id = 7")[0][0]
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
