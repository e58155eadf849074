"""Sheets: what the composer does to a form, what the desk shows of several sources, and the wiring check."""

import json
import re
import tempfile
from html import unescape
from io import StringIO
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import connections
from django.test.utils import CaptureQueriesContext
from sqlalchemy import event

from enlace.core.form import CONTROL_KINDS, ControlKind
from enlace.core.form.kinds import Setting
from enlace.core.form.schema import schema
from enlace.core.server.engine import engine_for
from enlace.core.wiring import faults_of
from enlace.desk.models import DraftRecord
from enlace.folder.reading import brought_in, values_of
from enlace.folder.writing import texts_of
from enlace.workshop import layout
from enlace.workshop.details import Above, add_detail, possible_choices, possible_details
from enlace.workshop.models import Dataset, Detail, Form, FormStep
from tests.web.pages import Pages


class Sheets(Pages):
    """Vessels, their calls, and the cargo of these."""

    def setUp(self):
        super().setUp()
        self.vessel = self.form("vessel")
        self.calls = self.detail(Above(self.vessel), "port_call")
        self.cargo = self.detail(Above(self.vessel, self.calls), "cargo_line")

    def detail(self, above, table):
        reference = next(reference for reference in possible_details(above) if reference.table == table)
        return add_detail(above, reference)

    def act(self, act: str, status: int = 200, form: Form | None = None, **data) -> str:
        form = form or self.vessel
        form.refresh_from_db()
        response = self.client.post(
            f"/workshop/form/{form.pk}/compose/act", {"act": act, "layout": form.layout, **data}
        )
        self.assertEqual(response.status_code, status, response.content[-800:])
        return response.content.decode()

    def document(self):
        self.vessel.refresh_from_db()
        return layout.document(self.vessel)


