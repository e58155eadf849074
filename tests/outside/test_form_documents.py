"""Forms' documents judged by `jsonschema` (JSON Schema, draft 2020-12), and a chart's numbers by pandas."""

import json
import re
import unittest
from html import unescape
from pathlib import Path

import jsonschema
import pandas
from hypothesis import given

from enlace.core.form.document import as_values
from enlace.core.model.values import record_id
from enlace.workshop.details import Above
from tests.core.test_form import documents
from tests.web.test_composer import Sheets

SCHEMA = json.loads((Path(__file__).resolve().parents[2] / "docs/form.schema.json").read_text())


class Published(unittest.TestCase):
    def test_the_schema_is_one(self):
        jsonschema.Draft202012Validator.check_schema(SCHEMA)

    @given(documents())
    def test_what_is_read_is_what_the_schema_takes(self, document):
        """But for settings, which the reader forgives: a control that has wrong ones shows what it shows by itself."""
        values = as_values(document)

        def bare(controls: list) -> list:
            return [
                {k: bare(v) if k == "children" else v for k, v in control.items() if k != "settings"}
                for control in controls
            ]

        values["controls"] = bare(values.get("controls", []))
        jsonschema.validate(values, SCHEMA)

    def test_what_is_wrong_is_refused(self):
        sound = {"version": 1, "sources": [{"name": "call", "dataset": "1"}]}
        jsonschema.validate(sound, SCHEMA)
        wrong = (
            {**sound, "version": 9},
            {**sound, "opening": [{"act": "dance"}]},
            {**sound, "controls": [{"id": "a", "kind": "grid", "settings": {"columns": [{"heading": "x"}]}}]},
            {**sound, "sources": []},
            {**sound, "more": 1},
            {**sound, "controls": [{"id": "a", "kind": "grid", "place": {"x": 13}}]},
            {**sound, "controls": [{"id": "a", "kind": "chart", "settings": {"shape": "cake"}}]},
        )
        for item in wrong:
            with self.subTest(item), self.assertRaises(jsonschema.ValidationError):
                jsonschema.validate(item, SCHEMA)


class Charts(Sheets):
    def setUp(self):
        super().setUp()
        self.call, self.other = (
            row[0] for row in self.sql("SELECT port_call_id FROM cargo_line GROUP BY 1 HAVING count(*) > 2 LIMIT 2")
        )
        self.calls_form = self.form("port_call")
        self.detail(Above(self.calls_form), "cargo_line")
        self.act("add", form=self.calls_form, kind="chart", source="cargo_line")

    def lines(self, call: int) -> pandas.DataFrame:
        rows = self.sql("SELECT line_no, direction, tonnes FROM cargo_line WHERE port_call_id = ?", call)
        return pandas.DataFrame(rows, columns=["line_no", "direction", "tonnes"])

    def compare(self, rows: pandas.DataFrame) -> None:
        """The chart of the call, by each function, against pandas."""
        form = self.calls_form
        for function, theirs in (("sum", "sum"), ("avg", "mean"), ("min", "min"), ("max", "max"), ("count", "count")):
            for name, value in {"by": "direction", "of": "tonnes", "function": function}.items():
                self.act("set", form=form, ids="chart", name=name, value=value)
            html = self.client.get(
                f"/desk/{form.pk}/record", {"on": "sheet", "record": f"i{self.call}"}, headers={"HX-Request": "true"}
            ).content.decode()
            chart = html[html.index('class="chart"') :]
            bars = re.findall(r'<th scope="row">([^<]*)</th><td[^>]*>([^<]*)</td>', chart[: chart.index("</table>")])
            wanted = rows.groupby("direction")["tonnes"].agg(theirs)
            with self.subTest(function):
                self.assertEqual({unescape(name) for name, _ in bars}, set(wanted.index))
                for name, text in bars:
                    self.assertAlmostEqual(float(text.replace(",", "")), float(wanted[name]), 3)

    def test_sums_and_averages_are_those_of_pandas(self):
        self.compare(self.lines(self.call))

    def test_with_a_draft_they_are_those_of_what_will_be(self):
        """The greatest made the least, a line in another group, one removed, one new; those of another call don't count."""
        rows = self.lines(self.call)
        most, moved = rows["tonnes"].idxmax(), rows["tonnes"].idxmin()
        turned = {"in": "out", "out": "in"}[rows.loc[moved, "direction"]]
        at = lambda call: f"/desk/{self.calls_form.pk}/detail/cargo_line/i{call}/"  # noqa: E731
        line = lambda call, i: record_id((call, int(self.lines(call).loc[i, "line_no"])))  # noqa: E731
        post = lambda path, **data: self.client.post(path, data, headers={"HX-Request": "true"})  # noqa: E731
        post(at(self.call) + "edit", record=line(self.call, most), field="tonnes", value="0.125")
        post(at(self.call) + "edit", record=line(self.call, moved), field="direction", value=turned)
        post(at(self.other) + "edit", record=line(self.other, 0), field="tonnes", value="99999")
        rows.loc[most, "tonnes"], rows.loc[moved, "direction"] = 0.125, turned
        self.compare(rows)
        gone = next(i for i in rows.index if i not in (most, moved))
        post(at(self.call) + "remove", record=line(self.call, gone))
        new = self.events(post(at(self.call) + "new"))["enlace:current"]["id"]
        for field, value in {"line_no": "77", "direction": "in", "tonnes": "500.5"}.items():
            post(at(self.call) + "edit", record=new, field=field, value=value)
        rows = rows.drop(gone)
        rows.loc[len(rows) + 9] = [77, "in", 500.5]
        self.compare(rows)
