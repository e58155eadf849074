"""Data Packages against frictionless, the library of those who wrote the specifications, as their judge."""

from __future__ import annotations

import datetime
import io
import json
import tempfile
import zipfile
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from django.test import SimpleTestCase
from frictionless import Package, Resource, describe
from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.exchange.empties import EMPTY_TEXT, unmarked
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.outgoing import Sheet
from enlace.core.exchange.package_out import schema_of, write_package
from enlace.core.exchange.readers import looked, rows
from enlace.workshop.details import Above, add_detail, possible_details
from tests.web.pages import Pages

FIELDS = (
    FieldSpec("n", "Number", "whole", required=True),
    FieldSpec("text", "Text", "text", length=40),
    FieldSpec("much", "How much", "decimal"),
    FieldSpec("yes", "Yes", "yesno"),
    FieldSpec("day", "Day", "date"),
    FieldSpec("hour", "Hour", "time"),
    FieldSpec("moment", "Moment", "datetime"),
)
TEXTS = st.text(st.characters(min_codepoint=32, exclude_categories=["Cs", "Cc", "Cn"]), max_size=12).map(str.strip)
VALUES = st.tuples(
    TEXTS.filter(bool) | st.none(),
    st.decimals(-(10**6), 10**6, places=3) | st.none(),
    st.booleans() | st.none(),
    st.dates(datetime.date(1000, 1, 1)) | st.none(),
    st.times().map(lambda time: time.replace(microsecond=0)) | st.none(),
    st.datetimes(datetime.datetime(1000, 1, 1)).map(lambda at: at.replace(microsecond=0)) | st.none(),
)


class Judge(SimpleTestCase):
    """Asks frictionless about a package."""

    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def package(self, content: bytes) -> Package:
        path = self.folder / "rows.zip"
        path.write_bytes(content)
        return Package(str(path))

    def sound(self, package: Package) -> None:
        report = package.validate()
        self.assertTrue(report.valid, report.flatten(["type", "note", "rowNumber", "fieldName"])[:5])


class Packages(Judge):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(VALUES, max_size=6))
    def test_values_of_each_kind(self, told):
        dataset = DatasetSpec(table="t", fields=FIELDS, key=("n",))
        lines = [(i, *values) for i, values in enumerate(told)]
        file = io.BytesIO()
        sheet = Sheet("Rows", [f.name for f in FIELDS], lines, "t", schema_of(dataset, FIELDS))
        write_package(file, [sheet])
        package = self.package(file.getvalue())
        self.sound(package)
        read = [list(row.values()) for row in package.get_resource("t").read_rows()]
        # A text of apostrophes alone has one more in the file, by which an empty one is told from none at all.
        own = [
            ["" if v == EMPTY_TEXT else v for v in (unmarked(v) if isinstance(v, str) else v for v in row)]
            for row in read
        ]
        self.assertEqual(own, [list(line) for line in lines])
        self.assertEqual([field.type for field in package.get_resource("t").schema.fields],
                         ["integer", "string", "number", "boolean", "date", "time", "datetime"])  # fmt: skip

    def test_a_wrong_value_is_found_by_the_judge(self):
        dataset = DatasetSpec(table="t", fields=FIELDS[:2], key=("n",))
        for lines in ([(1, "a"), (1, "b")], [(1, "x" * 41)], [("seven", "a")]):
            file = io.BytesIO()
            write_package(file, [Sheet("Rows", ["n", "text"], lines, "t", schema_of(dataset, FIELDS[:2]))])
            self.assertFalse(self.package(file.getvalue()).validate().valid, lines)

    def test_a_package_that_frictionless_makes_is_read(self):
        table = self.folder / "quays.csv"
        table.write_text('code,quay,depth\nN1,North quay,7.5\nS1,"South, quay",\n', "utf-8")
        made = Package(resources=[describe(str(table), stats=False)])
        made.name = "quays"
        archive = self.folder / "made.zip"
        with zipfile.ZipFile(archive, "w") as file:
            resource: Resource = made.resources[0]
            resource.path = "quays.csv"
            file.writestr("datapackage.json", made.to_json())
            file.writestr("quays.csv", table.read_text("utf-8"))
        told = [texts for _, texts in rows(archive, looked(archive, Look("package")))]
        self.assertEqual(told, [["code", "quay", "depth"], ["N1", "North quay", "7.5"], ["S1", "South, quay", ""]])

    def test_values_are_read_as_the_schema_says_they_are_written(self):
        """Table Schema and Table Dialect (v2): what frictionless reads of such a file is what Enlace reads."""
        fields = [
            {"name": "price", "type": "number", "decimalChar": ",", "groupChar": ".", "bareNumber": False},
            {"name": "day", "type": "date", "format": "%d/%m/%Y"},
            {"name": "open", "type": "boolean", "trueValues": ["sim"], "falseValues": ["não"]},
            {"name": "at", "type": "time", "format": "%H.%M"},
        ]
        table = "# quays\n'€1.234,50'|'03/04/2026'|sim|05.07\n'0,125'|n/a|não|23.59\n"
        resource = {
            "name": "quays", "path": "quays.csv", "schema": {"fields": fields, "missingValues": ["", "n/a"]},
            "dialect": {"delimiter": "|", "quoteChar": "'", "header": False, "commentChar": "#"},
        }  # fmt: skip
        within = {"name": "said", "data": [{"code": "N1", "depth": 7.5}, {"code": "S1"}]}
        archive = self.folder / "made.zip"
        with zipfile.ZipFile(archive, "w") as file:
            file.writestr("datapackage.json", json.dumps({"name": "p", "resources": [resource, within]}))
            file.writestr("quays.csv", table)
        look = looked(archive, Look("package"))
        self.assertEqual(look.sheets, ("quays", "said"))
        told = list(rows(archive, look))
        self.assertEqual([number for number, _ in told], [0, 2, 3])
        judged = [list(row.values()) for row in Package(str(archive)).get_resource("quays").read_rows()]
        own = [
            [Decimal(price), day and datetime.date.fromisoformat(day), yes == "yes", datetime.time.fromisoformat(at)]
            for _, (price, day, yes, at) in told[1:]
        ]
        self.assertEqual([[*row[:1], row[1] or "", *row[2:]] for row in judged], own)
        self.assertEqual(
            [texts for _, texts in rows(archive, replace(look, sheet="said"))][1:], [["N1", "7.5"], ["S1", ""]]
        )


class Forms(Judge, Pages):
    def test_a_master_with_its_details_and_what_refers_to_what(self):
        calls = self.form("port_call")
        add_detail(Above(calls), next(r for r in possible_details(Above(calls)) if r.table == "cargo_line"))
        asked = f"/desk/{calls.pk}/take?format=package&stored=1&details=1&only-status==announced"
        package = self.package(b"".join(self.client.get(asked).streaming_content))
        self.sound(package)
        names = {resource.name for resource in package.resources}
        self.assertLessEqual({"port_call", "cargo_line"}, names)
        keys = package.get_resource("cargo_line").schema.foreign_keys
        self.assertIn("port_call", [key["reference"]["resource"] for key in keys])
        told = [
            (row["port_call_id"], row["line_no"], row["tonnes"])
            for row in package.get_resource("cargo_line").read_rows()
        ]
        wanted = self.sql(
            "SELECT port_call_id, line_no, tonnes FROM cargo_line WHERE port_call_id IN"
            " (SELECT id FROM port_call WHERE status = 'announced') ORDER BY 1, 2"
        )
        self.assertEqual(sorted(told), [(a, b, Decimal(str(c))) for a, b, c in wanted])