class Composer(Sheets):
    def test_an_answer_leaves_out_what_the_page_has(self):
        self.act("add", kind="heading", source="vessel")
        pieces = lambda html: dict(re.findall(r' id="piece-([^"]+)" data-seal="([^"]+)"', html))  # noqa: E731
        left_out = lambda html: set(re.findall(r' id="piece-([^"]+)" data-seal="[^"]+" data-same', html))  # noqa: E731
        whole = self.act("show")
        page = pieces(whole)
        self.assertLess({"adds", "board-vessel", "board-cargo_line", "control-port_call_grid"}, set(page))
        self.assertFalse(left_out(whole))
        moved = self.act("move", ids="heading", dx=1, dy=0, have=json.dumps(page))
        self.assertEqual((left_out(moved), pieces(moved)), (set(page), page))
        self.assertIn("x2 ", re.search(r'class="([^"]+)" data-kind="heading"', moved)[1])
        self.assertLess(len(moved), len(whole) / 3)
        # What changed comes, and all that hangs on it: a field more on the board of its source.
        added = self.act("add", kind="editor", source="vessel", field="name", have=json.dumps(page))
        self.assertEqual(set(page) - left_out(added), {"board-vessel"})
        for nothing in ("", "[1]", "{", '{"adds": 3}', "9" * 10_000, json.dumps({"adds": "x" * 60_000})):
            self.assertFalse(left_out(self.act("show", have=nothing)), nothing[:20])

    def test_from_the_default_sheet_to_one_s_own(self):
        page = self.client.get(f"/workshop/form/{self.vessel.pk}/compose")
        for kind in ("grid", "panel", "navigator", "tabs"):
            self.assertContains(page, f'data-kind="{kind}"')
        html = self.act("add", kind="editor", source="vessel", field="name")
        self.assertIn('data-chosen="name"', html)
        self.assertIn("Name has 2 editors", html)
        self.act("set", ids="name", name="label", value="Ship")
        self.act("move", ids="name", dx=3, dy=0)
        self.assertEqual(
            (self.document().control("name").settings, self.document().control("name").place.x), ({"label": "Ship"}, 4)
        )
        at_desk = self.client.get(f"/desk/{self.vessel.pk}/").content.decode()
        self.assertIn('id="c-name"', at_desk)
        self.assertIn(">Ship<", at_desk)
        self.act("undo")
        self.assertEqual(self.document().control("name").place.x, 1)
        self.act("redo")
        self.assertEqual(self.document().control("name").place.x, 4)
        repaired = self.act("repair", sentence="Name has 2 editors; one is enough.")
        self.assertNotIn("has 2 editors", repaired)

    def test_a_link_that_is_drawn(self):
        self.act("add", kind="heading", source="")  # a form that was laid out by hand
        ask = {"source": "vessel", "table": "agent"}
        columns = self.client.get(f"/workshop/form/{self.vessel.pk}/compose/link", ask).content.decode()
        self.assertEqual(
            re.findall(r'data-link-column="(\w+)"', columns), [row[1] for row in self.sql("PRAGMA table_info(agent)")]
        )
        self.act("link", 400, **ask, pairs="{}")
        self.act("link", 400, **ask, pairs='{"nowhere": "id"}')
        html = self.act("link", **ask, pairs='{"id": "id"}')
        self.assertIn('data-board="agent"', html)
        source = next(source for source in self.document().sources if source.name == "agent")
        self.assertEqual((source.parent, source.columns, source.parent_columns), ("vessel", ("id",), ("id",)))
        self.assertEqual([c.kind for c in self.document().tied("agent")], ["navigator", "grid", "panel"])
        page = self.client.get(f"/desk/{self.vessel.pk}/detail/agent/i2/arrange?on=sheet").content.decode()
        rows = re.findall(r'id="agent--row-(\w+)"', page)
        self.assertEqual(rows, ["i2"])

    def test_a_detail_leaves_out_what_its_master_gives_all_its_rows(self):
        """Also with a dataset that shows it, as on a form of its own."""
        form, whole = self.form("agent"), self.form("vessel").dataset
        reference = next(r for r in possible_details(Above(form)) if r.table == "vessel")
        add_detail(Above(form), reference, whole)
        shown = [field.name for field in whole.to_spec().shown]
        own = [name for name in shown if name != "agent_id"]
        self.assertLess(len(own), len(shown))
        document = layout.document(form)
        self.assertEqual(document.control("vessel_grid").settings, {"columns": own})
        self.assertEqual(document.control("vessel_panel").settings["fields"], own)
        self.act("remove", form=form, ids="vessel_grid")
        self.act("bundle", form=form, kind="grid", source="vessel")
        form.refresh_from_db()
        [grid] = [c for c in layout.document(form).tied("vessel") if c.kind == "grid"]
        self.assertEqual(grid.settings, {"columns": own})

    def test_knots_of_the_board(self):
        self.act("cross", control="vessel_grid", field="flag")
        columns = self.document().control("vessel_grid").settings["columns"]
        self.assertNotIn("flag", columns)
        rows = self.client.get(f"/desk/{self.vessel.pk}/").content.decode()
        self.assertEqual(
            re.findall(
                r'role="columnheader"[^>]*data-name="(flag)"', rows.split('data-of="of1-"')[0].split('id="panel"')[0]
            ),
            [],
        )
        self.act("cross", control="vessel_grid", field="flag")
        self.assertNotIn("columns", self.document().control("vessel_grid").settings)
        self.act("cross", 400, control="vessel_grid", field="nothing")

    def test_two_builders_overwrite_nothing(self):
        self.vessel.refresh_from_db()
        seen = self.vessel.layout
        self.act("add", kind="heading")
        response = self.client.post(
            f"/workshop/form/{self.vessel.pk}/compose/act", {"act": "add", "kind": "button", "layout": seen}
        )
        html = response.content.decode()
        self.assertIn("Somebody else has changed this form", html)
        self.assertIn("<li>Heading or text was added.</li>", html)
        self.assertIn("<li>Button Refresh was added.</li>", html)
        self.assertEqual(FormStep.objects.filter(form=self.vessel).count(), 1)
        self.client.force_login(self.operator)
        self.assertEqual(self.client.get(f"/workshop/form/{self.vessel.pk}/compose").status_code, 403)

    def test_what_belongs_to_a_source_is_added_on_the_sheet(self):
        self.act("add", kind="heading")
        html = self.act("detail", source="port_call", reference=self.reference(html=self.act("show")))
        self.assertIn("is on the form now", html)
        document = self.document()
        self.assertEqual(len(document.sources), 4)
        self.assertIn("grid", {control.kind for control in document.tied(document.sources[-1].name)})

    def reference(self, html: str) -> str:
        options = re.search(r'id="under-port_call">(.*?)</select>', html, re.S)[1]
        return re.search(r'value="([^"]*)"', options)[1].replace("&#x27;", "'")

    def sources(self) -> list[str]:
        return [source.name for source in self.document().sources]

    def test_sources_come_and_go_with_the_steps(self):
        there, datasets = self.sources(), Dataset.objects.count()
        for laid_out in (False, True):
            self.act("detail", source="port_call", reference=self.reference(self.act("show")))
            made = self.sources()[-1]
            self.assertTrue(self.document().tied(made))
            self.act("undo")
            self.assertEqual(self.sources(), there)
            self.assertNotIn(f'data-board="{made}"', self.act("show"))
            self.assertEqual(self.client.get(f"/desk/{self.vessel.pk}/").status_code, 200)
            self.act("redo")
            self.assertEqual(self.sources(), [*there, made])
            self.assertTrue(self.document().tied(made))
            self.act("undo")
            # Over something new it can't come back any more, and nothing is left of it.
            self.act("add", kind="heading")
            self.assertEqual((Dataset.objects.count(), self.sources()), (datasets, there), laid_out)
            self.assertFalse(Detail.everything.filter(form=self.vessel, off=True).exists())

    def test_a_source_goes_with_what_hangs_on_it_and_comes_back(self):
        for laid_out in (False, True):
            before = self.document()
            self.client.post(f"/desk/{self.vessel.pk}/detail/port_call/i1/new")
            self.assertEqual(DraftRecord.objects.exclude(part="").count(), 1)
            self.act("without", source="port_call")
            self.assertEqual(self.sources(), ["vessel"])
            self.assertEqual({control.source for control in self.document().all()} - {""}, {"vessel"})
            self.assertFalse([c.id for c in self.document().all() if c.kind in ("page", "tabs")])
            self.assertEqual(DraftRecord.objects.exclude(part="").count(), 0)
            self.act("undo")
            self.assertEqual(self.document(), before, laid_out)
            self.act("add", kind="heading")
        self.act("without", 400, source="vessel")
        self.act("without", 400, source="nothing")

    def test_what_is_off_a_form_is_in_nobody_s_way(self):
        self.act("detail", source="port_call", reference=self.reference(self.act("show")))
        made = self.sources()[-1]
        self.act("undo")
        self.assertFalse([path for path in texts_of(self.project) if made.replace("_", "-") in path])
        told = brought_in(values_of(texts_of(self.project)))  # onto itself: what could bring it back is gone then
        self.assertEqual(told.changes, [])
        self.act("redo")
        self.assertNotIn(made, self.sources())
        self.act("detail", source="port_call", reference=self.reference(self.act("show")))
        self.act("without", source=self.sources()[-1])
        self.client.post(f"/workshop/form/{self.vessel.pk}/remove")
        self.assertEqual((Form.objects.count(), Detail.everything.count(), Dataset.objects.count()), (0, 0, 0))
        connection = self.project.connections.get()
        self.client.post(f"/workshop/connection/{connection.pk}/remove")
        self.assertFalse(self.project.connections.exists())

    def test_a_column_of_what_a_list_leads_to(self):
        for named in (False, True):
            offered = re.findall(r'<option value="(agent\.\w+)"', self.act("show", ids="vessel_grid"))
            self.assertIn("agent.email", offered)
            if named:
                self.act("column", ids="vessel_grid", field="flag", change="shown", value="")
            html = self.act("join", ids="vessel_grid", name=offered[0])
            self.assertIn("is a column now", html)
            self.assertNotIn(f'<option value="{offered[0]}"', html)
            made = self.vessel.dataset.fields.order_by("-pk").first()
            self.assertIn(f'data-name="{made.name}"', self.client.get(f"/desk/{self.vessel.pk}/").content.decode())
        self.act("join", 400, ids="vessel_grid", name=offered[0])
        self.act("join", 400, ids="vessel_grid", name="agent.nothing")

    def test_a_source_that_nothing_shows_is_removed_by_its_repair(self):
        self.act("remove", ids="cargo_line_page")
        sentence = "Cargo line is a source of the form, and no control shows it."
        self.assertIn(sentence, self.act("show"))
        self.assertNotIn(sentence, self.act("repair", sentence=sentence))
        self.assertEqual(self.sources(), ["vessel", "port_call"])

    def test_kinds_that_can_t_be_and_markup_in_settings(self):
        self.act("add", 400, kind="nothing")
        self.act("show", 200, ids="gone")
        self.act("tie", 400, ids="vessel_grid", source="gone")
        self.act("move", 400, ids="vessel_grid", dx="a")
        self.act("add", kind="heading")
        html = self.act("set", ids="heading", name="text", value="<b>Big</b>")
        self.assertIn("&lt;b&gt;Big", html)
        self.assertNotIn("<b>Big", html)


