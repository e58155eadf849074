"""The desk over HTTP: reading, editing, drafts, saving, conflicts."""

import io
import json
import os
import re

from django.db import connection
from django.test.utils import CaptureQueriesContext
from PIL import Image

from enlace.desk.models import Draft, DraftBlob, DraftRecord, DraftStep
from enlace.workshop.details import Above, add_detail, possible_details
from tests.harbour import made
from tests.web.pages import Pages


class Reading(Pages):
    def test_the_page_shows_the_first_window_and_the_first_record(self):
        html = self.client.get(f"/desk/{self.form('port_call').pk}/").content.decode()
        self.assertEqual(len(re.findall(r'class="record"', html)), 60)
        self.assertIn('data-record="i1"', html)
        self.assertRegex(html, r'id="go-first"[^>]*disabled')
        self.assertNotRegex(html, r'id="go-next"[^>]*disabled')

    def test_what_a_list_shows_is_written_as_its_kind_is(self):
        """A call has no name but its time, which a file keeps as a text: it is a date with a time wherever it is shown."""
        form = self.form("cargo_line")
        for address in ("rows?start=0&size=3", "rows?start=0&size=3&group=port_call_id", "table"):
            html = self.client.get(f"/desk/{form.pk}/{address}").getvalue().decode()
            self.assertRegex(html, r">\d{1,2} [A-Z][a-z]{2} \d{4}, \d\d:\d\d", address)
            self.assertNotRegex(html, r">\d{4}-\d\d-\d\d \d\d:\d\d", address)

    def test_a_page_asks_few_questions(self):
        """Of Enlace's own database: session, person, form, draft; not one for each row or field."""
        form = self.form("port_call")
        self.client.get(f"/desk/{form.pk}/rows")
        with self.assertNumQueries(5):  # session, person, form, draft, own columns
            self.client.get(f"/desk/{form.pk}/rows?start=500")

    def test_moving(self):
        form = self.form("vessel")
        for ask, record, disabled in [
            ("position=0", "i1", ["go-first", "go-back"]),
            ("number=17", "i17", []),
            ("number=9 999", "i40", ["go-next", "go-last"]),
            ("number=0", "i1", ["go-first", "go-back"]),
            (f"position={2**53}", "i40", ["go-next", "go-last"]),
        ]:
            html = self.client.get(f"/desk/{form.pk}/at?{ask}").content.decode()
            self.assertIn(f'data-record="{record}"', html)
            self.assertEqual(re.findall(r'id="(go-(?:first|back|next|last))"[^>]*disabled', html), disabled)

    def test_sorted_windows(self):
        html = self.client.get(f"/desk/{self.form('vessel').pk}/?order=-length_m").content.decode()
        longest = self.sql("SELECT id FROM vessel ORDER BY length_m DESC, id DESC LIMIT 1")[0][0]
        self.assertIn(f'data-record="i{longest}"', html)
        self.assertIn('aria-sort="descending" data-name="length_m"', html)

    def test_an_order_by_what_a_list_shows_holds_for_the_next_windows(self):
        html = self.client.get(f"/desk/{self.form('port_call').pk}/?order=-vessel_id").content.decode()
        self.assertIn('data-view="order=-vessel_id&amp;on=sheet"', html)
        self.assertIn('aria-sort="descending" data-name="vessel_id"', html)

    def test_a_filter_narrows_rows_places_totals_and_groups(self):
        form = self.form("port_call")
        view = "order=-draught_m&only-status=departed&only-draught_m=%3E4&only-nothing=1"
        calls = [n for (n,) in self.sql("SELECT id FROM port_call WHERE status = 'departed' AND draught_m > 4 ORDER BY draught_m DESC, id DESC")]  # fmt: skip
        html = self.client.get(f"/desk/{form.pk}/?{view}").content.decode()
        self.assertIn(
            'data-view="order=-draught_m&amp;only-status=departed&amp;only-draught_m=%3E4&amp;on=sheet"', html
        )
        self.assertIn('name="only-draught_m" value="&gt;4"', html)
        ids = [int(n) for n in re.findall(r'class="record"[^>]*data-id="i(\d+)"', html)]
        self.assertEqual(ids, calls[: len(ids)])
        last = self.client.get(f"/desk/{form.pk}/at?position={2**50}&{view}").content.decode()
        self.assertIn(f'data-record="i{calls[-1]}"', last)
        self.assertIn(f'<output id="go-total">{len(calls)}</output>', last)
        # a record that the filter leaves out has no place among the rows, but can still be looked at
        outside = self.sql("SELECT id FROM port_call WHERE status = 'cancelled'")[0][0]
        html = self.client.get(f"/desk/{form.pk}/record?record=i{outside}&{view}").content.decode()
        self.assertIn(f'data-record="i{outside}"', html)
        groups = self.client.get(f"/desk/{form.pk}/groups?by=status&{view}").content.decode()
        self.assertEqual(re.findall(r'digits end">([\d,]+)<', groups), [str(len(calls))])
        self.assertIn("only-draught_m=%3E4", groups)
        self.assertIn("only-status=%3D%3Ddeparted", groups)
        self.post(form, "edit", record=f"i{outside}", field="status", value="berthed")  # pending, not among the rows
        groups = self.client.get(f"/desk/{form.pk}/groups?by=status&{view}").content.decode()
        self.assertEqual(re.findall(r'digits end">([\d,]+)<', groups), [str(len(calls))])
        # an edit keeps its place in the filtered order
        self.client.post(f"/desk/{form.pk}/edit?{view}", {"record": f"i{calls[1]}", "field": "notes", "value": "x", "position": "1"})  # fmt: skip
        self.assertEqual(self.client.get(f"/desk/{form.pk}/rows?start=1&size=1&{view}").content.count(b'data-state="edited"'), 1)  # fmt: skip

    def test_a_sum_has_the_unit_of_its_field(self):
        vessels = self.form("vessel")
        vessels.dataset.fields.filter(name="length_m").update(format="0.0 m")
        for function in ("sum", "avg"):
            self.client.post(f"/desk/{vessels.pk}/columns", {"act": "total", "field": "length_m", "value": function})
        [(whole, count)] = self.sql("SELECT round(sum(length_m), 1), count(length_m) FROM vessel")
        told = self.client.get(f"/desk/{vessels.pk}/totals").content.decode()
        self.assertIn(f"<output>{whole:.1f} m</output>", told.replace(",", ""))
        self.assertRegex(told, rf"<output>{whole / count:.0f}"[:-1])

    def test_a_box_that_can_not_be_understood_says_so(self):
        html = self.client.get(f"/desk/{self.form('vessel').pk}/?only-length_m=long&only-name=Lapa").content.decode()
        self.assertIn("does not belong in a number", html)
        self.assertEqual(len(re.findall(r'class="record"', html)), self.sql("SELECT count(*) FROM vessel WHERE name LIKE '%lapa%'")[0][0])  # fmt: skip

    def test_read_only_forms_say_why(self):
        for table, words in [("unpaid_dues", "is a view")]:
            form = self.form(table)
            html = self.client.get(f"/desk/{form.pk}/").content.decode()
            self.assertIn(words, html)
            self.assertNotIn("act-new", html)
            self.assertEqual(self.client.post(f"/desk/{form.pk}/new").status_code, 409)
            self.assertEqual(self.client.get(f"/desk/{form.pk}/at?position=3").status_code, 200)

    def test_odd_values_are_shown_and_named(self):
        spec = made(
            "CREATE TABLE t (id INTEGER PRIMARY KEY, n INTEGER, d DATE)",
            "INSERT INTO t VALUES (1, 'twelve', '31/12/99')",
        )
        html = self.client.get(f"/desk/{self.form('t', self.connect(spec)).pk}/").content.decode()
        self.assertIn("twelve", html)
        self.assertIn("Stored as a text, which is not a whole number", html)
        self.assertRegex(html, r'class="start odd fits">31/12/99<')


