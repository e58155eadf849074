"""Blocks of cells put into a grid: many records, one step, and what can't be put in is told."""

import json
import re
from decimal import Decimal
from unittest import mock

from enlace.core import hooks
from enlace.core.kinds.quick import same_over_any
from enlace.desk.models import DraftRecord
from tests.web.pages import Pages


class Blocks(Pages):
    def setUp(self):
        super().setUp()
        self.vessels = self.form("vessel")
        names = [f.name for f in self.vessels.dataset.to_spec().shown]
        self.place = {name: n for n, name in enumerate(names)}

    def block(self, lines, at=0, field="name", status=200, **more):
        data = {"from": at, "column": self.place[field], "lines": json.dumps(lines), "record": "i1", **more}
        return self.post(self.vessels, "block", status, **data)

    def preview(self, lines, **more):
        return self.block(lines, preview="1", **more).json()

    def pending(self):
        draft = self.vessels.drafts.first()
        return draft.counts if draft else {}

    def test_many_records_in_one_step(self):
        lines = [["Alfa", "Tanker"], ["Bravo", "TUG"], ["Charlie", "Container ship"]]
        self.assertEqual(self.preview(lines, at=2), {"edited": 3, "new": 0, "refused": [], "marked": ""})
        self.assertEqual(self.pending(), {})
        self.assertIn("Paste: 3 records changed.", self.said(self.block(lines, at=2)))
        self.assertEqual(self.pending()["edited"], 3)
        self.assertIn("Saved 3 records", self.said(self.post(self.vessels, "save")))
        rows = self.sql(
            "SELECT v.name, t.name FROM vessel v JOIN vessel_type t ON t.code = v.vessel_type_code WHERE v.id IN (3, 4, 5) ORDER BY v.id"
        )
        self.assertEqual(rows, [("Alfa", "Tanker"), ("Bravo", "Tug"), ("Charlie", "Container ship")])

    def test_an_extension_is_told_of_all_that_changes_a_draft(self):
        told = []
        follow = lambda dataset, id, record: told.append((id, record.state if record else ""))  # noqa: E731
        hooks.on(hooks.EDITED, follow, "mine")
        self.addCleanup(hooks.forget, follow)
        acts = [
            lambda: self.block([["One"], ["Two"]]),
            lambda: self.post(self.vessels, "undo"),
            lambda: self.post(self.vessels, "remove", record="i3"),
            lambda: self.post(self.vessels, "edit", record="i4", field="name", value="Four"),
            lambda: self.post(self.vessels, "discard"),
        ]
        steps = []
        for act in acts:
            with self.captureOnCommitCallbacks(execute=True):
                act()
            steps.append(sorted(told))
            told.clear()
        changed = [("i1", "edited"), ("i2", "edited")], [("i1", ""), ("i2", "")], [("i3", "removed")]
        self.assertEqual(steps, [*changed, [("i4", "edited")], [("i3", ""), ("i4", "")]])

    def test_a_column_that_is_read_at_once_is_as_texts_that_are_read_one_by_one(self):
        types = ["Tanker", "tug", "TUG", "Container", "no such type", "", "  ", "o"]
        texts = ["Alfa", "", "  spaced ", "x" * 500, "1,5", "é"]
        lines = [[text, kind, "12.5", text, kind] for text in texts for kind in types]
        for at in (5, self.sql("SELECT count(*) FROM vessel")[0][0] - 3):  # over stored records, and beyond the last
            kept = []
            for few, early in ((0, same_over_any), (1_000, lambda field: False)):
                with (
                    mock.patch("enlace.desk.block_texts.FEW", few),
                    mock.patch("enlace.desk.block_texts.same_over_any", early),
                ):
                    told = self.preview(lines, at=at)
                    self.block(lines, at=at)
                rows = DraftRecord.objects.order_by("pk").values_list("body", "faulty", "state")
                kept.append((told, self.pending(), list(rows)))
                self.post(self.vessels, "discard")
            self.assertEqual(*kept)
            self.assertEqual(len(kept[0][2]), len(lines))
            self.assertTrue(any(faulty for _, faulty, _ in kept[0][2]))

    def test_one_step_of_undo(self):
        self.block([["One"], ["Two"], ["Three"]])
        self.post(self.vessels, "undo")
        self.assertEqual(self.pending()["all"], 0)
        self.post(self.vessels, "redo")
        self.assertEqual(self.pending()["all"], 3)

    def test_lines_beyond_the_last_record_become_new_ones(self):
        count = self.sql("SELECT count(*) FROM vessel")[0][0]
        lines = [["Last"], ["New One"], ["New Two"], [""]]
        self.assertEqual(self.preview(lines, at=count - 1), {"edited": 1, "new": 2, "refused": [], "marked": ""})
        self.block(lines, at=count - 1)
        self.assertEqual((self.pending()["new"], self.pending()["edited"]), (2, 1))

    def fill(self, count, field, wide=1, at=0, **more):
        data = {"how": "fill", "from": at, "column": self.place[field], "count": count, "wide": wide, **more}
        return self.post(self.vessels, "block", record="i1", **data)

    def test_what_fills_down_is_what_the_record_holds_not_what_its_cell_shows(self):
        self.vessels.dataset.fields.filter(name="length_m").update(format="0")
        long = "Radio on channel 12." * 40
        self.edit(self.vessels, "i1", length_m="166.75", remarks=long)
        self.fill(2, "length_m")
        self.assertIn("Fill down: 1 record changed.", self.said(self.fill(1, "remarks")))
        self.post(self.vessels, "save")
        rows = self.sql("SELECT length_m, remarks FROM vessel WHERE id IN (1, 2, 3) ORDER BY id")
        self.assertEqual([Decimal(str(row[0])) for row in rows], [Decimal("166.75")] * 3)
        self.assertEqual([row[1] for row in rows[:2]], [long] * 2)

    def test_the_value_above_is_of_lists_and_of_what_is_no_value_too(self):
        types = self.sql("SELECT vessel_type_code FROM vessel WHERE id IN (1, 2) ORDER BY id")
        self.assertNotEqual(*types)
        self.edit(self.vessels, "i1", beam_m="wide")
        self.fill(1, "vessel_type_code", how="above")
        response = self.fill(1, "beam_m", how="above")
        self.assertIn('data-record="i2"', response.content.decode())  # one stands where one was
        self.assertEqual(self.pending(), {**self.pending(), "edited": 2, "faulty": 2})
        self.edit(self.vessels, "i1", beam_m="20.5")
        self.edit(self.vessels, "i2", beam_m="21.5")
        self.post(self.vessels, "save")
        (one,) = self.sql("SELECT vessel_type_code FROM vessel WHERE id = 2")
        self.assertEqual(one, types[0])
        refused = self.fill(2, "id", wide=2, preview="1").json()
        self.assertEqual(refused["refused"], ["ID can't be edited here. (2 cells)"])
        self.post(self.vessels, "block", 404, **{"how": "fill", "from": 10**6, "column": 0, "count": 1})

    def test_what_can_not_be_put_in_is_told_and_the_rest_goes_in(self):
        told = self.preview([["7", "1234567", "Name"], ["8", "2345678", "Other"]], field="id")
        self.assertEqual(told["edited"], 2)
        self.assertEqual(told["refused"], ["ID can't be edited here. (2 cells)"])
        wide = self.preview([["x"] * 40])
        self.assertTrue(any("no column" in sentence for sentence in wide["refused"]))
        odd = [["no such type", "PT", "abc"], ["no such type", "PT", "7.5"], ["Tug", "PT", ""]]
        self.assertIn("3 cells would hold what", self.preview(odd, field="vessel_type_code")["marked"])
        self.block([["no such type"]], field="vessel_type_code")
        self.assertEqual(self.pending()["faulty"], 1)

    def test_removed_records_and_odd_requests(self):
        self.post(self.vessels, "remove", record="i1")
        self.assertIn("marked for removal", self.preview([["A"], ["B"]])["refused"][0])
        for lines in ("{", "[1]", '[["a", 3]]', '"x"'):
            response = self.client.post(f"/desk/{self.vessels.pk}/block", {"from": 0, "column": 0, "lines": lines})
            self.assertEqual(response.status_code, 400, lines)
        many = self.client.post(
            f"/desk/{self.vessels.pk}/block", {"from": 0, "column": 0, "lines": json.dumps([["x"]] * 20_001)}
        )
        self.assertEqual(many.status_code, 400)

    def test_nothing_is_other_than_it_was(self):
        name = self.sql("SELECT name FROM vessel WHERE id = 1")[0][0]
        self.assertIn("nothing is other than it was", self.said(self.block([[name]])))

    def test_what_chosen_cells_come_to(self):
        self.edit(self.vessels, "i2", length_m="100.25")
        ask = {"from": 0, "count": 3, "column": self.place["length_m"], "wide": 1}
        words = self.client.get(f"/desk/{self.vessels.pk}/cells", ask).json()["words"]
        lengths = [Decimal(str(row[0])) for row in self.sql("SELECT length_m FROM vessel WHERE id IN (1, 3)")]
        lengths.append(Decimal("100.25"))
        self.assertTrue(words.startswith("3 cells, 3 with a value, "), words)
        told = dict(re.findall(r"(sum|least|greatest) ([\d,.]+)", words))
        self.assertEqual({name: Decimal(text.rstrip(",").replace(",", "")) for name, text in told.items()},
                         {"sum": sum(lengths), "least": min(lengths), "greatest": max(lengths)})  # fmt: skip
        names = self.client.get(f"/desk/{self.vessels.pk}/cells", {**ask, "column": self.place["name"], "count": 40})
        different = self.sql("SELECT count(DISTINCT name) FROM vessel")[0][0]
        self.assertEqual(names.json()["words"], f"40 cells, 40 with a value, {different} different")