class OneMoreKind(Sheets):
    """The worked example of the documentation: a file's worth of a kind, a template, a style and a script, and nothing else."""

    def test_it_is_known_everywhere(self):
        kind = ControlKind(
            "rule", "Line", "A line between controls", size=(12, 1), settings=(Setting("label", "Label"),)
        )
        own = {
            "templates/desk/controls/rule.html": '<hr aria-label="{{ label }}">',
            "static/enlace/controls/rule.css": "",
            "static/enlace/controls/rule.js": "",
        }
        with tempfile.TemporaryDirectory() as folder:
            for name, text in own.items():
                (path := Path(folder) / name).parent.mkdir(parents=True, exist_ok=True)
                path.write_text(text)
            engines = [{**settings.TEMPLATES[0], "DIRS": [f"{folder}/templates"]}]
            files = {"TEMPLATES": engines, "STATICFILES_DIRS": [f"{folder}/static"]}
            with mock.patch.dict(CONTROL_KINDS, rule=kind), self.settings(**files):
                self.assertIn('data-add="rule"', self.act("add", kind="rule"))
                self.act("set", ids="rule", name="label", value="Below")
                page = self.client.get(f"/desk/{self.vessel.pk}/").content.decode()
                self.assertIn('<hr aria-label="Below">', page)
                self.assertIn('<link rel="stylesheet" href="/static/enlace/controls/rule.css">', page)
                # Its elements are at work when the page's own script looks for them.
                scripts = re.findall(r'<script type="module"[^>]* src="/static/enlace/([^"]+)">', page)
                self.assertLess(scripts.index("controls/rule.js"), scripts.index("desk.js"))
                self.assertIn("rule", json.dumps(schema()))
                self.assertEqual(
                    [fault for fault in faults_of(layout.wired(self.vessel)) if fault.control == "rule"], []
                )
        told = [fault.sentence for fault in faults_of(layout.wired(self.vessel)) if fault.control == "rule"]
        self.assertEqual(told, ["Nothing here knows a control of the kind rule."])


