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
    def test_sums_and_averages_are_those_of_pandas(self):
        call = self.sql("SELECT port_call_id FROM cargo_line GROUP BY 1 HAVING count(*) > 2 LIMIT 1")[0][0]
        form = self.form("port_call")
        self.detail(Above(form), "cargo_line")
        self.act("add", form=form, kind="chart", source="cargo_line")
        rows = pandas.DataFrame(
            self.sql("SELECT direction, tonnes FROM cargo_line WHERE port_call_id = ?", call),
            columns=["direction", "tonnes"],
        )
        for function, theirs in (("sum", "sum"), ("avg", "mean"), ("min", "min"), ("max", "max"), ("count", "count")):
            for name, value in {"by": "direction", "of": "tonnes", "function": function}.items():
                self.act("set", form=form, ids="chart", name=name, value=value)
            html = self.client.get(
                f"/desk/{form.pk}/record", {"on": "sheet", "record": f"i{call}"}, headers={"HX-Request": "true"}
            ).content.decode()
            chart = html[html.index('class="chart"') :]
            bars = re.findall(r'<th scope="row">([^<]*)</th><td[^>]*>([^<]*)</td>', chart[: chart.index("</table>")])
            wanted = rows.groupby("direction")["tonnes"].agg(theirs)
            with self.subTest(function):
                self.assertEqual({unescape(name) for name, _ in bars}, set(wanted.index))
                for name, text in bars:
                    self.assertAlmostEqual(float(text.replace(",", "")), float(wanted[name]), 3)
