"""The field sheet, and what forms make of what is settled there."""

import json
import re
import sqlite3

from enlace.workshop.models import Dataset
from tests.web.pages import Pages


class Sheet(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.vessels = self.form("vessel")

    def field(self, form, name):
        return form.dataset.fields.get(name=name)

    def put(self, form, name, part, value, told=""):
        address = f"/workshop/field/{self.field(form, name).pk}/set"
        response = self.client.post(address, {"part": part, "value": value}, headers={"HX-Request": "true"})
        self.assertContains(response, told or 'id="sheet"')
        if not told:
            self.assertNotContains(response, "sheet-told")
        return response

    def act(self, form, told="", **data):
        address = f"/workshop/dataset/{form.dataset_id}/fields"
        response = self.client.post(address, data, headers={"HX-Request": "true"})
        self.assertContains(response, told or 'id="sheet"')
        if not told:
            self.assertNotContains(response, "sheet-told")
        return response

    def page(self, form):
        return self.client.get(f"/desk/{form.pk}/").content.decode()

    def heads(self, form):
        return re.findall(r'role="columnheader"[^>]*data-name="([^"]*)"', self.page(form))

    def test_what_is_settled_once_holds_in_every_form(self):
        self.put(self.vessels, "gross_tonnage", "label", "Tonnage (GT)")
        self.put(self.vessels, "gross_tonnage", "width", "200")
        self.put(self.vessels, "remarks", "hidden", "yes")
        html = self.page(self.vessels)
        self.assertIn("Tonnage (GT)", html)
        self.assertNotIn("Remarks", html)
        self.edit(self.vessels, "i1", 400, remarks="x")
        self.put(self.vessels, "length_m", "width", "wide", "not usable")
        self.put(self.vessels, "length_m", "label", " ", "label is empty")
        order = self.heads(self.vessels)
        self.act(self.vessels, act="down", field=self.field(self.vessels, order[1]).pk)
        self.assertEqual(self.heads(self.vessels)[:3], [order[0], order[2], order[1]])
        some = [self.field(self.vessels, n).pk for n in ("length_m", "beam_m")]
        self.act(self.vessels, act="bulk", chosen=some, change="hidden=yes")
        self.assertNotIn("length_m", self.heads(self.vessels))
        self.act(self.vessels, act="undo")
        self.act(self.vessels, act="undo")
        self.assertEqual(self.heads(self.vessels), order)
        for _ in range(3):
            self.act(self.vessels, act="undo")
        self.assertIn("Remarks", self.page(self.vessels))
        self.act(self.vessels, "nothing to undo", act="undo")

    def test_formats_pictures_and_knowledge(self):
        self.put(self.vessels, "gross_tonnage", "format", "#,##0 'GT'")
        self.assertRegex(self.page(self.vessels), r">[\d,]+ GT</div>")
        self.edit(self.vessels, "i1", gross_tonnage="1,234 GT")
        self.assertIn("1,234 GT", self.client.get(f"/desk/{self.vessels.pk}/rows?start=0&size=3").content.decode())
        self.put(self.vessels, "gross_tonnage", "format", "dd", "can&#x27;t be used")
        self.put(self.vessels, "imo_no", "knows", "imo")
        self.put(self.vessels, "flag", "picture", "AA")
        told = self.edit(self.vessels, "i1", imo_no="9074728").content.decode()
        self.assertIn("not a valid IMO ship number", told)
        self.put(self.vessels, "length_m", "picture", "99", "Only fields of text")
        self.put(self.vessels, "flag", "pattern", "[A-", "not a regular expression")

    def test_calculated_fields(self):
        self.act(self.vessels, act="calculate", label="Slimness", kind="decimal", formula="length_m / beam_m")
        self.act(self.vessels, "no field nothing", act="calculate", label="Bad", kind="decimal", formula="nothing + 1")
        self.assertIn("slimness", self.heads(self.vessels))
        length, beam = self.sql("SELECT length_m, beam_m FROM vessel WHERE id = 1")[0]
        shown = self.client.get(f"/desk/{self.vessels.pk}/record?record=i1").content.decode()
        self.assertIn(f"{length / beam:.4f}"[:5], shown)
        events = json.loads(self.edit(self.vessels, "i1", beam_m="10")["HX-Trigger"])
        number = Dataset.objects.get(pk=self.vessels.dataset_id).to_spec().numbers["slimness"]
        self.assertAlmostEqual(float(events["enlace:settled"]["others"][str(number)]), length / 10, 3)
        asked = {"record": "i1", "field": "beam_m", "value": "20"}
        glimpse = self.client.get(f"/desk/{self.vessels.pk}/preview", asked).json()
        self.assertAlmostEqual(float(glimpse[str(number)]), length / 20, 3)
        self.assertEqual(
            self.client.get(f"/desk/{self.vessels.pk}/preview", {**asked, "value": "0"}).json()[str(number)], ""
        )
        self.assertContains(self.client.get(f"/desk/{self.vessels.pk}/review"), ">10.00<")
        window = self.client.get(f"/desk/{self.vessels.pk}/rows?start=0&size=1&order=slimness").content.decode()
        least = self.sql("SELECT id FROM vessel ORDER BY length_m / beam_m LIMIT 1")[0][0]
        self.assertIn(f'data-id="i{least}"', window)

    def test_conditions_and_initial_values(self):
        self.put(self.vessels, "remarks", "required_when", "length_m > 100")
        self.put(self.vessels, "flag", "read_only_when", "flag = 'PT'")
        self.put(self.vessels, "flag", "initial", "'ES'")
        self.put(self.vessels, "length_m", "tones", "alarm: length_m > 100\ngood: length_m <= 100")
        self.put(self.vessels, "flag", "tones", "Faded  ROW: in_service = 0")
        self.put(self.vessels, "length_m", "tones", "pink: length_m > 1", "Each line is a tone")
        self.assertRegex(self.page(self.vessels), r'class="tone-(alarm|good) end"')
        idle = self.sql("SELECT id FROM vessel WHERE in_service = 0 LIMIT 1")[0][0]
        self.assertRegex(self.page(self.vessels), f'id="row-i{idle}"[^>]* data-tone="faded"')
        flagged = self.sql("SELECT id FROM vessel WHERE flag = 'PT' LIMIT 1")
        if flagged:
            self.edit(self.vessels, f"i{flagged[0][0]}", 400, flag="ES")
        new = self.new(self.vessels, length_m="150")
        shown = self.client.get(f"/desk/{self.vessels.pk}/record?record={new}").content.decode()
        self.assertIn('value="ES"', shown)
        self.assertIn("Remarks needs a value", shown)

    def test_lists_can_be_settled(self):
        self.put(self.calls, "vessel_id", "lookup.shows", "imo_no, name")
        self.assertRegex(self.page(self.calls), r">\d{7} · ")
        self.put(self.calls, "vessel_id", "lookup.shows", "no_column", "There is no column no_column")
        self.put(self.calls, "berth_code", "lookup.narrowed", "depth_m > record.draught_m + 0.5")
        self.put(self.calls, "berth_code", "lookup.narrowed", "depth > 3", "can&#x27;t be understood")
        draught = self.sql("SELECT draught_m FROM port_call WHERE id = 1")[0][0]
        deep = self.sql("SELECT count(*) FROM berth WHERE depth_m > ?", draught + 0.5)[0][0]
        page = self.client.get(f"/desk/{self.calls.pk}/choices", {"record": "i1", "field": "berth_code"})
        self.assertEqual(page.content.decode().count("data-choice"), deep)
        self.edit(self.calls, "i1", draught_m="99")
        shown = self.client.get(f"/desk/{self.calls.pk}/record?record=i1").content.decode()
        self.assertIn("is not among what the list offers for this record now", shown)
        self.put(self.calls, "purpose", "lookup.choices", "load = To load\nunload")
        page = self.client.get(f"/desk/{self.calls.pk}/choices", {"record": "i1", "field": "purpose"})
        self.assertContains(page, "To load")
        self.edit(self.calls, "i1", purpose="to load")
        self.assertContains(self.client.get(f"/desk/{self.calls.pk}/review"), "To load")
        self.put(self.calls, "purpose", "lookup.from", "")
        self.assertIsNone(self.field(self.calls, "purpose").lookup)
        self.put(self.calls, "purpose", "lookup.from", "agent\0name")
        self.assertEqual(self.field(self.calls, "purpose").lookup["table"], "agent")

    def test_a_rule_over_details_counts_the_draft(self):
        self.calls.details.create(
            dataset=self.form("cargo_line").dataset, columns=["port_call_id"], master_columns=["id"], title="Cargo"
        )
        detail = self.calls.details.get()
        total = self.sql("SELECT coalesce(sum(tonnes), 0) FROM cargo_line WHERE port_call_id = 1")[0][0]
        message = "{sum(cargo_line.tonnes)} t are too much."
        rule = {"expression": f"sum(cargo_line.tonnes) <= {total + 10}", "message": message, "severity": "error"}
        self.client.post(f"/workshop/dataset/{self.calls.dataset_id}/rules", rule)
        at = f"/desk/{self.calls.pk}/detail/{detail.pk}/i1/"
        made = self.client.post(f"{at}new", headers={"HX-Request": "true"})
        new = json.loads(made["HX-Trigger"])["enlace:current"]["id"]
        for field, value in (("line_no", "77"), ("commodity_code", "CORK"), ("direction", "in"), ("tonnes", "12")):
            told = self.client.post(f"{at}edit", {"record": new, "field": field, "value": value})
        self.assertContains(told, "t are too much")
        response = self.client.post(f"/desk/{self.calls.pk}/save", {"record": "i1"}, headers={"HX-Request": "true"})
        self.assertIn("needs attention", self.said(response))
        self.client.post(f"{at}edit", {"record": new, "field": "tonnes", "value": "9"})
        response = self.client.post(f"/desk/{self.calls.pk}/save", {"record": "i1"}, headers={"HX-Request": "true"})
        self.assertIn("Saved 1 record", self.said(response))

    def test_a_detail_knows_its_master(self):
        cargo = self.form("cargo_line")
        link = {"columns": ["port_call_id"], "master_columns": ["id"], "title": "Cargo"}
        detail = self.calls.details.create(dataset=cargo.dataset, **link)
        self.put(cargo, "direction", "initial", "CASE WHEN master.status = 'announced' THEN 'in' ELSE 'out' END")
        message = "A call of {master.draught_m} m takes no {tonnes} t."
        rule = {"expression": "tonnes < 100 * master.draught_m", "message": message, "severity": "error"}
        self.client.post(f"/workshop/dataset/{cargo.dataset_id}/rules", rule)
        call, draught = self.sql("SELECT id, draught_m FROM port_call WHERE status = 'departed' LIMIT 1")[0]
        at = f"/desk/{self.calls.pk}/detail/{detail.pk}/i{call}/"
        made = self.client.post(f"{at}new", headers={"HX-Request": "true"})
        self.assertContains(made, 'value="out"')
        new = json.loads(made["HX-Trigger"])["enlace:current"]["id"]
        told = self.client.post(f"{at}edit", {"record": new, "field": "tonnes", "value": "5000"})
        self.assertContains(told, f"A call of {draught} m takes no 5000")
        alone = self.new(cargo, tonnes="5000")  # on a form of its own it has no master: nobody can tell
        self.assertNotIn("takes no", self.client.get(f"/desk/{cargo.pk}/record?record={alone}").content.decode())

    def test_rows_are_counted_by_what_is_shown_with_the_draft(self):
        one, other = self.sql(
            "SELECT name, count(*) FROM port_call c JOIN agent a ON a.id = c.agent_id GROUP BY name LIMIT 2"
        )
        first = self.sql("SELECT id FROM port_call WHERE agent_id = (SELECT id FROM agent WHERE name = ?)", one[0])[0][
            0
        ]
        self.edit(self.calls, f"i{first}", agent_id=other[0])
        html = self.client.get(f"/desk/{self.calls.pk}/groups", {"by": "agent_id"}).content.decode()
        found = dict(re.findall(r'<th scope="row">([^<]*)</th><td class="digits end">([\d,]+)</td>', html))
        self.assertEqual((found[one[0]], found[other[0]]), (str(one[1] - 1), str(other[1] + 1)))
        self.assertEqual(self.client.get(f"/desk/{self.calls.pk}/groups", {"by": "notes"}).status_code, 400)

    def test_an_expression_is_tried_on_real_records(self):
        address = f"/workshop/dataset/{self.calls.dataset_id}/try"
        names = dict(
            self.sql("SELECT c.id, v.name FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE c.id < 3")
        )
        self.assertContains(self.client.get(address, {"expression": "vessel.name"}), names[1])
        self.assertContains(self.client.get(address, {"expression": "draught_m / 0"}), "divided by zero")
        self.assertContains(self.client.get(address, {"expression": "draught_m +"}), "fault")

    def test_a_changed_table_is_told_and_repaired_and_forms_go_on(self):
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("ALTER TABLE vessel DROP COLUMN remarks")
            db.execute("ALTER TABLE vessel ADD COLUMN nickname TEXT")
        db.close()
        self.assertIn("Gross tonnage", self.page(self.vessels))
        self.assertNotIn("remarks", self.heads(self.vessels))
        self.edit(self.vessels, "i1", name="Still edited")
        address = f"/workshop/dataset/{self.vessels.dataset_id}/"
        self.assertContains(self.client.get(address), "the column <code>remarks</code> is gone")
        self.assertContains(self.client.get(address), 'value="nickname"')
        self.act(self.vessels, act="repair")
        self.act(self.vessels, act="add", column="nickname")
        self.assertNotContains(self.client.get(address), "is gone")
        self.assertIn("nickname", self.heads(self.vessels))
        self.act(self.vessels, act="reset", field=self.field(self.vessels, "name").pk)
        self.act(self.vessels, "identifies records", act="remove", field=self.field(self.vessels, "id").pk)