class AtTheDesk(Sheets):
    """Several sources on one page."""

    def on_sheet(self, path: str, **data) -> str:
        return self.client.get(
            f"/desk/{self.vessel.pk}/{path}", {"on": "sheet", **data}, headers={"HX-Request": "true"}
        ).content.decode()

    def told(self, html: str) -> dict[str, dict]:
        places = re.findall(r'<template data-source="([^"]*)" data-detail="([^"]*)">', html)
        return {p: json.loads(unescape(detail)) for p, detail in places}

    def calls_of(self, vessel: int) -> list[int]:
        return [row[0] for row in self.sql("SELECT id FROM port_call WHERE vessel_id = ? ORDER BY id", vessel)]

    def test_details_follow_their_master_to_any_depth(self):
        told = self.told(self.on_sheet("at", position=2))
        calls = self.calls_of(3)
        self.assertEqual(set(told), {f"{self.calls.name}--", f"{self.cargo.name}--"})
        self.assertEqual(told[f"{self.calls.name}--"]["record"], f"i{calls[0]}")
        self.assertEqual(told[f"{self.calls.name}--"]["total"], len(calls))
        self.assertIn(f"/detail/{self.cargo.name}/i{calls[0]}/", told[f"{self.cargo.name}--"]["at"])

    def test_where_the_page_stands_in_a_detail_is_kept(self):
        calls = self.calls_of(1)
        places = {self.calls.name: {"record": f"i{calls[1]}", "master": "i1", "view": "order=-id&on=sheet"}}
        told = self.told(self.on_sheet("record", record="i1", places=json.dumps(places)))[f"{self.calls.name}--"]
        self.assertEqual((told["record"], told["view"]), (f"i{calls[1]}", "order=-id&on=sheet"))
        self.assertIn("order=-id", told["view"])
        for wrong in ("[", "[]", '{"port_call": 3}', '{"port_call": {"view": "order=gone"}}'):
            self.on_sheet("record", record="i1", places=wrong)

    def test_a_new_master_and_none(self):
        response = self.client.post(f"/desk/{self.vessel.pk}/new?on=sheet", headers={"HX-Request": "true"})
        told = self.told(response.content.decode())
        self.assertEqual((told[f"{self.calls.name}--"]["total"], told[f"{self.cargo.name}--"]["at"]), (0, ""))
        empty = self.form("vessel")
        self.detail(Above(empty), "port_call")
        page = self.client.get(f"/desk/{empty.pk}/?only-name=nothing%20at%20all")
        self.assertContains(page, "There is no record to show")

    def test_as_many_statements_as_sources(self):
        """Moving in the master reads a window and a record for each source, whatever controls there are."""
        self.on_sheet("at", position=1)
        counted: list[str] = []
        engine = engine_for(self.connection.to_spec())
        count = lambda *given: counted.append(given[2])  # noqa: E731
        event.listen(engine, "before_cursor_execute", count)
        self.addCleanup(lambda: event.remove(engine, "before_cursor_execute", count))
        self.on_sheet("at", position=3)
        few = len(counted)
        for kind, field in (
            ("editor", "name"),
            ("editor", "flag"),
            ("value", "name"),
            ("value", "built"),
            ("button", ""),
            ("heading", ""),
        ):
            self.act("add", kind=kind, source="vessel", field=field)
        self.on_sheet("at", position=4)  # the new sheet is met for the first time
        counted.clear()
        self.on_sheet("at", position=3)
        self.assertEqual(len(counted), few, counted)
        with CaptureQueriesContext(connections["default"]) as own:
            self.on_sheet("at", position=6)
        self.assertLess(len(own), 90)

    def test_an_order_of_one_grid_without_leaving_the_page(self):
        html = self.on_sheet("arrange", order="-name")
        self.assertIn('data-grid-of=""', html)
        self.assertIn("order=-name", self.told(html)[""]["view"])
        at = f"detail/{self.calls.name}/i1/arrange"
        html = self.on_sheet(at, order="-id")
        self.assertIn(f'data-grid-of="{self.calls.name}--"', html)

    def test_what_is_calculated_of_the_master_follows_at_once(self):
        at = f"/workshop/dataset/{self.vessel.dataset_id}/fields"
        self.client.post(
            at, {"act": "calculate", "label": "Deepest", "kind": "decimal", "formula": "max(port_call.draught_m)"}
        )
        self.act("add", kind="value", source="vessel", field="deepest")
        call = self.calls_of(2)[0]
        at = f"/desk/{self.vessel.pk}/detail/{self.calls.name}/i2/edit?on=sheet"
        data = {"record": f"i{call}", "field": "draught_m", "value": "24.5"}
        html = self.client.post(at, data, headers={"HX-Request": "true"}).content.decode()
        told = json.loads(unescape(re.search(r'data-event="enlace:calculated" data-detail="([^"]*)"', html)[1]))
        self.assertEqual((told["p"], told["record"], list(told["others"].values())), ("", "i2", ["24.5"]))
        self.assertIn('id="row-i2"', html)
        self.assertIn("24.5", html[html.index('id="c-deepest"') :][:300])

    def test_what_is_shown_only_with_some_records(self):
        self.act("add", kind="value", source="vessel", field="name")
        self.act("set", ids="name", name="shown_when", value="in_service = 1")
        idle = self.sql("SELECT id FROM vessel WHERE in_service = 0 LIMIT 1")[0][0]
        busy = self.sql("SELECT id FROM vessel WHERE in_service = 1 LIMIT 1")[0][0]
        self.assertIn(
            '<div class="lone" id="c-name" hx-swap-oob="true" hidden></div>', self.on_sheet("record", record=f"i{idle}")
        )
        self.assertIn('<div class="lone shown-value" id="c-name"', self.on_sheet("record", record=f"i{busy}"))
        html = self.act("set", ids="name", name="shown_when", value="in_servic = 1")
        self.assertIn("is not understood", html)

    def test_a_new_picture_and_a_new_chart_show_something_at_once(self):
        self.act("add", kind="picture", source="vessel")
        self.act("add", kind="chart", source="vessel")
        self.assertEqual(self.document().control("chart").settings["by"], "in_service")
        self.act("add", kind="picture", source="port_call")  # which has none
        pictures = [control.field for control in self.document().all() if control.kind == "picture"]
        self.assertEqual(pictures, ["photo", ""])

    def test_a_chart_counts_the_draft(self):
        self.act("add", kind="chart", source="port_call")
        for name, value in {"by": "status", "function": "count"}.items():
            self.act("set", ids="chart", name=name, value=value)
        before = self.shares(self.on_sheet("at", position=0))
        call = self.calls_of(1)[0]
        status = self.sql("SELECT status FROM port_call WHERE id = ?", call)[0][0]
        wanted = next(item for item in before if item != status)
        at = f"/desk/{self.vessel.pk}/detail/{self.calls.name}/i1/edit?on=sheet"
        self.client.post(at, {"record": f"i{call}", "field": "status", "value": wanted}, headers={"HX-Request": "true"})
        after = self.shares(self.on_sheet("at", position=0))
        self.assertEqual(after.get(wanted), before[wanted] + 1)
        self.assertEqual(after.get(status, 0), before[status] - 1)

    def test_the_draft_of_another_master_counts_nowhere_here(self):
        at = lambda vessel: f"/desk/{self.vessel.pk}/detail/{self.calls.name}/i{vessel}/"  # noqa: E731
        read = lambda: self.client.get(at(1) + "groups", {"by": "status"}).content.decode()  # noqa: E731
        before, call = read(), self.calls_of(2)[0]
        status = self.sql("SELECT status FROM port_call WHERE id = ?", call)[0][0]
        other = next(s for s in ("berthed", "departed") if s != status)
        sent = {"record": f"i{call}", "field": "status", "value": other}
        self.client.post(at(2) + "edit", sent, headers={"HX-Request": "true"})
        self.assertEqual(read(), before)

    def test_a_navigator_with_a_part_of_its_buttons(self):
        desk = f"/desk/{self.vessel.pk}/"
        self.assertNotContains(self.client.get(desk), "without-")
        self.act("set", ids="vessel_navigator", name="acts", value="")
        self.assertContains(self.client.get(desk), '<div class="navigator without-acts">', 1)
        self.act("set", ids="vessel_navigator", name="moves", value="")
        self.assertContains(self.client.get(desk), '<div class="navigator without-moves without-acts">', 1)
        for part in ("place", "asks"):
            self.act("set", ids="vessel_navigator", name=part, value="")
        self.assertContains(self.client.get(desk), "without-moves without-place without-acts without-asks", 1)

    def test_a_panel_adds_removes_and_resets(self):
        self.assertNotIn("panel-act-", self.client.get(f"/desk/{self.vessel.pk}/").content.decode())
        self.act("set", ids="vessel_panel", name="acts", value="yes")
        for page in (f"/desk/{self.vessel.pk}/", f"/desk/{self.vessel.pk}/record?record=i2&on=sheet"):
            html = self.client.get(page, headers={"HX-Request": "true"}).content.decode()
            acts = re.findall(r'id="panel-act-(\w+)"\s+hx-post="([^"]*)"', html)
            self.assertEqual(
                acts,
                [
                    (a, f"/desk/{self.vessel.pk}/{p}")
                    for a, p in (("new", "new"), ("remove", "remove"), ("reset", "keep"))
                ],
            )
        self.edit(self.vessel, "i2", name="Other")
        self.assertIn("as it was read", self.said(self.post(self.vessel, "keep", record="i2")))
        self.assertEqual(self.vessel.drafts.get().counts["all"], 0)

    def test_the_tab_order_is_the_builder_s_and_stays_when_controls_move(self):
        for field in ("name", "flag"):
            self.act("add", kind="editor", source="vessel", field=field)
        before = [control.id for control in self.document().controls]
        html = self.act("tab", ids="flag", how="earlier")
        after = [control.id for control in self.document().controls]
        self.assertEqual(after, [*before[:-2], "flag", "name"])
        self.assertIn(f"{len(after) - 1} of {len(after)}", html)
        self.assertIn("Tab goes through the sheet in another order", html)
        self.act("move", ids="name", dx=1, dy=0)
        self.act("add", kind="heading")
        self.assertEqual([control.id for control in self.document().controls], [*after, "heading"])
        desk = self.client.get(f"/desk/{self.vessel.pk}/").content.decode()
        self.assertLess(desk.index('id="c-flag"'), desk.index('id="c-name"'))
        self.act("repair", sentence="Tab goes through the sheet in another order than one reads it.")
        self.assertEqual([control.id for control in self.document().controls], [*before, "heading"])
        for _ in range(9):
            self.act("tab", ids="heading", how="earlier")
        self.assertEqual(self.document().controls[0].id, "heading")

    def test_a_control_says_differently_how_a_value_is_written_and_typed(self):
        self.act("add", kind="value", source="vessel", field="length_m")
        self.act("set", ids="length_m", name="format", value="0 m")
        self.act("add", kind="editor", source="vessel", field="name")
        self.act("set", ids="name", name="editor", value="lines")
        self.sql("UPDATE vessel SET length_m = 123.4 WHERE id = 1")
        desk = self.client.get(f"/desk/{self.vessel.pk}/?record=i1").content.decode()
        self.assertIn("123 m", re.search(r'id="c-length_m".*?</div>', desk, re.S)[0])
        self.assertIn("<textarea", re.search(r'id="c-name".*?</div>', desk, re.S)[0])

    def test_cards_go_on_to_all_records_one_at_a_time_or_many(self):
        for n in range(100, 130):
            self.sql(
                "INSERT INTO vessel (imo_no, name, vessel_type_code, photo)"
                " SELECT ?, ?, vessel_type_code, photo FROM vessel WHERE photo IS NOT NULL LIMIT 1", f"9{n:06}", f"More {n}",
            )  # fmt: skip
        self.act("add", kind="cards", source="vessel")
        count = self.sql("SELECT count(*) FROM vessel")[0][0]
        asked = {"on": "sheet", "control": "cards", "record": f"i{count}", "position": count - 1}
        drawn = lambda: self.client.get(f"/desk/{self.vessel.pk}/control", asked).content.decode()  # noqa: E731
        html = drawn()
        first = (count - 1) // 60 * 60 + 1
        self.assertIn(f"{first:,} to {count:,} of {count:,}", html)
        self.assertGreater(first, 60)
        self.assertRegex(html, rf'data-card="i{count}"\s+data-at="{count - 1}"\s+aria-selected="true"')
        self.edit(self.vessel, f"i{count}", name="Changed", length_m="long")
        html = drawn()
        self.assertIn('<span class="value changed">Changed</span>', html)
        for name, value in (
            ("layout", "one"),
            ("picture", "photo"),
            ("labels", "beside"),
            ("fields", "name, length_m"),
        ):
            self.act("set", ids="cards", name=name, value=value)
        html = drawn()
        self.assertEqual(html.count("data-card="), 1)
        self.assertIn('<span class="value wrong">long</span>', html)
        self.assertIn(f"{count:,} of {count:,}", html)
        self.assertRegex(html, rf'src="/desk/{self.vessel.pk}/picture\?record=i{count}&amp;field=photo')
        moved = self.client.get(f"/desk/{self.vessel.pk}/record?record=i1&on=sheet", headers={"HX-Request": "true"})
        self.assertIn('id="c-cards"', moved.content.decode())  # one at a time it goes with each move
        for wrong in ("gone", "call_grid", "vessel_grid", "vessel_panel", "vessel_navigator"):
            self.assertEqual(
                self.client.get(f"/desk/{self.vessel.pk}/control?on=sheet&control={wrong}").status_code, 400
            )

    def test_cards_on_the_board_are_those_that_are_drawn(self):
        self.vessel.dataset.fields.filter(name="flag").update(kind="longtext")
        self.vessel.dataset.touch()
        self.act("add", kind="cards", source="vessel")
        html = self.act("show")
        knots = re.findall(r'aria-pressed="true"\s+data-cross="cards"\s+data-field="(\w+)"', html)
        dataset = layout.wired(self.vessel).datasets["vessel"]
        self.assertNotIn("flag", knots)
        drawn = re.search(r'class="card-record".*?</div>', html, re.S)[0]
        labels = re.findall(r'<span class="label">([^<]*)</span>', drawn)
        self.assertEqual([dataset.any_name[name].label for name in knots], [unescape(label) for label in labels])

    def test_a_kind_that_nobody_knows_breaks_nothing(self):
        document = json.loads(self.document().to_json())
        document["controls"].append({"id": "dial", "kind": "dial", "source": "vessel", "place": {"y": 40}})
        self.vessel.document = json.dumps(document)
        self.vessel.save()
        for page in (f"/workshop/form/{self.vessel.pk}/compose", f"/desk/{self.vessel.pk}/"):
            self.assertContains(self.client.get(page), "Nothing here knows a control of the kind dial.")

    def test_a_move_leaves_what_shows_all_rows_alone(self):
        self.act("add", kind="chart", source="vessel")
        for name, value in {"by": "in_service", "function": "count"}.items():
            self.act("set", ids="chart", name=name, value=value)
        self.act("add", kind="cards", source="vessel")
        for moved in (self.on_sheet("at", position=1), self.on_sheet("record", record="i1")):
            self.assertIn('id="panel"', moved)
            self.assertNotIn('id="c-chart"', moved)
            self.assertNotIn('id="c-cards"', moved)
        for anew in (
            self.on_sheet("at", position=1, anew=1),
            self.on_sheet("record", record="i1", anew=1),
            self.on_sheet("arrange", order="-name"),
        ):
            self.assertIn('id="c-chart"', anew)
            self.assertIn('id="c-cards"', anew)

    def shares(self, html: str) -> dict[str, int]:
        chart = html[html.index('class="chart"') :]
        return {
            name: int(count) for name, count in re.findall(r'<th scope="row">([^<]*)</th><td[^>]*>(\d+)</td>', chart)
        }


