"""Files brought into forms, and taken out again."""

from __future__ import annotations

import csv
import io
import json
import random
import tempfile
import zipfile
from dataclasses import replace
from html import escape
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile

from enlace.core.draft.pending import new_record
from enlace.core.kinds import Formats
from enlace.core.model.whole_column import whole
from enlace.desk.bringing import begun
from enlace.desk.bringing_rows import FileRows
from enlace.desk.entering import Entering
from enlace.desk.firsts import Firsts
from enlace.desk.made_rows import New
from enlace.desk.models import Draft, DraftRecord, Incoming, KeptMapping
from enlace.desk.stretch import Stretch
from enlace.desk.work import Work
from enlace.workshop.details import Above, add_detail, possible_details
from tests.web.pages import Pages

HX = {"HX-Request": "true"}


def as_csv(rows, separator=",") -> bytes:
    file = io.StringIO(newline="")
    csv.writer(file, delimiter=separator).writerows(rows)
    return file.getvalue().encode()


class Bringing(Pages):
    def setUp(self):
        super().setUp()
        self.berths = self.form("berth")
        self.at = f"/desk/{self.berths.pk}/bring-in"

    def bring(self, content: bytes, name="berths.csv", status=302, at=None):
        data = {"act": "file", "file": SimpleUploadedFile(name, content)}
        response = self.client.post(at or self.at, data)
        self.assertEqual(response.status_code, status, response.content.decode()[:2000])
        return response

    def map(self, existing="update", at=None, **by_head):
        incoming = Incoming.objects.get()
        columns = {
            f"column-{i}": by_head.get(h, incoming.mapping.get(h, "")) for i, h in enumerate(incoming.spool["heads"])
        }
        self.assertEqual(
            self.client.post(at or self.at, {"act": "map", "existing": existing, **columns}).status_code, 302
        )

    def run_through(self, what, at=None):
        done = {"done": 0, "of": 1}
        while done["done"] < done["of"]:
            response = self.client.post(f"{at or self.at}/{what}")
            self.assertEqual(response.status_code, 200, response.content[:500])
            done = json.loads(response.content)

    def counts(self):
        return Incoming.objects.get().counts

    ROWS = [
        ["Code", "Quay", "length_m", "Depth (m)", "Shore power"],
        ["F1", "Changed quay", "197", "4.45", "yes"],
        ["Z1", "New quay", "120.5", "7", "no"],
        ["Z2", "New quay", "long", "7", "maybe"],
        ["", "No code", "100", "5", "yes"],
    ]

    def test_an_empty_text_and_no_value_come_back_as_what_they_were(self):
        agents = self.form("agent")
        at, name = f"/desk/{agents.pk}/bring-in", "contact_person"
        kept = {1: "", 2: None, 3: "'", 4: "=1"}
        ends = {
            "csv": "csv",
            "json": "json",
            "jsonl": "jsonl",
            "xml": "xml",
            "xlsx": "xlsx",
            "ods": "ods",
            "package": "zip",
        }
        for known, end in ends.items():
            with self.subTest(known):
                for key, text in kept.items():
                    self.sql("UPDATE agent SET contact_person = ? WHERE id = ?", text, key)
                file = b"".join(self.client.get(f"/desk/{agents.pk}/take?format={known}&stored=1").streaming_content)
                self.sql("UPDATE agent SET contact_person = 'other' WHERE id < 5")
                self.bring(file, f"agents.{end}", at=at)
                self.map(at=at)
                self.run_through("check", at=at)
                self.assertEqual(self.counts(), {"update": self.sql("SELECT count(*) FROM agent")[0][0]})
                self.run_through("put-in", at=at)
                now = {int(r.record[1:]): json.loads(r.body)["now"] for r in DraftRecord.objects.all()}
                self.assertEqual({key: values[name] for key, values in now.items()}, kept)
                self.client.post(f"/desk/{agents.pk}/discard", headers=HX)

    def test_rows_of_one_file_that_are_the_same_record_are_told_before_they_go_in(self):
        rows = [self.ROWS[0], *([code, "Quay", "100", "5", "yes"] for code in ("Z1", "Z2", "F1", "Z1", "F1", "Z3"))]
        with (
            mock.patch("enlace.desk.bringing.STRETCH", 3),
            mock.patch("enlace.desk.bringing.A_WHILE", -1),
        ):  # across requests
            self.bring(as_csv(rows))
            self.run_through("check")
            self.assertEqual(self.counts(), {"new": 3, "update": 1, "faulty": 2})
            told = [fault["faults"][0][1] for fault in Incoming.objects.get().faults]
            self.assertEqual(told, ["Line 2 of the file has the same Code.", "Line 4 of the file has the same Code."])
            self.client.post(f"{self.at}/mend", {"row": "4", "cell-0": "Z3"}, headers=HX)
            self.assertEqual(self.counts()["faulty"], 2)  # that one is taken, too
            self.client.post(f"{self.at}/mend", {"row": "4", "cell-0": "Z4"}, headers=HX)
            self.assertEqual(self.counts(), {"new": 4, "update": 1, "faulty": 1})
            self.run_through("put-in")
        self.assertEqual(Draft.objects.get().counts["all"], 5)
        self.assertIn("Saved 5 records", self.said(self.post(self.berths, "save")))

    def test_from_a_file_to_a_draft_with_a_row_mended_on_the_way(self):
        self.bring(as_csv(self.ROWS))
        self.assertEqual(Incoming.objects.get().mapping["Depth (m)"], "depth_m")
        self.run_through("check")
        self.assertEqual(self.counts(), {"update": 1, "new": 1, "faulty": 2})
        page = self.client.get(self.at).content.decode()
        self.assertIn("Line 4", page)
        self.assertIn('value="long"', page)
        told = b"".join(self.client.get(f"{self.at}/faults").streaming_content).decode()
        self.assertEqual([row[0] for row in csv.reader(io.StringIO(told))], ["Code", "Z2", ""])
        self.assertIn("What is wrong", told)
        self.client.post(f"{self.at}/mend", {"row": "3", "cell-2": "99", "cell-4": "no"}, headers=HX)
        self.assertEqual(self.counts(), {"update": 1, "new": 2, "faulty": 1})
        self.run_through("put-in")
        self.assertEqual(Draft.objects.get().counts["all"], 3)
        self.assertEqual(self.sql("SELECT count(*) FROM berth WHERE code LIKE 'Z%'"), [(0,)])  # nothing before the save
        self.post(self.berths, "save")
        self.assertEqual(
            self.sql("SELECT code, quay, length_m FROM berth WHERE code LIKE 'Z%' OR code = 'F1' ORDER BY 1"),
            [("F1", "Changed quay", 197), ("Z1", "New quay", 120.5), ("Z2", "New quay", 99)],
        )

    def test_one_text_is_mended_wherever_the_file_says_it(self):
        rows = [self.ROWS[0], *([f"Y{n}", "Quay", "long" if n % 2 else "7", "7", "no"] for n in range(700))]
        self.bring(as_csv(rows))
        self.run_through("check")
        self.assertEqual(self.counts(), {"new": 350, "faulty": 350})
        self.assertContains(self.client.get(self.at), "The same in all rows that say so")
        self.client.post(f"{self.at}/mend", {"row": "4", "cell-2": "wide", "alike": "1"}, headers=HX)
        self.run_through("check")
        self.assertEqual(self.counts(), {"new": 350, "faulty": 350})
        self.assertEqual({fault["texts"]["length_m"] for fault in Incoming.objects.get().faults}, {"wide"})
        self.client.post(f"{self.at}/mend", {"row": "8", "cell-2": "50"}, headers=HX)  # one of them by itself
        self.client.post(f"{self.at}/mend", {"row": "4", "cell-2": "60", "alike": "1"}, headers=HX)
        self.run_through("check")
        self.assertEqual(self.counts(), {"new": 700})
        self.run_through("put-in")
        self.post(self.berths, "save")
        stored = "SELECT length_m, count(*) FROM berth WHERE code LIKE 'Y%' GROUP BY 1 ORDER BY 1"
        self.assertEqual(self.sql(stored), [(7, 350), (50, 1), (60, 349)])

    def test_what_is_free_again_hides_nothing_that_is_met_later(self):
        with tempfile.TemporaryDirectory() as folder:
            here, there = (Firsts(Path(folder) / "firsts") for _ in range(2))
            self.assertEqual(here.of(["A1"], [1]), [1])
            here.keep()
            here.release(1)  # the only one
            here.of(["A2"], [2])
            here.keep()
            self.assertEqual(there.of(["A1", "A2"], [3, 4]), [3, 2])

    def test_all_faulty_rows_can_be_taken_out_not_only_those_that_are_listed(self):
        rows = [self.ROWS[0], *([f"Q{n // 2}", "Quay", "7" if n % 3 else "long", "7", "no"] for n in range(700))]
        self.bring(as_csv(rows))
        self.run_through("check")
        faulty = self.counts()["faulty"]
        self.assertGreater(faulty, 300)
        self.assertEqual(len(Incoming.objects.get().faults), 300)
        response = self.client.get(f"{self.at}/faults")
        told = list(csv.reader(io.StringIO(b"".join(response.streaming_content).decode())))
        self.assertEqual(len(told), faulty + 1)
        self.assertTrue(all(row[-1] for row in told))
        self.assertTrue(any("of the file has the same Code" in row[-1] for row in told[301:]))
        self.assertEqual(self.counts()["faulty"], faulty)

    def test_rows_made_ready_by_the_check_are_as_they_would_be_made_when_put_in(self):
        rows = [["Code", "Quay", "length_m", "Depth (m)", "Shore power"]]
        rows += [[f"Y{n}", f"Quay {n} \u00e9", str(n / 4), "7.25", "yes" if n % 2 else "no"] for n in range(1, 9)]
        kept = []
        for ready in (True, False):
            self.bring(as_csv(rows))
            self.run_through("check")
            if not ready:  # a rule is another by now: nothing that was made before it counts
                self.berths.dataset.rules.create(name="deep", expression="depth_m > 1", message="Too shallow.")
                self.berths.dataset.touch()
            with mock.patch("enlace.desk.bringing.FileRows.made", autospec=True, side_effect=FileRows.made) as made:
                self.run_through("put-in")
            self.assertEqual(made.called, not ready)
            kept.append(
                list(DraftRecord.objects.order_by("pk").values_list("body", "state", "faulty", "owner", "later"))
            )
            counts = Draft.objects.get().counts
            self.assertEqual((counts["new"], counts["all"]), (8, 8))
            self.assertEqual(counts["bytes"], sum(len(body) for body, *_ in kept[-1]))
            self.post(self.berths, "undo")
            self.assertEqual(Draft.objects.get().counts["all"], 0)
            self.post(self.berths, "redo")
            self.assertEqual(DraftRecord.objects.count(), 8)
            self.post(self.berths, "discard")
        self.assertEqual(*kept)

    def test_rows_are_entered_by_columns_as_they_are_one_by_one(self):
        work = Work(self.builder, self.form("port_call"), Formats.of("pt_PT"))
        fields = [(field.name, field) for field in work.dataset.fields]
        odd = ["1,5", "31-03-2026", "Bruma", "N1", "\0", "é" * 90, "x"]
        fitting = {"whole": ["1", "2"], "decimal": ["2", "15"], "date": ["2026-03-01"], "datetime": ["2026-03-01 07:30"],
                   "time": ["07:30"], "yesno": ["yes", "no"], "longtext": ["Bruma", " "]}  # fmt: skip
        dice = random.Random(5)
        for first in (new_record(), replace(new_record(), now={"notes": "a", "agent_id": 2})):
            columns = {}
            for name, field in fields:
                fit = fitting.get(field.kind, ["berthed"])
                # Most rows are plain throughout; some columns have cells without anything in them.
                columns[name] = [*fit, *(fit if dice.random() < 0.6 else [""])] * 20
                if dice.random() < 0.5:
                    columns[name].append(dice.choice(odd))
            several = Stretch(range(200), {name: whole(dice.choices(texts, k=200)) for name, texts in columns.items()})
            told = []
            for by_column in (True, False):
                entering = Entering(work, first, fields, {})
                self.assertTrue(entering._by_column)
                entering._by_column = by_column
                told.append([(replace(record, id=""), faults) for record, faults in entering.entered(several)])
            for at, (one, other) in enumerate(zip(*told, strict=True)):
                self.assertEqual(one, other, several.texts(at))

    def test_rows_are_told_by_columns_as_they_are_one_by_one(self):
        calls, dice = self.form("port_call"), random.Random(7)
        add_detail(Above(calls), next(r for r in possible_details(Above(calls)) if r.table == "cargo_line"))
        texts = {
            "code": [f"C{n}" for n in range(40)], "quay": ["North", "S. Bento", ""], "length_m": ["90", "120.5", "-1"],
            "depth_m": ["4.25", "7", "deep"], "shore_power": ["yes", "no", ""], "name": ["Ana", "Rui", "'=Rui"],
            "licence_no": [f"L{n}" for n in range(60)], "licensed_until": ["2027-01-01", "2028-05-05", "soon"],
            "port_call_id": ["1", "", "2"], "line_no": [str(n) for n in range(-2, 60)], "packages": ["1", "", "x"],
            "commodity_code": ["CORK", "cork", "NONE"], "direction": ["in", "out", "up"], "tonnes": ["1.5", "20", "0"],
        }  # fmt: skip
        berths, pilots = (
            ["code", "quay", "length_m", "depth_m", "shore_power"],
            ["name", "licence_no", "licensed_until"],
        )
        lines = ["port_call_id", "line_no", "commodity_code", "direction", "tonnes", "packages"]
        ways = ((self.at, berths), (f"/desk/{self.form('pilot').pk}/bring-in", pilots),
                (f"/desk/{calls.pk}/detail/cargo_line/i1/bring-in", lines))  # fmt: skip
        for at, heads in ways:
            # What fits comes first, and more often, so that there are rows to tell either way.
            columns = [dice.choices(texts[h], [9] * (len(texts[h]) - 1) + [1], k=120) for h in heads]
            file = as_csv([heads, *zip(*columns, strict=True)])
            told = []
            for by_column in (True, False):
                each = FileRows._plainly if by_column else lambda made, rows, ids, entering: (rows, New())
                with mock.patch("enlace.desk.bringing.STRETCH", 50), mock.patch.object(FileRows, "_plainly", each):
                    self.bring(file, at=at)
                    self.run_through("check", at)
                incoming = Incoming.objects.get()
                self.assertGreater(incoming.counts["new"], 10, incoming.faults)
                self.assertGreater(incoming.counts["faulty"], 5)
                self.run_through("put-in", at)
                kept = DraftRecord.objects.order_by("pk").values_list("body", "part", "owner", "now_of", "faulty")
                told.append((incoming.counts, incoming.faults, list(kept)))
                self.client.post(f"/desk/{incoming.form_id}/discard", headers=HX)
                incoming.delete()
            self.assertEqual(told[0][:2], told[1][:2])
            self.assertCountEqual(told[0][2], told[1][2])

    def test_two_windows_at_once_count_and_put_in_each_row_once(self):
        self.bring(as_csv(self.ROWS))
        one, other = (begun(Work(self.builder, self.berths, Formats.of("en_GB"))) for _ in range(2))
        one.check()
        one.mend(3, {"length_m": "99", "Shore power": "no"})
        other.check()  # as it stood before
        self.assertEqual(self.counts(), {"update": 1, "new": 2, "faulty": 1})
        self.assertEqual([fault["row"] for fault in Incoming.objects.get().faults], [4])
        one, other = (begun(Work(self.builder, self.berths, Formats.of("en_GB"))) for _ in range(2))
        one.put_in()
        other.put_in()
        self.assertEqual(Draft.objects.get().counts["all"], 3)
        self.assertEqual(Draft.objects.get().steps.count(), 1)

    def test_what_becomes_of_rows_that_are_there(self):
        self.bring(as_csv(self.ROWS[:3]))
        self.map("skip")
        self.run_through("check")
        self.assertEqual(self.counts(), {"skipped": 1, "new": 1})
        self.map("refuse")
        self.run_through("check")
        self.assertEqual(self.counts(), {"faulty": 1, "new": 1})

    def test_where_columns_went_is_kept_for_the_next_file(self):
        rows = [["Kennung", "Wo", "Lang"], ["Z3", "Quay", "80"]]
        self.bring(as_csv(rows))
        self.map(**{"Kennung": "code", "Wo": "quay", "Lang": "length_m"})
        self.assertEqual(KeptMapping.objects.get().by_head["Wo"], "quay")
        self.bring(as_csv(rows, ";"))  # the former file is gone, its mapping is not
        self.assertEqual(Incoming.objects.get().mapping, {"Kennung": "code", "Wo": "quay", "Lang": "length_m"})
        twice = {"act": "map", "existing": "update", "column-0": "code", "column-1": "code", "column-2": ""}
        self.assertContains(self.client.post(self.at, twice), "Two columns go to Code.", status_code=400)

    def test_what_lists_show_is_understood(self):
        calls = self.form("port_call")
        at = f"/desk/{calls.pk}/bring-in"
        [(vessel, agent, _)] = self.sql(
            "SELECT v.name || ' · ' || v.imo_no, a.name, c.berth_code FROM port_call c JOIN vessel v ON v.id = c.vessel_id"
            " JOIN agent a ON a.id = c.agent_id WHERE c.berth_code IS NOT NULL LIMIT 1"
        )
        rows = [["Vessel", "Agent", "Status", "ETA", "Purpose"], [vessel, agent, "announced", "2027-01-01 10:00", "cargo"],
                ["No such vessel", agent, "announced", "2027-01-01 10:00", "cargo"]]  # fmt: skip
        self.bring(as_csv(rows), at=at)
        self.run_through("check", at)
        self.assertEqual(self.counts(), {"new": 1, "faulty": 1}, Incoming.objects.get().faults)
        rows[2][:2] = vessel, "Nobody"
        self.bring(as_csv(rows), at=at)
        self.run_through("check", at)
        page = self.client.get(at).content.decode()
        self.assertIn(
            f'<option value="{escape(agent)}">', page
        )  # a short list can be chosen from, as the sentence says
        self.assertEqual(page.count('list="offered-1"'), 1)

    def test_rows_for_the_details_of_one_master(self):
        """The master need not be said; rows that say another one are told, and go to neither."""
        calls = self.form("port_call")
        add_detail(Above(calls), next(r for r in possible_details(Above(calls)) if r.table == "cargo_line"))
        at = f"/desk/{calls.pk}/detail/cargo_line/i1/bring-in"
        head = ["port_call_id", "line_no", "commodity_code", "direction", "tonnes", "packages"]
        rows = [("2", "99"), ("2", "1"), ("1", "98"), ("", "97"), ("", "1")]
        self.bring(as_csv([head, *([*key, "CORK", "out", "1", "1"] for key in rows)]), at=at)
        self.run_through("check", at)
        self.assertEqual(self.counts(), {"faulty": 2, "new": 2, "update": 1})
        self.assertIn("belongs to another record", str(Incoming.objects.get().faults[0]["faults"]))
        self.run_through("put-in", at)
        self.post(calls, "save")
        self.assertEqual(
            self.sql("SELECT port_call_id, line_no FROM cargo_line WHERE tonnes = 1 ORDER BY 1, 2"),
            [(1, 1), (1, 97), (1, 98)],
        )

    def test_what_a_list_shows_for_a_key_is_the_key(self):
        lines = self.form("cargo_line")
        at = f"/desk/{lines.pk}/bring-in"
        self.bring(b"".join(self.client.get(f"/desk/{lines.pk}/take?format=csv").streaming_content), at=at)
        self.assertIn("port_call_id", Incoming.objects.get().mapping.values())
        self.run_through("check", at)
        [(count,)] = self.sql("SELECT count(*) FROM cargo_line")
        self.assertEqual(self.counts(), {"update": count}, Incoming.objects.get().faults[:2])

    def test_numbers_and_dates_of_another_country(self):
        """A decimal comma or a month before its day is found by the values, shown, and can be chosen."""
        rows = [
            ["Code", "Quay", "length_m", "Depth (m)"],
            ["Z1", "New", "1.234,5", "7,25"],
            ["Z2", "New", "1.200", "7"],
        ]
        self.bring(as_csv(rows, ";"))
        self.assertContains(self.client.get(self.at), '<option value="de_DE" selected>1.204,5 · 31/3/2026')
        self.run_through("check")
        self.run_through("put-in")
        self.post(self.berths, "save")
        stored = "SELECT length_m, depth_m FROM berth WHERE code LIKE 'Z%' ORDER BY code"
        self.assertEqual(self.sql(stored), [(1234.5, 7.25), (1200, 7)])
        look = {"act": "look", "format": "csv", "encoding": "utf-8", "separator": "semicolon", "heads": "1"}
        self.client.post(self.at, {**look, "written": "en_GB"})
        self.run_through("check")
        self.assertEqual(self.counts(), {"faulty": 1, "update": 1})
        self.assertContains(self.client.post(self.at, {**look, "written": "xx"}), "Choose one of", status_code=400)

    def test_rows_above_the_headings_and_values_of_several_lines(self):
        rows = [["Quays of the harbour"], ["as of", "March"], [], self.ROWS[0][:4], ["Z1", "two\nlines", "long", "7"]]
        self.bring(as_csv(rows))
        self.assertContains(self.client.get(self.at), 'name="above" min="0" max="9999" value="2"')
        look = {"act": "look", "format": "csv", "separator": "comma", "heads": "1"}
        wrong = self.client.post(self.at, {**look, "above": "0"})
        self.assertContains(wrong, "or rows stand above the headings", status_code=400)
        self.client.post(self.at, {**look, "above": "2"})
        self.run_through("check")
        page = self.client.get(self.at).content.decode()
        self.assertIn("Line 5", page)
        self.assertIn("two\nlines</textarea>", page)
        self.client.post(f"{self.at}/mend", {"row": "1", "cell-2": "99"}, headers=HX)
        self.run_through("put-in")
        self.post(self.berths, "save")
        self.assertEqual(self.sql("SELECT quay FROM berth WHERE code = 'Z1'"), [("two\nlines",)])

    def test_a_text_that_a_workbook_cut_off_is_not_put_in_the_place_of_the_whole(self):
        self.sql("CREATE TABLE told (id INTEGER PRIMARY KEY, story TEXT)")
        self.sql("INSERT INTO told VALUES (1, ?), (2, 'short')", "long " * 8_000)
        form = self.form("told")
        at = f"/desk/{form.pk}/bring-in"
        file = b"".join(self.client.get(f"/desk/{form.pk}/take?format=xlsx&stored=1").streaming_content)
        self.bring(file, "told.xlsx", at=at)
        self.run_through("check", at)
        self.assertEqual(self.counts(), {"faulty": 1, "update": 1})
        self.assertIn("cut off", str(Incoming.objects.get().faults[0]["faults"]))

    def test_files_that_are_wrong_are_told_with_the_place(self):
        deep = b'<!DOCTYPE r [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><r><row><x>&b;</x></row><row><x>1</x></row></r>'
        outside = b'<!DOCTYPE r [<!ENTITY x SYSTEM "file:///etc/passwd">]><r><row><x>&x;</x></row></r>'
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("xl/workbook.xml", b"0" * 200_000_000)
        for name, content, words in (
            ("a.csv", b'code,quay\nZ1,"never closed\n', "is never closed"),
            ("a.csv", b"code,quay\nZ1,a,b,c\n", "Line 2 has 4 values"),
            ("a.csv", ",".join(f"c{i}" for i in range(2_000)).encode(), "at most 500"),
            ("a.csv", b'code,quay\n\nZ1,"a\nb"\nZ2,a,b,c\n', "Line 5 has 4 values"),
            ("a.json", b'[{"code": "Z1"},\n {"code": ', "Object 2 is no JSON, line 2, column 11"),
            ("a.json", b'[\n{"code": "Z1"}, {"code" 1}]', "Object 2 is no JSON, line 2, column 25"),
            ("a.json", b'[{"code": "Z1"}', "never closed"),
            ("a.jsonl", b'{"code": "Z1"}\n{"code" "Z2"}\n', "The file is no JSON, line 2, column 9"),
            ("a.xml", deep, "defines entities"),
            ("a.xml", outside, "defines entities"),
            ("a.xml", b"<r><row><x>1</x></row><row><x>2</row></r>", "line 1, column"),
            ("a.xlsx", b"PK\x03\x04 cut off", "cut off"),
            ("a.xlsx", bomb.getvalue(), "Unpacked the file would have"),
            ("a.zip", b"", "empty"),
        ):
            with self.subTest(name, words=words):
                self.assertIn(words, self.bring(content, name, 400).content.decode().replace("&#x27;", "'"))

    def test_another_encoding_separator_and_headings(self):
        self.bring("Code;Quay\nZ4;Köln\n".encode("cp1252"))
        self.assertEqual(Incoming.objects.get().look["separator"], ";")
        page = self.client.get(self.at).content.decode()
        self.assertIn("Köln", page)
        wrong = {"act": "look", "format": "csv", "encoding": "utf-8", "separator": "comma"}
        self.assertContains(self.client.post(self.at, wrong), "Line 1 is not written in utf-8", status_code=400)
        look = {"act": "look", "format": "csv", "encoding": "cp1252", "separator": "semicolon"}
        self.client.post(self.at, look)  # without headings
        self.assertEqual(Incoming.objects.get().spool["heads"], ["Column 1", "Column 2"])

    def test_nobody_else_has_the_file(self):
        self.bring(as_csv(self.ROWS))
        self.client.force_login(self.operator)
        self.assertNotIn("berths.csv", self.client.get(self.at).content.decode())
        self.assertEqual(self.client.post(f"{self.at}/check").status_code, 404)