class Editing(Pages):
    def test_every_place_follows(self):
        form = self.form("vessel")
        html = self.edit(form, "i5", name="Nova Vida").content.decode()
        self.assertRegex(html, r'id="row-i5"[^>]*data-state="edited"')
        self.assertIn("Nova Vida", html)
        self.assertIn("<strong>1 record pending</strong>: 1 edited", html)
        self.assertIn("Nova Vida", self.client.get(f"/desk/{form.pk}/rows").content.decode())
        self.assertIn('value="Nova Vida"', self.client.get(f"/desk/{form.pk}/record?record=i5").content.decode())

    def test_wrong_input_is_told_and_stays(self):
        form = self.form("vessel")
        for field, typed, told in [
            ("gross_tonnage", "12a", "“a” does not belong in a number"),
            ("name", "x" * 41, "At most 40 characters fit here"),
            ("built", "2021-02-31", "February 2021 has no day 31"),
            ("draught_m", "30", "Draught (m) must be between 0.5 and 25"),
            ("imo_no", "123", "The length of IMO no. must be equal to 7"),
            ("beam_m", "9999", "At most 5"),
        ]:
            html = self.edit(form, "i5", **{field: typed}).content.decode()
            page = self.client.get(f"/desk/{form.pk}/?record=i5").content.decode()
            self.assertIn(typed[:30], page, field)
            if field != "beam_m":
                self.assertIn(told, html, field)
        held = self.post(form, "save", record="i5")
        self.assertIn("Nothing was saved", self.said(held))
        self.assertEqual(self.sql("SELECT count(*) FROM vessel WHERE version > 1")[0][0], 0)

    def test_what_is_emptied_in_a_new_record_is_left_to_the_database(self):
        agents = self.form("agent")
        record = self.new(agents, name="Agência Nova", credit_limit="5")
        at = {"record": record, "field": "credit_limit"}
        self.assertNotIn("fills in 10", self.client.get(f"/desk/{agents.pk}/record", at).content.decode())
        html = self.edit(agents, record, credit_limit=" ").content.decode()
        self.assertNotIn("needs a value", html)
        self.assertIn("the database fills in 10", html)
        self.assertIn("Saved 1 record", self.said(self.post(agents, "save")))
        self.assertEqual(self.sql("SELECT credit_limit FROM agent WHERE name = 'Agência Nova'"), [(10_000,)])

    def test_undo_and_redo_across_records(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="One")
        self.edit(form, "i2", name="Two")
        self.post(form, "remove", record="i3")
        new = self.new(form, name="Four")
        states = lambda: dict(Draft.objects.get().records.values_list("record", "state"))  # noqa: E731
        everything = states()
        self.assertEqual(everything, {"i1": "edited", "i2": "edited", "i3": "removed", new: "new"})
        for left in ({"i1", "i2", "i3", new}, {"i1", "i2", "i3"}, {"i1", "i2"}, {"i1"}, set(), set()):
            self.post(form, "undo")
            self.assertEqual(set(states()), left)
        for _ in range(6):
            self.post(form, "redo")
        self.assertEqual(states(), everything)
        self.post(form, "undo")
        self.edit(form, "i1", flag="MT")
        self.assertIn("nothing to do again", self.said(self.post(form, "redo")))

    def test_storing_an_edit_costs_the_same_in_a_large_draft(self):
        form = self.form("tide_reading")
        for number in range(1, 4):
            self.edit(form, f"i{number}", quality="2")
        with CaptureQueriesContext(connection) as small:
            self.edit(form, "i10", quality="2")
        cost = len(small.captured_queries)
        for number in range(20, 60):
            self.edit(form, f"i{number}", quality="3")
        with self.assertNumQueries(cost):
            self.edit(form, "i11", quality="2")

    def test_drafts_belong_to_one_person_and_form(self):
        form, other = self.form("vessel"), self.form("vessel")
        self.edit(form, "i1", name="Mine")
        self.assertNotIn("Mine", self.client.get(f"/desk/{other.pk}/").content.decode())
        self.client.force_login(self.operator)
        self.assertNotIn("Mine", self.client.get(f"/desk/{form.pk}/").content.decode())

    def test_read_only_fields_stay_as_they_are(self):
        form = self.form("vessel")
        self.assertEqual(self.edit(form, "i1", 400, id="99").status_code, 400)
        self.assertFalse(DraftRecord.objects.exists() or DraftStep.objects.exists())

    def test_pictures(self):
        form = self.form("vessel")
        out = io.BytesIO()
        Image.new("RGB", (2000, 3500), "teal").save(out, "BMP")  # 21 MB
        content = out.getvalue()
        self.assertGreater(len(content), 20_000_000)
        upload = io.BytesIO(content)
        upload.name = "ship.bmp"
        self.post(form, "picture", record="i2", field="photo", file=upload)
        shown = self.client.get(f"/desk/{form.pk}/picture?record=i2&field=photo")
        self.assertEqual(
            (shown["Content-Type"], shown["X-Content-Type-Options"], shown.content), ("image/bmp", "nosniff", content)
        )
        self.assertEqual(DraftBlob.objects.count(), 1)
        self.assertIn("Saved 1 record", self.said(self.post(form, "save", record="i2")))
        self.assertEqual(self.sql("SELECT photo FROM vessel WHERE id = 2")[0][0], content)
        for wrong in (b"<svg onload=alert(1)>", b"", b"\x89PNG\r\n\x1a\nbroken"):
            upload = io.BytesIO(wrong)
            upload.name = "x.png"
            told = self.post(form, "picture", record="i2", field="photo", file=upload).content.decode()
            self.assertRegex(
                told, r'class="note wrong" id="note-i2-\d+"[^>]*><span class="message">The file is not a picture'
            )
        self.assertFalse(DraftRecord.objects.exists())
        self.post(form, "picture", record="i1", field="photo")
        self.post(form, "save")
        self.assertIsNone(self.sql("SELECT photo FROM vessel WHERE id = 1")[0][0])

    def test_a_text_of_five_megabytes(self):
        form = self.form("vessel")
        text = "ço" * 2_500_000
        response = self.edit(form, "i1", remarks=text)
        self.assertLess(len(response["HX-Trigger"]), 1000)  # browsers refuse long headers
        self.edit(form, "i1", remarks=text + "!")
        self.assertLess(sum(len(s.before) + len(s.after) for s in DraftStep.objects.all()), 20_000)
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT remarks FROM vessel WHERE id = 1")[0][0], text + "!")
        self.assertLess(len(self.client.get(f"/desk/{form.pk}/rows").content), 300_000)


