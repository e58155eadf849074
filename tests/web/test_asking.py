"""The sentence above a grid, the values that occur, and Find."""

import csv
import io
import json
import re
from dataclasses import replace
from functools import partial
from html import unescape
from unittest import mock
from urllib.parse import parse_qsl, urlencode

import openpyxl
from django.db.models import F

from enlace.core.dataset.finding import look
from enlace.core.exchange.csv_out import unguarded
from enlace.workshop.details import Above, add_detail, possible_details
from enlace.workshop.models import Dataset, Form
from tests.web.pages import Pages


class Asking(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")

    def page(self, **data) -> str:
        return self.client.get(f"/desk/{self.calls.pk}/", data).content.decode()

    def ids(self, html: str) -> list[int]:
        return [int(n) for n in re.findall(r'class="record" id="row-i(\d+)"', html)]

    def asked(self, *conditions: dict) -> dict[str, str]:
        return {"only-": json.dumps(conditions)}

    def test_the_empty_ones_are_asked_first_or_last(self):
        page = self.client.get(f"/desk/{self.form('vessel').pk}/?order=-flag:empty&order=-flag").content.decode()
        self.assertIn("Flag, from Z to A, empty first", unescape(page))
        [order] = re.findall(r'data-name="flag"[^>]*>\s*<a tabindex="-1" href="([^"]*)"', page)
        self.assertEqual(unescape(order), "?order=-flag%3Aempty&order=flag")  # turned round they stay where they are
        html = self.client.get(f"/desk/{self.form('vessel').pk}/?order=imo_no:empty&order=no:empty").content.decode()
        self.assertNotIn("empty last", html)  # a field that is never empty, and one that is not there

    def test_dates_are_chosen_by_year_month_and_day(self):
        at = f"/desk/{self.calls.pk}/values"
        for by, cut in (("year", 4), ("month", 7), ("day", 10)):
            html = self.client.get(at, {"field": "eta", "by": by}).content.decode()
            told = dict(re.findall(r'value="([^"]+)">\s*<span>[^<]*</span> <span class="soft digits">([\d,]+)<', html))
            counts = {
                v: f"{n:,}" for v, n in self.sql(f"SELECT substr(eta, 1, {cut}), count(*) FROM port_call GROUP BY 1")
            }
            self.assertEqual(told, {v: n for v, n in counts.items() if v in told})
            self.assertEqual(len(told), min(len(counts), 100))
            self.assertEqual(list(told), sorted(told, reverse=True))
            value, count = next(iter(told.items()))
            rows = self.client.get(
                f"/desk/{self.calls.pk}/count", self.asked({"field": "eta", "test": "in", "values": [value]})
            )
            self.assertTrue(json.loads(rows["HX-Trigger"])["enlace:passing"]["words"].startswith(f"{count} of "))
        self.sql("UPDATE port_call SET etd = NULL WHERE id = 1")
        self.assertIn("(empty)", self.client.get(at, {"field": "etd", "by": "month"}).content.decode())
        self.assertNotIn("data-span", self.client.get(at, {"field": "status"}).content.decode())

    def test_in_very_many_rows_the_next_place_is_looked_for(self):
        ids = [row[0] for row in self.sql("SELECT id FROM port_call ORDER BY id")]
        self.client.get(f"/desk/{self.calls.pk}/count")  # from here on their number is known
        at = f"/desk/{self.calls.pk}/find"
        asked = {"text": str(ids[700]), "position": 650}
        exactly = self.client.get(at, asked).json()

        def all_the_way(**more):
            told, steps = {"left": 1}, 0
            given = {**asked, **more}
            while told.get("left"):
                told = self.client.get(at, given).json()
                given |= {name: told[name] for name in ("at", "left") if name in told}
                steps += 1
            return told, steps

        with (
            mock.patch("enlace.desk.finding.AT_ONCE", 100),
            mock.patch("enlace.core.dataset.finding.STRETCH", 40),
            mock.patch("enlace.core.dataset.finding.SECONDS", 0),
            mock.patch("enlace.desk.finding.look", partial(look, seconds=0)),
        ):
            found, steps = all_the_way()
            self.assertEqual(found["position"], exactly["position"])
            self.assertGreater(steps, 1)
            self.assertEqual(found["sentence"], f"In row {found['position'] + 1:,}")
            back, _ = all_the_way(position=720, back=1)
            self.assertEqual(
                back["position"], self.client.get(at, asked | {"position": 720, "back": 1}).json()["position"]
            )
            around, _ = all_the_way(position=len(ids) - 3)
            self.assertLess(around["position"], len(ids) - 3)
            told = self.client.get(at, {"text": "nowhere at all", "position": 5}).json()
            self.assertEqual((told["left"], told["at"]), (len(ids) - 40, 45))
            self.assertIn("Looked through 40 of 1,", told["done"])
            none, steps = all_the_way(text="nowhere at all")
            self.assertEqual((none["count"], none["left"]), (0, 0))

    def test_the_sentence_tells_how_many_of_all_pass(self):
        [(all_, cargo)] = self.sql("SELECT count(*), sum(purpose = 'cargo') FROM port_call")
        asked = {"only-purpose": "==cargo"}
        told = json.loads(self.client.get(f"/desk/{self.calls.pk}/count", asked)["HX-Trigger"])
        self.assertEqual(told["enlace:passing"]["words"], f"{cargo:,} of {all_:,}")
        self.assertIn(f"· {cargo:,} of {all_:,}", self.page(**asked))  # known by now
        self.assertNotIn("enlace:passing", self.client.get(f"/desk/{self.calls.pk}/count")["HX-Trigger"])

    def test_a_grid_that_is_asked_anew_is_told_how_many_rows_it_has(self):
        """Those that came with it are a few of them: without the number its last row would be theirs."""
        [(cargo,)] = self.sql("SELECT count(*) FROM port_call WHERE purpose = 'cargo'")
        address = f"/desk/{self.calls.pk}/arrange"
        for asked in ({"only-purpose": "==cargo"}, {"only-purpose": "==cargo", "order": "-eta"}):
            html = self.client.get(address, {**asked, "seen": 4, "on": "sheet"}).content.decode()
            [told] = re.findall(r'<template data-source="" data-detail="([^"]*)"', html)
            self.assertEqual(json.loads(unescape(told))["total"], cargo)
            self.assertLess(len(self.ids(html)), cargo)

    def test_every_part_can_be_dropped_turned_and_switched_off(self):
        status = {"field": "status", "test": "is", "values": ["berthed"]}
        page = self.page(**self.asked(status), **{"only-purpose": "cargo", "order": "-eta"})
        wanted = self.sql(
            "SELECT id FROM port_call WHERE status = 'berthed' AND purpose LIKE '%cargo%' ORDER BY eta DESC"
        )
        self.assertEqual(self.ids(page), [row[0] for row in wanted])
        sentence = page[page.index('data-sentence id="sentence"') :]
        sentence = unescape(sentence[: sentence.index("</p>")])
        for words in ("Purpose cargo", "Status is berthed", "ETA, latest first"):
            self.assertIn(words, sentence)
        drop = dict(re.findall(r'href="\?([^"]*)" aria-label="Leave out ([^"]*)"', sentence))
        without = {words: dict(parse_qsl(query, keep_blank_values=True)) for query, words in drop.items()}
        self.assertNotIn("only-", without["Status is berthed"])
        self.assertNotIn("only-purpose", without["Purpose cargo"])
        off = re.search(r'href="\?([^"]*)" aria-label="Switch Status is berthed off"', sentence)[1]
        page = self.client.get(f"/desk/{self.calls.pk}/?{off}").content.decode()
        everybody = self.sql("SELECT count(*) FROM port_call WHERE purpose LIKE '%cargo%'")[0][0]
        self.assertEqual(len(self.ids(page)), min(everybody, 60))
        self.assertIn("Switch Status is berthed on", page)

    def test_an_expression_that_an_operator_may_not_ask(self):
        typed = self.asked({"sql": "sum(cargo_line.tonnes) > 100"})
        self.assertNotIn("does not show", self.page(**typed))
        self.client.force_login(self.operator)
        self.assertIn("which this form does not show", self.page(**typed))
        self.assertEqual(len(self.ids(self.page(**typed))), 60)
        near = self.page(**self.asked({"sql": "draught_m > 8 AND status = 'departed'"}))
        wanted = self.sql("SELECT id FROM port_call WHERE draught_m > 8 AND status = 'departed' ORDER BY id LIMIT 60")
        self.assertEqual(self.ids(near), [row[0] for row in wanted])

    def test_beyond_the_record_operators_ask_what_the_form_shows(self):
        address = f"/desk/{self.calls.pk}/reach"
        names = lambda: {field["name"]: field["label"] for field in self.client.get(address).json()["fields"]}  # noqa: E731
        self.assertEqual(names()["vessel.flag"], "Vessel: Flag")
        self.assertIn("sum(cargo_line.tonnes)", names())
        heavy = self.asked({"field": "sum(cargo_line.tonnes)", "test": "more", "values": ["100"]})
        wanted = self.sql(
            "SELECT id FROM port_call p WHERE (SELECT sum(tonnes) FROM cargo_line WHERE port_call_id = p.id) > 100 ORDER BY id LIMIT 60"
        )
        self.assertEqual(self.ids(self.page(**heavy)), [row[0] for row in wanted])
        self.assertIn("Cargo line: sum of tonnes more than 100", self.page(**heavy))
        self.client.force_login(self.operator)
        self.assertNotIn("vessel.flag", names())
        self.assertIn("There is no field sum(cargo_line.tonnes)", self.page(**heavy))
        flag = self.asked({"field": "vessel.flag", "test": "is", "values": ["PT"]})
        self.assertEqual(len(self.ids(self.page(**flag))), 60)
        # What stands on the form is no secret: its totals, and what its lists show.
        add_detail(Above(self.calls), next(r for r in possible_details(Above(self.calls)) if r.table == "cargo_line"))
        self.assertIn("sum(cargo_line.tonnes)", names())
        self.assertIn("vessel.name", names())
        self.assertEqual(self.ids(self.page(**heavy)), [row[0] for row in wanted])
        # A total counts all rows of a table, those too that a dataset keeps from people.
        Dataset.objects.filter(details__form=self.calls).update(row_condition="tonnes < 50", revision=F("revision") + 1)
        self.assertNotIn("sum(cargo_line.tonnes)", names())

    def test_what_is_no_condition_is_told_and_breaks_nothing(self):
        for text in ("{", "[3]", '[{"field": "status", "test": "dance"}]'):
            response = self.client.get(f"/desk/{self.calls.pk}/", {"only-": text})
            self.assertContains(response, "conditions of this address", status_code=response.status_code)
            self.assertLess(response.status_code, 500)

    def values(self, **data) -> list[tuple[str, str, int]]:
        html = self.client.get(f"/desk/{self.calls.pk}/values", data).content.decode()
        found = re.findall(r'value="([^"]*)">\s*<span>([^<]*)</span>\s*<span class="soft digits">([\d,]+)', html)
        return [(unescape(v), unescape(w), int(n.replace(",", ""))) for v, w, n in found]

    def test_values_that_occur_with_their_counts(self):
        counted = self.sql("SELECT status, count(*) FROM port_call GROUP BY 1 ORDER BY 2 DESC, 1")
        self.assertEqual(self.values(field="status"), [(f"=={s}", s, n) for s, n in counted])
        value, _, count = next(v for v in self.values(field="pilot_id") if v[1] == "(empty)")
        self.assertEqual(
            (value, count), ("no value", self.sql("SELECT count(*) FROM port_call WHERE pilot_id IS NULL")[0][0])
        )
        vessel, _, count = self.values(field="vessel_id", typed="doce")[0]
        page = self.page(**self.asked({"field": "vessel_id", "test": "in", "values": [vessel]}))
        self.assertEqual(len(self.ids(page)), count)
        filtered = self.values(field="status", **{"only-vessel_id": vessel})
        self.assertEqual(sum(n for _, _, n in filtered), count)
        self.assertEqual(self.client.get(f"/desk/{self.calls.pk}/values", {"field": "gone"}).status_code, 400)

    def test_the_value_of_a_cell(self):
        status = self.sql("SELECT status FROM port_call WHERE id = 5")[0][0]
        told = self.client.get(f"/desk/{self.calls.pk}/exactly", {"field": "status", "record": "i5"}).json()
        self.assertEqual(told, {"value": f"=={status}"})
        self.assertEqual(
            self.client.get(f"/desk/{self.calls.pk}/exactly", {"field": "notes", "record": "i5"}).status_code, 400
        )

    def found(self, text: str, **data) -> dict:
        return self.client.get(f"/desk/{self.calls.pk}/find", {"text": text, **data}).json()

    def test_find_goes_on_and_back_and_around(self):
        ids = [row[0] for row in self.sql("SELECT id FROM port_call ORDER BY id")]
        wanted = self.sql(
            "SELECT c.id FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE v.name LIKE '%Doce%' ORDER BY c.id"
        )
        places = [ids.index(row[0]) for row in wanted]
        first = self.found("dôce")
        self.assertEqual((first["count"], first["which"], first["position"]), (len(places), 1, places[0]))
        second = self.found("doce", position=places[0], again=1)
        self.assertEqual((second["which"], second["position"]), (2, places[1]))
        self.assertEqual(self.found("doce", position=places[1], again=1, back=1)["position"], places[0])
        self.assertEqual(self.found("doce", position=places[0], again=1, back=1)["position"], places[-1])
        self.assertEqual(self.found("doce", position=places[-1], again=1)["position"], places[0])
        self.assertEqual(self.found("nothing at all"), {"count": 0})
        draught = self.sql("SELECT draught_m FROM port_call WHERE draught_m IS NOT NULL LIMIT 1")[0][0]
        self.assertGreater(self.found(f"{float(draught):,.2f}")["count"], 0)

    def test_find_looks_at_the_draft_as_it_is(self):
        stored = [row[0] for row in self.sql("SELECT id FROM port_call ORDER BY id")]
        [(first, doce)] = self.sql(
            "SELECT min(c.id), min(v.id) FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE v.name LIKE '%Doce%'"
        )
        whole, other = self.found("doce")["count"], self.sql(f"SELECT min(id) FROM vessel WHERE id <> {doce}")[0][0]
        # Edited away, edited to what is looked for, and typed but no value yet.
        self.edit(self.calls, f"i{first}", vessel_id=other)
        self.assertEqual(self.found("doce")["count"], whole - 1)
        self.edit(self.calls, f"i{stored[6]}", notes="A bell rings thrice")
        self.edit(self.calls, f"i{stored[3]}", draught_m="thrice as deep")
        news = [self.new(self.calls, notes=note) for note in ("nothing", "THRÍCE", "", "and thrice more")]
        places = [3, 6, len(stored) + 1, len(stored) + 3]
        drafted = [f"i{stored[6]}", f"i{stored[3]}", *news]
        self.assertEqual(len(drafted) + 1, self.calls.drafts.get().counts["all"])

        def walk(back=0, **asked):
            at, met = 0, []
            for _ in range(len(places) + 1):
                told = {"left": 1}
                data = {"position": at, "again": int(bool(met)), "back": back}
                while told.get("left"):
                    told = self.found("thrice", **data)
                    data |= {name: told[name] for name in ("at", "left") if name in told}
                at = told["position"]
                met.append(at)
            return met

        self.assertEqual(walk(), [*places, places[0]])
        self.assertEqual(walk(back=1), [*places[::-1], places[-1]])
        self.assertEqual(self.found("thrice", position=places[2])["sentence"], "3 of 4")
        self.assertEqual(self.found("thrice", order="-id")["position"], len(stored) - 7)
        # So many that the new ones are looked through in stretches.
        with (
            mock.patch("enlace.desk.finding.MOST_DRAFTED", 3),
            mock.patch("enlace.desk.finding.STRETCH", 2),
            mock.patch("enlace.desk.finding.SECONDS", 0),
        ):
            self.assertEqual(walk(), [*places, places[0]])
            self.assertEqual(walk(back=1), [*places[::-1], places[-1]])
            done = self.found("nowhere", position=len(stored))["done"]
            self.assertEqual(done, f"Looked through 2 of {len(stored) + 4:,} rows")
        # So many are edited that they are looked at as they are stored.
        with mock.patch("enlace.desk.finding.MOST_DRAFTED", 2), mock.patch("enlace.desk.finding.STRETCH", 2):
            self.assertEqual(walk(), [*places[2:], *places[2:], places[2]])

    def test_boxes_keep_the_conditions(self):
        page = self.page(**self.asked({"field": "status", "test": "filled", "values": []}))
        kept = unescape(re.search(r'name="only-" value="([^"]*)"', page)[1])
        again = self.client.get(f"/desk/{self.calls.pk}/?{urlencode({'only-': kept, 'only-purpose': 'cargo'})}")
        self.assertContains(again, "Status is not empty")


class OddTables(Pages):
    """Reserved words as names, a view without a key, a table without one, a query."""

    def asked(self, form, **data) -> str:
        response = self.client.get(f"/desk/{form.pk}/", data)
        self.assertEqual(response.status_code, 200, response.content[:300])
        return response.content.decode()

    def counted(self, form, only) -> dict:
        answer = self.client.get(f"/desk/{form.pk}/count", {"only-": json.dumps([only])})
        return self.events(answer)["enlace:total"]

    def test_every_field_of_every_odd_table_can_be_asked_for(self):
        for table in ("PilotOrder", "calls_by_vessel", "gate_log", "unpaid_dues", "tide_reading"):
            form = self.form(table)
            dataset = form.dataset.to_spec()
            whole = self.sql(f'SELECT count(*) FROM "{table}"')[0][0]
            for field in dataset.shown:
                if field.kind in ("picture", "binary", "longtext"):
                    continue
                with self.subTest(table, field=field.name):
                    html = self.client.get(f"/desk/{form.pk}/values", {"field": field.name}).content.decode()
                    value = re.search(r'value="([^"]*)"', html)
                    self.assertIsNotNone(value, html)
                    chosen = {"field": field.name, "test": "in", "values": [unescape(value[1])]}
                    count = int(re.search(r'digits">([\d,]+)', html)[1].replace(",", ""))
                    told = self.counted(form, chosen)
                    self.assertEqual((told["records"], told["words"]), (count, f"{count:,}"))
                    rest = {"none": [chosen]}
                    self.assertEqual(self.counted(form, rest)["records"], whole - count)
                    self.asked(form, order=[f"-{field.name}", dataset.shown[0].name], **{"only-": json.dumps([chosen])})
            self.assertEqual(self.client.get(f"/desk/{form.pk}/find", {"text": "a"}).status_code, 200)
            lines = b"".join(self.client.get(f"/desk/{form.pk}/take?format=csv").streaming_content).decode()
            self.assertEqual(len(list(csv.reader(io.StringIO(lines, newline="")))), whole + 1)


class TakingOut(Pages):
    def rows(self, form, **data) -> list[list[str]]:
        response = self.client.get(f"/desk/{form.pk}/take", {"format": "csv", **data})
        self.assertEqual(response["Content-Type"], "text/csv; charset=utf-8")
        text = b"".join(response.streaming_content).decode()
        return list(csv.reader(io.StringIO(text, newline="")))

    def test_what_a_grid_shows_as_csv(self):
        calls = self.form("port_call")
        heads, *rows = self.rows(calls, order="-eta", **{"only-status": "=departed"})
        ids = self.sql("SELECT id FROM port_call WHERE status = 'departed' ORDER BY eta DESC, id DESC")
        self.assertEqual([int(row[0].replace(",", "")) for row in rows], [row[0] for row in ids])
        self.assertEqual(heads[:2], ["ID", "Vessel"])
        self.assertEqual(
            rows[0][1].split(" · ")[0],
            self.sql("SELECT v.name FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE c.id = ?", ids[0][0])[0][
                0
            ],
        )
        heads, *rows = self.rows(calls, stored="1")
        self.assertEqual(len(rows), self.sql("SELECT count(*) FROM port_call")[0][0])
        self.assertIn("vessel_id", heads)
        self.assertEqual(
            rows[4][heads.index("vessel_id")], str(self.sql("SELECT vessel_id FROM port_call WHERE id = 5")[0][0])
        )

    def test_the_draft_is_in_it_long_texts_are_whole_and_nothing_is_a_formula(self):
        vessels = self.form("vessel")
        long = "=1+1 " + "x" * 900
        self.edit(vessels, "i1", remarks=long, name="-Dash")
        heads, first, *_ = self.rows(vessels)
        self.assertEqual((first[heads.index("Remarks")], first[heads.index("Name")]), ("'" + long, "'-Dash"))
        self.assertEqual(unguarded(first[heads.index("Remarks")]), long)

    def test_what_a_grid_shows_as_a_table_to_print(self):
        calls = self.form("port_call")
        asked = {"order": "-eta", "only-status": "=departed", "group": "berth_code:value"}
        response = self.client.get(f"/desk/{calls.pk}/table", asked)
        html = b"".join(response.streaming_content).decode()
        count = self.sql("SELECT count(*) FROM port_call WHERE status = 'departed'")[0][0]
        self.assertEqual(html.count("<tr>"), count + 1)
        self.assertIn("Filtered: Status", unescape(html))
        self.assertIn("In the order of Berth, ETA, latest first.", unescape(html))
        self.edit(calls, "i1", notes="<b>&")
        html = b"".join(self.client.get(f"/desk/{calls.pk}/table").streaming_content).decode()
        self.assertNotIn("<b>&", html)

    def test_what_a_grid_shows_as_a_workbook(self):
        calls = self.form("port_call")
        self.edit(calls, "i3", draught_m="7.25")
        response = self.client.get(
            f"/desk/{calls.pk}/take", {"format": "xlsx", "order": "-eta", "only-status": "=departed"}
        )
        book = openpyxl.load_workbook(io.BytesIO(b"".join(response.streaming_content)))
        heads, *rows = [[cell.value for cell in line] for line in book.active.iter_rows()]
        told = self.sql("SELECT id, eta FROM port_call WHERE status = 'departed' ORDER BY eta DESC, id DESC")
        eta = heads.index("ETA")
        self.assertEqual([(row[0], row[eta].isoformat(" ")) for row in rows], told)
        whole = self.client.get(f"/desk/{calls.pk}/take?format=xlsx")
        heads, *rows = openpyxl.load_workbook(io.BytesIO(b"".join(whole.streaming_content))).active.iter_rows(
            values_only=True
        )
        if "Draught (m)" in heads:  # the draft is in it, as a number
            self.assertEqual(rows[2][heads.index("Draught (m)")], 7.25)
        self.assertEqual(len(rows), self.sql("SELECT count(*) FROM port_call")[0][0])


class Views(Pages):
    """What one asked for, kept by a name."""

    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.at = f"/desk/{self.calls.pk}/views"

    def names(self) -> list[str]:
        return re.findall(r'<a href="\?[^"]*">([^<]*)</a>', self.client.get(self.at).content.decode())

    def test_kept_asked_again_shared_and_removed(self):
        asked = urlencode({"order": "-eta", "only-status": "=berthed"})
        self.client.post(f"{self.at}?{asked}", {"name": "Berthed now"})
        self.client.post(f"{self.at}?{asked}", {"name": "For all", "shared": "1"})
        html = self.client.get(self.at).content.decode()
        query = unescape(re.search(r'<a href="\?([^"]*)">Berthed now<', html)[1])
        page = self.client.get(f"/desk/{self.calls.pk}/?{query}")
        self.assertContains(page, "ETA, latest first")
        self.client.force_login(self.operator)
        self.assertEqual(self.names(), ["For all"])
        number = re.search(r"For all", self.client.get(self.at).content.decode())
        self.assertIsNotNone(number)
        shared = self.calls.views.get(name="For all")
        self.assertEqual(self.client.post(self.at, {"remove": shared.pk}).status_code, 400)
        self.client.post(f"{self.at}?{asked}", {"name": "Mine", "shared": "1"})
        self.assertIsNotNone(self.calls.views.get(name="Mine").person)
        self.client.post(self.at, {"remove": self.calls.views.get(name="Mine").pk})
        self.assertEqual(self.names(), ["For all"])
        for wrong in ({"name": " "}, {"name": "x" * 99}, {"remove": "x"}, {"remove": "99999"}):
            self.assertEqual(self.client.post(self.at, wrong).status_code, 400, wrong)


class Arranging(Pages):
    """A person's own columns of a grid."""

    def setUp(self):
        super().setUp()
        self.vessels = self.form("vessel")

    def heads(self) -> list[str]:
        page = self.client.get(f"/desk/{self.vessels.pk}/").content.decode()
        return re.findall(r'role="columnheader"[^>]*data-name="(\w+)"', page)

    def act(self, act: str, field: str, value: str = "", status: int = 200):
        data = {"act": act, "field": field, "value": value, "record": "i3"}
        response = self.client.post(f"/desk/{self.vessels.pk}/columns", data, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, status, response.content[:300])
        return response

    def test_widths_places_and_what_is_hidden(self):
        before = self.heads()
        html = self.act("hide", "flag").content.decode()
        self.assertIn("data-grid-of", html)
        self.assertNotIn('data-name="flag"', html)
        self.assertIn("&quot;flag&quot;", html)
        self.act("later", before[0])
        self.act("width", "name", "333")
        self.assertEqual(self.heads(), [before[1], before[0], *(name for name in before[2:] if name != "flag")])
        page = self.client.get(f"/desk/{self.vessels.pk}/").content.decode()
        self.assertIn(" 333px ", re.search(r'data-widths="([^"]*)"', page)[1])
        rows = page[page.index("data-rows") : page.index("data-blank")]
        self.assertEqual(
            self.client.get(f"/desk/{self.vessels.pk}/rows").content.decode().count("gridcell"), rows.count("gridcell")
        )
        listed = f"/desk/{self.vessels.pk}/arrangements"
        ticked = re.findall(
            r'data-show-column="(\w+)" checked', " ".join(self.client.get(listed).content.decode().split())
        )
        self.assertEqual(ticked, [name for name in before if name != "flag"])
        self.act("show", "flag")  # where the form has it
        self.assertEqual(self.heads(), [before[1], before[0], *before[2:]])
        self.act("reset", "")
        self.assertEqual(self.heads(), before)

    def test_one_of_another_form_of_the_same_table_is_put_on_and_tells_what_does_not_fit(self):
        def offered(form):
            return re.findall(
                r'data-kept-put="\d+">([^<]*)<', self.client.get(f"/desk/{form.pk}/arrangements").content.decode()
            )

        self.act("earlier", self.heads()[1])
        stood = self.heads()
        self.client.post(f"/desk/{self.vessels.pk}/arrangements", {"name": "Mine"})
        self.client.post(f"/desk/{self.vessels.pk}/arrangements", {"name": "Ours", "shared": "1"})
        self.act("reset", "")
        spec = self.vessels.dataset.to_spec()
        narrow = replace(spec, fields=tuple(field for field in spec.fields if field.name != "flag"), rules=())
        fleet = Form.make(Dataset.make(self.vessels.dataset.connection, narrow, "Fleet"), "Fleet")
        self.assertEqual(offered(fleet), ["Mine", "Ours"])
        self.assertContains(self.client.get(f"/desk/{fleet.pk}/arrangements"), f"of {self.vessels.title}<", 2)
        self.assertEqual(offered(self.form("agent")), [])
        mine = self.vessels.arrangements.get(name="Mine").pk
        self.assertEqual(self.client.post(f"/desk/{fleet.pk}/arrangements", {"remove": mine}).status_code, 400)
        told = self.client.post(
            f"/desk/{fleet.pk}/columns", {"act": "apply", "value": mine}, headers={"HX-Request": "true"}
        )
        self.assertIn("Mine is put on. This grid has no flag.", told["HX-Trigger"])
        page = self.client.get(f"/desk/{fleet.pk}/").content.decode()
        heads = re.findall(r'role="columnheader"[^>]*data-name="(\w+)"', page)
        self.assertEqual(heads, [name for name in stood if name != "flag"])
        self.client.force_login(self.operator)
        self.assertEqual(offered(fleet), ["Ours"])

    def test_it_is_each_person_s_own_and_shows_nothing_hidden(self):
        self.act("hide", "name")
        self.client.force_login(self.operator)
        self.assertIn("name", self.heads())
        self.vessels.dataset.fields.filter(name="remarks").update(hidden=True)
        self.vessels.dataset.touch()
        self.act("show", "remarks", status=400)
        self.assertNotIn("remarks", self.heads())
        for act, field, value in (("width", "name", "wide"), ("hide", "gone", ""), ("dance", "name", "")):
            self.act(act, field, value, 400)


ODD = {
    "sqlite": (
        "CREATE TABLE odd (id INTEGER PRIMARY KEY, words TEXT, n NUMERIC, d REAL, day DATE, at DATETIME)",
        "INSERT INTO odd VALUES (1, ' a ', 1.1, 9e999, '2020-01-02', 1577836801), (2, 'A', 3 * 1.1, 1.1, '31/12/2020', NULL),"
        " (3, x'00ff', 'none', NULL, NULL, 1577836802), (4, '', NULL, 1.1, '2020-01-02', 0)",
    ),
    "mariadb": (
        "CREATE TABLE odd (id INT PRIMARY KEY, words VARCHAR(9) CHARACTER SET latin1, f FLOAT, u UUID, ip INET6, e ENUM('x', 'Y'), day DATE)",
        "INSERT INTO odd VALUES (1, 'é', 1.1, uuid(), '::1', 'x', '2020-01-02'), (2, 'e', 2.2, uuid(), '::2', 'Y', NULL),"
        " (3, ' é', 1.1, NULL, '::1', 'x', '2020-03-02'), (4, 'É', 1e30, NULL, NULL, NULL, '2021-01-01')",
    ),
    "postgresql": (
        "CREATE TABLE odd (id int PRIMARY KEY, words text, c char(4), r real, n numeric, ip inet, p point, x xml, u uuid, a int[], day date, at timestamptz)",
        "INSERT INTO odd VALUES (1, ' a ', 'x', 1.1, 'NaN', '10.0.0.1', '(1,2)', '<a/>', gen_random_uuid(), '{1,2}', 'infinity', now()),"
        " (2, 'A', 'X', 2.2, 1.1, '10.0.0.0/8', '(1,3)', '<b/>', NULL, '{}', '0044-03-15 BC', '-infinity'),"
        " (3, '', '', 'NaN', 1.10, '10.0.0.1', NULL, NULL, NULL, NULL, '2020-01-02', NULL), (4, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL)",
    ),
}


class ValuesOnEachServer(Pages):
    def counted(self, at: str, field: str, said: str) -> int:
        told = self.client.get(f"{at}count", {f"only-{field}": said})
        return json.loads(told["HX-Trigger"])["enlace:total"]["total"]

    def test_a_text_that_no_database_keeps_is_told_and_not_taken_for_an_outage(self):
        for kind in ODD:
            place = self.at_server(kind)
            place.run("CREATE TABLE noted (id INTEGER PRIMARY KEY, words VARCHAR(20))")
            at = f"/desk/{self.form('noted', self.connect(place.spec)).pk}/"
            for asked in (
                [{"anywhere": "a\0b"}],
                *([{"field": "words", "test": test, "values": ["a\0b"]}] for test in ("has", "begins", "like", "is")),
            ):
                told = self.client.get(at, {"only-": json.dumps(asked)})
                self.assertContains(told, "NUL character", msg_prefix=f"{kind} {asked}")
            for path, more in (("find", {"text": "a\0b"}), ("values", {"field": "words", "typed": "a\0b"})):
                self.assertIn(self.client.get(at + path, more).status_code, (200, 400), f"{kind} {path}")
            for act, more in (
                ("replace/look", {"find": "a\0b"}),
                ("block", {"lines": '[["1", "a\\u0000b"]]', "preview": 1}),
            ):
                self.assertIn(self.client.post(at + act, more).status_code, (200, 400), f"{kind} {act}")

    def test_as_many_rows_pass_as_a_value_is_said_to_have(self):
        for kind, statements in ODD.items():
            place = self.at_server(kind, *statements)
            form = self.form("odd", self.connect(place.spec))
            at = f"/desk/{form.pk}/"
            for field in form.dataset.to_spec().shown:
                for by in ("year", "month", "day") if field.kind in ("date", "datetime") else ("",):
                    with self.subTest(kind, field=field.name, by=by):
                        self.as_said(at, field.name, by)
                with self.subTest(kind, field=field.name):
                    if field.kind == "longtext":
                        self.assertIn(field.name, ("p", "x"))
                        continue
                    value = self.client.get(f"{at}exactly", {"record": "i1", "field": field.name}).json()["value"]
                    self.assertGreaterEqual(self.counted(at, field.name, value), 1, value)

    def as_said(self, at: str, field: str, by: str) -> None:
        told = self.client.get(f"{at}values", {"field": field, "by": by})
        if told.status_code == 400:  # the server compares no two of them
            self.assertContains(told, "be counted by this field", status_code=400)
            return
        line = (
            r'<input type="checkbox" value="([^"]*)"( disabled)?>\s*<span>.*?</span>\s*<span class="soft digits">(\d+)<'
        )
        lines = re.findall(line, told.content.decode())
        self.assertEqual(sum(int(count) for *_, count in lines), 4)
        for value, off, count in lines:
            if not off:
                self.assertEqual(self.counted(at, field, unescape(value)), int(count), value)

    def test_the_same_rows_pass_on_each_server(self):
        words = ("Straße", "STRASSE", "οδός", "ΟΔΌΣ", "a", "a ", "Á", None, "")
        clocks = ("12:30", "12:30:00", "12:30:00.000000", "12:31:00", *[None] * 5)  # as other programs write them
        marks = (True, True, True, False, False, False, None, None, None)
        expected = {
            "words": {"straße": 2, "=strasse": 2, "οδος": 2, "=ΟΔΟΣ": 2, "=a": 2, "==a": 1, "==a ": 1, "<>a": 7, "empty": 2},
            "clock": {"12:30": 3, ">12:30": 1, ">=12:30": 4, "<12:31": 3, "<=12:30": 3, "<>12:30": 6, "12:00..12:30": 3},
            "mark": {"yes": 3, "<>yes": 6, "no": 3, "==yes": 3, "==gone": 0},
            "id": {"==gone": 0, "1..3": 3},
        }  # fmt: skip
        for kind in ODD:
            place = self.at_server(kind)
            place.run("CREATE TABLE said (id INTEGER PRIMARY KEY, words VARCHAR(20), clock TIME, mark BOOLEAN)")
            for number, line in enumerate(zip(words, clocks, marks, strict=True), 1):
                place.run("INSERT INTO said VALUES (:id, :w, :c, :m)", id=number, **dict(zip("wcm", line, strict=True)))
            at = f"/desk/{self.form('said', self.connect(place.spec)).pk}/"
            for field, boxes in expected.items():
                for said, count in boxes.items():
                    with self.subTest(kind, field=field, said=said):
                        self.assertEqual(self.counted(at, field, said), count)
            rows = self.client.get(f"{at}rows", {"start": 0, "size": 60, "group": "words:letter"}).content.decode()
            groups = re.findall(r'data-group="\w+".*?<strong>(.*?)</strong>\s*<span[^>]*>(\d+)<', rows, re.DOTALL)
            told = [("(empty text)", "1"), ("(empty)", "1"), ("A", "3"), ("S", "2"), ("Ο", "2")]
            self.assertEqual(sorted(groups), told, kind)
            self.client.post(f"{at}columns", {"act": "total", "field": "words", "value": "distinct"})
            self.assertRegex(self.client.get(f"{at}totals").content.decode(), r"Different</span> <output>8<", kind)
