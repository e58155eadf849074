"""What controls, buttons and the opening of a form do at the desk."""

import json
import re
from html import unescape

from django.test import SimpleTestCase

from enlace.core.model.values import record_id
from enlace.desk.charts import marks_between
from enlace.desk.models import Arrangement
from enlace.workshop import layout
from enlace.workshop.models import Dataset, Form
from tests.harbour import made
from tests.web.test_composer import Sheets


class Marks(SimpleTestCase):
    """The numbers beside a chart are round ones."""

    def test_round_numbers(self):
        told = lambda *given: [str(n.normalize()) for n in marks_between(*given)]  # noqa: E731
        self.assertEqual(told(0, 3, True), ["0", "1", "2", "3"])
        self.assertEqual(told(0, 1, True), ["0", "1"])
        self.assertEqual(told(0, 100), ["0", "5E+1", "1E+2"])
        for least, most in ((0, 799.7), (-50, 1e9), (0, 0.003), (0, 1)):
            marks = marks_between(least, most)
            self.assertTrue(2 <= len(marks) <= 8, marks)
            self.assertTrue(all(least <= float(mark) <= most for mark in marks), marks)


class Controls(Sheets):
    def desk(self, **data) -> str:
        return self.client.get(f"/desk/{self.vessel.pk}/", data).content.decode()

    def sets(self, control: str, **values: str) -> None:
        for name, value in values.items():
            self.act("set", ids=control, name=name, value=value)

    def lines(self, html: str) -> list[str]:
        return re.findall(r'role="option"[^>]*>([^<]*)</div>', html)

    def test_a_list_in_groups(self):
        self.act("add", kind="list", source="vessel")
        self.sets("list", fields="name", by="flag")
        page = self.desk()
        flags = [row[0] or "None" for row in self.sql("SELECT DISTINCT flag FROM vessel")]
        groups = re.findall(r'role="group" aria-label="([^"]*)"', page[page.index('id="c-list"') :])[: len(flags)]
        self.assertEqual(groups, sorted(flags))
        self.assertEqual(
            sorted(map(unescape, self.lines(page))), sorted(r[0] for r in self.sql("SELECT name FROM vessel"))
        )

    def test_rows_that_open_to_any_depth(self):
        self.act("add", kind="branches", source="vessel")
        page = self.desk()
        at = f"/desk/{self.vessel.pk}/detail/{self.calls.name}/i1/branches"
        self.assertIn(f'data-branches="{at}"', page)
        inside = self.client.get(at).content.decode()
        calls = self.sql("SELECT id FROM port_call WHERE vessel_id = 1 ORDER BY id")
        below = re.findall(rf'data-branches="/desk/{self.vessel.pk}/detail/{self.cargo.name}/i(\d+)/branches"', inside)
        self.assertEqual([int(n) for n in below], [row[0] for row in calls])
        deepest = self.client.get(
            f"/desk/{self.vessel.pk}/detail/{self.cargo.name}/i{calls[0][0]}/branches"
        ).content.decode()
        lines = self.sql("SELECT count(*) FROM cargo_line WHERE port_call_id = ?", calls[0][0])[0][0]
        self.assertEqual(deepest.count('<p class="branch">'), lines)

    def test_a_second_panel_and_a_picture_follow_the_record(self):
        self.act("add", kind="panel", source="vessel")
        self.sets("panel", fields="remarks")
        self.act("add", kind="picture", source="vessel", field="photo")
        html = self.on_sheet("record", record="i2")
        second = html[html.index('id="c-panel"') :]
        self.assertEqual(
            re.findall(
                r'data-field="(\w+)"',
                second[: second.index("</div>\n</div>")] if "</div>\n</div>" in second else second,
            )[0],
            "remarks",
        )
        self.assertIn('id="c-photo"', html)

    def on_sheet(self, path: str, **data) -> str:
        headers = {"HX-Request": "true"}
        return self.client.get(
            f"/desk/{self.vessel.pk}/{path}", {"on": "sheet", **data}, headers=headers
        ).content.decode()

    def test_usable_when(self):
        self.act("add", kind="editor", source="vessel", field="name")
        self.sets("name", usable_when="in_service = 1")
        for there, fixed in ((0, True), (1, False)):
            vessel = self.sql("SELECT id FROM vessel WHERE in_service = ? LIMIT 1", there)[0][0]
            html = self.on_sheet("record", record=f"i{vessel}")
            editor = re.search(r'id="c-name".*?<input([^>]*)>', html, re.S)[1]
            self.assertEqual("readonly" in editor, fixed)

    def button(self, **settings: str) -> str:
        self.act("add", kind="button", source="vessel")
        self.sets("button", act="form", **settings)
        html = self.on_sheet("record", record="i2")
        return unescape(html[html.index('id="c-button"') :][:900])

    def test_a_button_opens_another_form_at_what_the_record_names(self):
        agents = self.form("agent")
        agent = self.sql("SELECT agent_id FROM vessel WHERE id = 2")[0][0]
        told = self.button(to="agent", opens="record", by="agent_id")
        self.assertIn(f'href="/desk/{agents.pk}/?record=i{agent}&back={self.vessel.pk}&back_at=i2"', told)
        page = self.client.get(f"/desk/{agents.pk}/?record=i{agent}&back={self.vessel.pk}&back_at=i2")
        self.assertContains(page, f'<a href="/desk/{self.vessel.pk}/?record=i2" data-way-back>Back to vessel</a>')
        self.assertContains(page, f'data-record="i{agent}"')
        for odd in ("99999", "x", str(agents.pk), "1" * 40):
            self.assertNotContains(self.client.get(f"/desk/{agents.pk}/?back={odd}"), "data-way-back")

    def test_a_button_opens_the_rows_that_name_the_record(self):
        calls = self.form("port_call")
        told = self.button(to="port_call", opens="rows")
        address = re.search(r'href="([^"]*)"', told)[1]
        page = self.client.get(address)
        count = self.sql("SELECT count(*) FROM port_call WHERE vessel_id = 2")[0][0]
        self.assertEqual(self.rows_of(page.content.decode()), count)
        self.assertIn(f"/desk/{calls.pk}/?only-vessel_id=", address)

    def test_buttons_lead_by_all_columns_of_a_key(self):
        office = self.connect(
            made(
                'CREATE TABLE "Order" (yr INTEGER NOT NULL, part INTEGER NOT NULL, PRIMARY KEY (yr, part))',
                "CREATE TABLE line (id INTEGER PRIMARY KEY, yr INTEGER NOT NULL, part INTEGER NOT NULL,"
                ' FOREIGN KEY (yr, part) REFERENCES "Order" (yr, part))',
                'INSERT INTO "Order" VALUES (1, 7), (2, 7)',
                "INSERT INTO line (yr, part) VALUES (1, 7), (2, 7), (2, 7)",
            )
        )
        orders, lines = self.form("Order", office), self.form("line", office)
        for form, source, settings in (
            (orders, "order", {"to": "line", "opens": "rows"}),
            (lines, "line", {"to": "Order", "opens": "record", "by": "part"}),
        ):
            self.act("add", form=form, kind="button", source=source)
            for name, value in {"act": "form", **settings}.items():
                self.act("set", form=form, ids="button", name=name, value=value)
        self.assertEqual(self.rows_of(self.client.get(self.led_to(orders, record_id((1, 7)))).content.decode()), 1)
        self.assertEqual(self.rows_of(self.client.get(self.led_to(orders, record_id((2, 7)))).content.decode()), 2)
        self.assertIn(f"record={record_id((2, 7))}&", self.led_to(lines, "i3"))

    def led_to(self, form: Form, record: str) -> str:
        """Where the button of a form leads at a record."""
        asked = {"on": "sheet", "record": record}
        html = self.client.get(f"/desk/{form.pk}/record", asked, headers={"HX-Request": "true"}).content.decode()
        return unescape(re.search(r'id="c-button".*?href="([^"]*)"', html, re.S)[1])

    def test_a_button_enters_a_record_on_the_form_that_it_names(self):
        first, second = self.form("agent"), self.form("agent")
        Form.objects.filter(pk=second.pk).update(title="Agents, anew")
        told = self.button(to="Agents, anew", opens="new", by="agent_id")
        went = self.client.get(re.search(r'href="([^"]*)"', told)[1])
        self.assertEqual(went["Location"], f"/desk/{second.pk}/")
        self.assertNotEqual(first.pk, second.pk)
        self.sets("button", by="vessel_type_code")
        self.assertIn("a field whose list is of Agents, anew", unescape(self.on_sheet("record", record="i2")))

    def test_a_button_opens_a_form_with_what_its_query_asks_for(self):
        connection = self.vessel.dataset.connection
        sql = "SELECT name, flag FROM vessel WHERE flag = :Flag AND id > :most_likely_not_there"
        keep = f"/workshop/connection/{connection.pk}/query/keep"
        self.client.post(keep, {"sql": sql.partition(" AND")[0], "name": "Of a flag", "given-Flag": "PT"})
        told = self.button(to="Of a flag", opens="given")
        address = re.search(r'href="([^"]*)"', told)[1]
        flag, count = self.sql(
            "SELECT flag, (SELECT count(*) FROM vessel o WHERE o.flag = v.flag) FROM vessel v WHERE id = 2"
        )[0]
        self.assertIn(f"?given-Flag={flag}&", address)
        self.assertContains(self.client.get(address), f'data-total="{count}"')
        form = Form.objects.get(title="Of a flag")
        rows = self.client.get(f"/desk/{form.pk}/rows").content.decode()  # what the page asks for later goes on with it
        self.assertEqual(self.rows_of(rows), count)
        self.client.get(f"/desk/{form.pk}/?given-gone=1&given-Flag=")
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), f'data-total="{count}"')
        self.client.post(keep, {"sql": sql, "name": "Of more", "given-Flag": "PT", "given-most_likely_not_there": "1"})
        self.sets("button", to="Of more")
        self.assertIn("does not say most_likely_not_there", unescape(self.on_sheet("record", record="i2")))

    def test_a_button_that_leads_nowhere_says_why(self):
        self.assertIn("There is no form called Gone.", self.button(to="Gone"))

    def test_the_steps_of_the_opening(self):
        self.act("opening", step="order", field="name", value="descending")
        self.act("opening", step="filter", field="in_service", value="yes")
        self.act("opening", step="go", field="", value="last")
        page = self.client.get(f"/desk/{self.vessel.pk}/")
        count = self.sql("SELECT count(*) FROM vessel WHERE in_service = 1")[0][0]
        self.assertContains(page, f'data-position="{count - 1}"')
        first = self.sql("SELECT id FROM vessel WHERE in_service = 1 ORDER BY name, id LIMIT 1")[0][0]
        self.assertContains(page, f'data-record="i{first}"')
        everything = self.sql("SELECT count(*) FROM vessel")[0][0]
        self.assertEqual(self.rows_of(self.desk(order="")), everything)
        self.vessel.dataset.fields.filter(name="in_service").update(hidden=True)
        self.vessel.dataset.touch()
        told = self.client.get(f"/desk/{self.vessel.pk}/")
        self.assertContains(
            told, "The form opens filtered by in_service “yes”, which can&#x27;t be done: it goes on without."
        )
        html = self.act("show")
        self.assertIn("which is no field that it shows", html)
        self.act("opening", remove="2")
        self.assertEqual([step.act for step in self.document().opening], ["order", "go"])
        self.act("opening", 400, step="dance", field="x", value="")

    def rows_of(self, page: str) -> int:
        """How many rows the main grid of a page shows."""
        return len(re.findall(r'class="record" id="row-', page))

    def test_an_order_of_several_fields(self):
        page = self.client.get(f"/desk/{self.vessel.pk}/", {"order": ["flag", "-length_m", "gone"]}).content.decode()
        wanted = self.sql("SELECT id FROM vessel ORDER BY flag, length_m DESC, id DESC")
        ids = re.findall(r'class="record"[^>]*data-id="i(\d+)"', page)
        self.assertEqual([int(n) for n in ids[:40]], [row[0] for row in wanted[:40]])
        heads = dict(re.findall(r'data-name="(\w+)".*?data-also="([^"]*)"', page, re.S))
        self.assertEqual(unescape(heads["flag"]), "order=-flag&order=-length_m")
        self.assertEqual(unescape(heads["length_m"]), "order=flag")
        self.assertEqual(unescape(heads["name"]), "order=flag&order=-length_m&order=name")
        self.assertIn("↑1</span>", page)

    def test_several_grids_and_navigators_of_the_same_records(self):
        self.act("add", kind="grid", source="vessel")
        self.act("add", kind="navigator", source="vessel")
        second, navigator = (
            [c.id for c in self.document().tied("vessel") if c.kind == kind][1] for kind in ("grid", "navigator")
        )
        self.sets(second, columns="name,flag")
        page = self.desk()
        ids = re.findall(r'(?<![-\w])id="([^"]+)"', page)
        self.assertEqual([i for i in set(ids) if ids.count(i) > 1], [])
        grids = re.findall(r'id="([^"]*)grid"', page)
        self.assertIn(f"{second}-", grids)
        own = self.client.get(f"/desk/{self.vessel.pk}/rows?start=0&size=3&on=sheet&grid={second}").content.decode()
        name, flag = self.sql("SELECT name, flag FROM vessel WHERE id = 1")[0]
        first = own[: own.index('data-id="i2"')]
        self.assertIn(f'id="{second}-row-i1"', first)
        self.assertEqual(re.findall(r'role="gridcell"[^>]*>([^<]+)</div>', first)[:2], [name, flag])
        # what happens to a record is told to each grid, and a move to each navigator
        told = self.client.post(
            f"/desk/{self.vessel.pk}/edit?on=sheet", {"record": "i1", "field": "name", "value": "Twice Seen"}
        ).content.decode()
        for prefix in ("", f"{second}-"):
            self.assertRegex(told, rf'id="{prefix}row-i1".*?Twice Seen')
        moved = self.client.get(f"/desk/{self.vessel.pk}/at?position=3&on=sheet").content.decode()
        for prefix in ("", f"{navigator}-"):
            self.assertIn(f'id="{prefix}go-next"', moved)
        # each has columns of its own for a person too
        columns = {"act": "hide", "field": "flag", "grid": second}
        answer = self.client.post(f"/desk/{self.vessel.pk}/columns?on=sheet", columns).content.decode()
        parts = dict(re.findall(r'<template data-grid-of="([^"]*)">(.*?)</template>', answer, re.S))
        self.assertIn('data-name="flag"', parts[""])
        self.assertNotIn('data-name="flag"', parts[f"{second}-"])
        block = {"from": 0, "column": 0, "lines": json.dumps([["By the second"]]), "grid": second}
        self.client.post(f"/desk/{self.vessel.pk}/block?on=sheet", block)
        self.assertIn("By the second", self.desk())

    def test_rows_of_several_lines_and_stripes_for_each_person(self):
        at = f"/desk/{self.vessel.pk}/columns?on=sheet"
        told = self.client.post(at, {"act": "lines", "value": "3"}).content.decode()
        self.assertIn('data-lines="3"', told)
        self.client.post(at, {"act": "lines", "value": "99"})
        self.client.post(at, {"act": "striped", "value": "1"})
        page = self.desk()
        self.assertIn('data-lines="3"', page)
        self.assertIn("data-striped", page)
        self.client.post(at, {"act": "hide", "field": "flag"})  # columns beside that
        self.assertIn('data-lines="3"', self.desk())
        self.client.post(at, {"act": "reset"})
        self.assertNotIn("data-lines", self.desk())

    def test_a_second_view_and_rows_that_stay_in_sight(self):
        at = f"/desk/{self.vessel.pk}/columns?on=sheet"
        told = self.client.post(at, {"act": "split", "value": "below", "record": "i3"}).content.decode()
        self.assertIn('id="split-view-grid"', told)
        self.assertIn('data-rows-of="split-view-"', told)
        page = self.desk()
        self.assertEqual(page.count('id="split-view-row-i1"'), 1)
        self.client.post(at, {"act": "hide", "field": "flag", "grid": "split-view"})  # both are arranged as one
        self.assertNotIn('data-name="flag"', self.desk())
        rows = self.client.get(f"/desk/{self.vessel.pk}/rows?start=4&size=3&grid=split-view&on=sheet").content.decode()
        self.assertIn('id="split-view-row-i5"', rows)
        kept = f"/desk/{self.vessel.pk}/kept-rows?on=sheet"
        for record in ("i9", "i2"):
            self.client.post(at, {"act": "row", "field": record})
        self.edit(self.vessel, "i2", name="In sight")
        self.assertEqual(self.client.get(f"{kept}&only-name=nothing").content.decode().count('<div role="row"'), 2)
        html = self.client.get(kept).content.decode()
        self.assertEqual(re.findall(r'id="kept-row-(\w+)"', html), ["i9", "i2"])
        self.assertIn("In sight", html)
        self.assertEqual(self.client.post(at, {"act": "row", "field": "i99999"}).status_code, 400)
        self.client.post(f"/desk/{self.vessel.pk}/arrangements", {"name": "Mine"})
        self.assertEqual(Arrangement.objects.get(name="Mine").rows, [])
        self.client.post(at, {"act": "row", "field": "i9"})
        self.assertEqual(re.findall(r'id="kept-row-(\w+)"', self.client.get(kept).content.decode()), ["i2"])
        self.client.post(at, {"act": "split", "value": ""})
        self.assertNotIn("split-view", self.desk())

    def test_columns_of_a_grid_say_what_they_say_differently(self):
        for change, value in (("heading", "Ship"), ("width", "321"), ("earlier", "")):
            self.act("column", ids="vessel_grid", field="name", change=change, value=value)
        page = self.desk()
        self.assertIn(" 321px ", re.search(r'data-widths="([^"]*)"', page)[1])
        self.assertRegex(page, r'data-name="name"[^>]*>\s*<a[^>]*>Ship<')
        self.act("column", 400, ids="vessel_grid", field="name", change="width", value="wide")
        self.act("set", ids="vessel_grid", name="columns", value="")
        self.assertNotIn("columns", self.document().control("vessel_grid").settings)

    def test_a_column_has_a_total_below_it_until_somebody_arranges_it_otherwise(self):
        self.act("column", ids="vessel_grid", field="length_m", change="total", value="avg")
        self.act("column", 400, ids="vessel_grid", field="length_m", change="total", value="median")
        at = f"/desk/{self.vessel.pk}"
        told = lambda: self.client.get(f"{at}/totals?on=sheet").content.decode()  # noqa: E731
        [(average,)] = self.sql("SELECT avg(length_m) FROM vessel")
        self.assertIn('data-totals="[[&quot;length_m&quot;, &quot;avg&quot;]]"', self.desk())
        self.assertAlmostEqual(float(re.search(r"Average</span> <output>([\d.]+)", told())[1]), average, 1)
        self.assertNotIn(" data-arranged", self.desk())
        self.client.post(f"{at}/columns?on=sheet", {"act": "total", "field": "beam_m", "value": "max"})
        self.assertRegex(told(), r"(?s)Average.*Greatest")
        self.client.post(f"{at}/columns?on=sheet", {"act": "total", "field": "length_m", "value": "avg"})
        self.assertNotIn("Average", told())
        self.client.post(f"{at}/columns?on=sheet", {"act": "reset"})
        self.assertNotIn("Greatest", told())
        self.assertIn("Average", told())
        # A field that adds up to nothing any more takes its total with it.
        self.vessel.dataset.fields.filter(name="length_m").update(kind="text")
        Dataset.objects.get(pk=self.vessel.dataset_id).touch()
        self.assertNotIn("Average", told())

    def test_the_fields_of_a_panel_are_listed_as_columns_are(self):
        shown = [field.name for field in self.vessel.dataset.to_spec().shown]
        listed = lambda: self.document().control("vessel_panel").settings.get("fields", shown)  # noqa: E731
        self.act("column", ids="vessel_panel", field=shown[1], change="earlier")
        self.act("column", ids="vessel_panel", field=shown[-1], change="shown")
        self.assertEqual(listed(), [shown[1], shown[0], *shown[2:-1]])
        self.act("column", ids="vessel_panel", field=shown[-1], change="shown")
        self.act("column", ids="vessel_panel", field=shown[1], change="later")
        self.assertNotIn("fields", self.document().control("vessel_panel").settings)  # as it is by itself
        self.act("column", 400, ids="vessel_panel", field=shown[1], change="width", value="321")
        for name in shown[:-1]:
            self.act("column", ids="vessel_panel", field=name, change="shown")
        self.act("column", 400, ids="vessel_panel", field=shown[-1], change="shown")  # nothing would be left

    def test_controls_go_to_another_form(self):
        html = self.act("show", ids="vessel_grid vessel_panel")
        copied = unescape(re.search(r'data-copy="([^"]*)"', html)[1])
        other = self.form("agent")
        self.act("paste", form=other, controls=copied)
        other.refresh_from_db()
        pasted = layout.document(other)
        self.assertEqual({c.source for c in pasted.all() if c.id.startswith("vessel")}, {"agent"})
        for wrong in ("{", "[]", json.dumps({"sources": []})):
            self.act("paste", 400, form=other, controls=wrong)

    def test_a_trial_rehearses(self):
        page = self.client.get(f"/desk/{self.vessel.pk}/?trying=1")
        self.assertContains(page, "data-trying")
        self.assertContains(page, "trying=1")
        at = f"/desk/{self.vessel.pk}/edit?on=sheet&trying=1"
        told = self.client.post(at, {"record": "i1", "field": "name", "value": "Trial"}, headers={"HX-Request": "true"})
        self.assertContains(told, "You are trying the form. Save in the database all the same?")