class Saving(Pages):
    def test_from_edit_to_file(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited", built="1 Feb 2020", length_m="101.5", in_service="yes")
        new = self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        response = self.post(form, "save", record=new)
        self.assertIn("Saved 2 records", self.said(response))
        self.assertEqual(json.loads(response["HX-Trigger"])["enlace:current"], {"id": "i41", "position": 40, "p": ""})
        row = self.sql("SELECT name, built, length_m, in_service FROM vessel WHERE id = 1")
        self.assertEqual(row, [("Edited", "2020-02-01", 101.5, 1)])
        self.assertFalse(DraftRecord.objects.exists() or DraftStep.objects.exists())

    def test_somebody_else_was_faster(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Mine", flag="MT")
        self.sql("UPDATE vessel SET name = 'Theirs', gross_tonnage = 5 WHERE id = 1")
        response = self.post(form, "save", record="i1")
        html = response.content.decode()
        self.assertIn("Somebody else changed 1 of your records", self.said(response))
        cells = re.findall(r"<td[^>]*>(?:<label><input[^>]*> ?)?([^<]*)", html)
        self.assertEqual(cells[:3], ["Gaivota Azul", "Mine", "Theirs"])
        self.assertEqual(self.sql("SELECT name, flag FROM vessel WHERE id = 1")[0][0], "Theirs")
        number = [f.name for f in form.dataset.to_spec().fields].index("name")
        self.post(form, "choose", record="i1", **{f"take-{number}": "theirs"})
        self.sql("UPDATE vessel SET flag = 'NO' WHERE id = 1")  # and once more, in between
        self.assertIn("Somebody else", self.said(self.post(form, "save", record="i1")))
        self.post(form, "choose", record="i1")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save", record="i1")))
        self.assertEqual(self.sql("SELECT name, flag, gross_tonnage FROM vessel WHERE id = 1"), [("Theirs", "MT", 5)])

    def test_somebody_else_removed_it(self):
        form = self.form("pilot_shift")
        first, second = [r.id for r in self.rows(form, 2)]
        for item in (first, second):
            self.edit(form, item, ends="23:59")
        self.sql("DELETE FROM pilot_shift WHERE pilot_id = 1")
        self.post(form, "save", record=first)
        self.post(form, "create-again", record=first)
        self.post(form, "choose", record=second, all="theirs")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT ends FROM pilot_shift WHERE pilot_id = 1"), [("23:59",)])

    def rows(self, form, size):
        from enlace.core.dataset.window import Rows

        return Rows.of(self.spec, form.dataset.to_spec()).window(0, size)

    def test_an_edit_of_what_is_no_longer_there_is_told_at_once(self):
        """The page shows the old value; typing over it must not count as having seen the new one."""
        form = self.form("vessel")
        seen = self.prints(form, "i1")["name"]
        self.sql("UPDATE vessel SET name = 'Theirs' WHERE id = 1")
        data = {"record": "i1", "field": "name", "value": "Mine", "seen": seen, "seen_text": "Gaivota Azul"}
        html = self.post(form, "edit", **data).content.decode()
        self.assertIn("Somebody changed this record after you read it", html)
        for words in ("Gaivota Azul", "Mine", "Theirs"):
            self.assertIn(words, html)
        self.assertIn("Nothing was saved", self.said(self.post(form, "save")))
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 1"), [("Theirs",)])

    def test_typing_into_a_record_that_is_gone_keeps_what_was_typed(self):
        form = self.form("pilot_shift")
        item = self.rows(form, 1)[0].id
        self.sql("DELETE FROM pilot_shift WHERE pilot_id = 1")
        html = self.post(form, "edit", record=item, field="ends", value="22:15", seen_text="08:30").content.decode()
        self.assertIn("Somebody removed this record", html)
        self.assertIn("22:15", html)

    def test_a_refusal_leaves_the_draft_as_it_was(self):
        form = self.form("vessel")
        self.without_list(form, "vessel_type_code")
        self.edit(form, "i1", vessel_type_code="ZZZ")
        self.edit(form, "i2", name="Fine")
        response = self.post(form, "save")
        self.assertIn("There is no ZZZ in vessel_type", self.said(response))
        self.assertIn("There is no ZZZ", response.content.decode())
        self.assertEqual(Draft.objects.get().records.count(), 2)
        self.edit(form, "i1", vessel_type_code="TUG")
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))

    def test_the_file_went_away(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Kept")
        path = self.spec["path"]
        os.rename(path, path + ".away")
        for act in ("edit", "save", "new", "remove"):
            response = self.client.post(f"/desk/{form.pk}/{act}", {"record": "i1", "field": "name", "value": "x"})
            self.assertContains(response, "can&#x27;t be opened", status_code=503)
        self.assertContains(self.client.get(f"/desk/{form.pk}/"), "can&#x27;t be opened", status_code=503)
        os.rename(path + ".away", path)
        self.assertIn("Kept", self.client.get(f"/desk/{form.pk}/review").content.decode())


class StrangeTables(Pages):
    def test_they_open_edit_and_save(self):
        wide = ", ".join(f"c{n} TEXT" for n in range(300))
        for sql, row, record_edit in [
            (f"CREATE TABLE wide (id INTEGER PRIMARY KEY, {wide})", "(id, c0) VALUES (1, 'x')", ("c299", "last")),
            (
                'CREATE TABLE "select" ("from" TEXT NOT NULL, "a b" TEXT NOT NULL, "ключ" INTEGER NOT NULL, v TEXT, PRIMARY KEY ("from", "a b", "ключ"))',
                "VALUES ('a/b ''c''', 'd \"e\"', 7, 'x')",
                ("v", "new"),
            ),
            (
                "CREATE TABLE single (id INTEGER PRIMARY KEY, v TEXT)",
                "VALUES (1, 'x')",
                ("v", "<script>alert(1)</script>"),
            ),
            ("CREATE TABLE generic (k PRIMARY KEY NOT NULL, v)", "VALUES (x'00ff', 'x')", ("v", "y")),
            (
                "CREATE TABLE computed (id INTEGER PRIMARY KEY, v TEXT, w TEXT AS (upper(v)))",
                "(id, v) VALUES (1, 'x')",
                ("v", "y"),
            ),
        ]:
            name = re.match(r'CREATE TABLE ("?\w+"?)', sql).group(1)
            spec = made(sql, f"INSERT INTO {name} {row}")
            form = self.form(name.strip('"'), self.connect(spec))
            page = self.client.get(f"/desk/{form.pk}/")
            self.assertEqual(page.status_code, 200, sql)
            record = re.search(r'data-record="([^"]+)"', page.content.decode()).group(1)
            self.edit(form, record, **{record_edit[0]: record_edit[1]})
            self.assertIn("Saved 1 record", self.said(self.post(form, "save", record=record)), sql)
            self.assertNotIn("<script>alert", self.client.get(f"/desk/{form.pk}/").content.decode())
        empty = self.form("e", self.connect(made("CREATE TABLE e (id INTEGER PRIMARY KEY)")))
        self.assertContains(self.client.get(f"/desk/{empty.pk}/"), "There is no record to show")
        self.new(empty)
        self.assertIn("Saved 1 record", self.said(self.post(empty, "save")))

    def test_what_the_database_fills_in_is_not_needed_of_a_new_record(self):
        key = "id CHAR(16) PRIMARY KEY NOT NULL DEFAULT (lower(hex(randomblob(8))))"
        form = self.form("plot", self.connect(made(f"CREATE TABLE plot ({key}, name TEXT NOT NULL)")))
        events = self.events(self.post(form, "new"))
        self.assertEqual(events["enlace:focus"]["number"], 1)  # behind the key
        page = self.client.get(f"/desk/{form.pk}/").content.decode()
        self.assertEqual(re.findall(r'(ID|Name)<span class="needed"', page), ["Name"])
        self.assertEqual(re.findall(r'data-lacks="(\w+) needs', page), ["Name"])
        self.edit(form, events["enlace:current"]["id"], name="North")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        saved = self.client.get(f"/desk/{form.pk}/").content.decode()
        self.assertEqual(re.findall(r'(ID|Name)<span class="needed"', saved), ["ID", "Name"])  # neither can be emptied

    def test_a_detail_of_a_new_master_is_in_the_list_that_the_master_is_not_in_yet(self):
        spec = made(
            'CREATE TABLE "Order" ("No" TEXT NOT NULL, part INTEGER NOT NULL, title TEXT, PRIMARY KEY ("No", part))',
            'CREATE TABLE line (id INTEGER PRIMARY KEY, "No" TEXT NOT NULL, part INTEGER NOT NULL,'
            ' FOREIGN KEY ("No", part) REFERENCES "Order" ("No", part))',
            """INSERT INTO "Order" VALUES ('a', 1, 'First')""",
        )
        office = self.connect(spec)
        lines = self.form("line", office).dataset  # it shows what links it, which one made for the detail does not
        form = self.form("Order", office)
        detail = add_detail(Above(form), possible_details(Above(form))[0], lines)
        master = self.new(form, No="b", part="2", title="Second")
        at = f"/desk/{form.pk}/detail/{detail.name}/{master}/"
        html = self.client.post(f"{at}new", headers={"HX-Request": "true"}).content.decode()
        self.assertIn("Second", html)
        self.assertNotIn("not in the list", html)
        line = re.search(r'data-record="(n[^"]+)"', html)[1]
        other = {"record": line, "field": "part", "value": "9"}
        html = self.client.post(f"{at}edit", other, headers={"HX-Request": "true"}).content.decode()
        self.assertIn("not in the list", html)  # it names no order at all now
        self.post(form, "undo")
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))

    def test_a_new_record_like_another(self):
        form = self.form("vessel")
        self.edit(form, "i2", name="Twin")
        self.post(form, "new", record="i2", like="1")
        draft = form.drafts.get()
        self.assertEqual((draft.counts["new"], draft.counts["edited"]), (1, 1))
        values = json.loads(draft.records.get(state="new").body)["now"]
        self.assertIn("Twin", json.dumps(values))
        self.assertNotIn("id", values)
        self.assertEqual(self.post(form, "undo").status_code, 200)
        self.assertEqual(form.drafts.get().counts["new"], 0)