class Names(Sheets):
    def test_datasets_that_are_made_for_details_are_told_apart(self):
        other = Form.make(self.form("port_call").dataset, self.calls.title)
        again = Form.make(self.form("port_call").dataset, self.calls.title)
        several = [self.cargo, *(self.detail(Above(form), "cargo_line") for form in (other, again))]
        names = [detail.dataset.name for detail in several]
        self.assertEqual(len(set(names)), 3, names)
        # Those that had one name before are told apart by their forms.
        Dataset.objects.filter(pk__in=[detail.dataset_id for detail in several]).update(name="Cargo")
        Form.objects.filter(pk=again.pk).update(title="Calls again")
        third = Form.make(self.form("port_call").dataset, "Third")
        told = [choice.words for choice in possible_choices(Above(third)) if choice.reference.table == "cargo_line"]
        self.assertEqual(len(set(told)), len(told), told)
        self.assertIn("cargo_line: port_call_id · dataset Cargo, on vessel", told)


class Wiring(Sheets):
    def test_what_is_measured_on_rows_is_put_right_on_both_pages(self):
        address = f"/workshop/project/{self.project.pk}/wiring"
        for page in (address, f"/workshop/form/{self.vessel.pk}/compose"):
            self.act("column", ids="vessel_grid", field="built", change="width", value="40")
            told = unescape(self.client.get(page).content.decode())
            sentence = re.search(r"The column Built is too narrow: [^<]+? has no room in it\.", told)[0]
            if page == address:
                layout_now = Form.objects.get(pk=self.vessel.pk).layout
                sent = {"layout": layout_now, "sentence": sentence, "control": "vessel_grid"}
                self.client.post(f"/workshop/form/{self.vessel.pk}/compose/repair", sent, follow=True)
            else:
                self.act("repair", sentence=sentence, control="vessel_grid")
            self.assertNotIn("too narrow", self.client.get(page).content.decode())

    def test_a_project_s_page_and_the_command(self):
        self.assertContains(self.client.get(f"/workshop/project/{self.project.pk}/wiring"), "Wired soundly")
        out = StringIO()
        call_command("check_wiring", stdout=out)
        self.assertIn("soundly", out.getvalue())
        self.act("remove", ids="vessel_panel")
        self.act("cross", control="vessel_grid", field="name")
        self.assertContains(
            self.client.get(f"/workshop/project/{self.project.pk}/wiring"),
            "Name needs a value, and nothing on the form lets",
        )
        with self.assertRaises(CommandError):
            call_command("check_wiring", stdout=out)
        self.assertRegex(out.getvalue(), r"Porto / vessel / vessel: error: Name needs a value")
        self.assertRegex(self.act("show"), r'data-repair="Name needs a value[^>]*>\s*Add an editor')
        sentence = "Name needs a value, and nothing on the form lets people enter one."
        address = f"/workshop/form/{self.vessel.pk}/compose/repair"
        sent = lambda: {"layout": Form.objects.get(pk=self.vessel.pk).layout, "sentence": sentence}  # noqa: E731
        told = self.client.post(address, sent(), follow=True)
        self.assertContains(told, f"Put right on vessel: {sentence}")
        self.assertEqual(self.document().control("name").kind, "editor")
        again = self.client.post(address, sent())
        self.assertContains(again, "That is not wrong any more", status_code=400)
