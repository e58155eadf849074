"""Tables made by hand or from a file are what they were said to be, on each server."""

import datetime
import json
from dataclasses import replace
from decimal import Decimal

from stdnum import imo

from enlace.core.dataset.field_properties import with_property
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.model.dataset import RuleSpec
from enlace.core.problem import Problem
from enlace.core.save import save
from enlace.core.save.samples import add_samples
from enlace.core.server.catalog import Catalog
from enlace.core.server.making import (
    NewColumn,
    add_statement,
    create_statement,
    inferred,
    make_table,
    run_statement,
    table_schema,
)
from tests.harbour import Bench
from tests.servers import OnServer, on_each_server

CSV = """code;name;opened;share;open;at;note
0017;Águas;2026-03-01;12.5;yes;2026-03-01 08:30;"two
lines"
0018;"Rio; Mar";2025-12-31;0.25;no;2026-03-02 09:00;
"""


class Making(OnServer):
    def test_by_hand(self):
        columns = [
            NewColumn("id", "number"),
            NewColumn("na me", "text", "12", needed=True),
            NewColumn("price", "decimal", "9,2"),
            NewColumn("open", "yesno"),
            NewColumn("day", "date"),
            NewColumn("order", "whole"),
        ]
        statement = create_statement(self.spec, 'new "stall', columns)
        self.assertIn("CREATE TABLE", statement)
        make_table(self.spec, "stall", columns)
        dataset = make_dataset(self.spec, "stall")
        kinds = {f.name: f.kind for f in dataset.fields}
        self.assertEqual(
            kinds,
            {"id": "whole", "na me": "text", "price": "decimal", "open": "yesno", "day": "date", "order": "whole"},
        )
        self.assertEqual(
            (dataset.key, dataset.by_name["id"].numbered, dataset.by_name["na me"].required), (("id",), True, True)
        )
        bench = Bench(self.spec, "stall")
        record = self.new(bench, **{"na me": "Quay", "price": "12.50", "open": "yes", "day": "2026-01-02"})
        self.assertTrue(save(self.spec, bench.dataset, [record]).committed)
        added = add_statement(self.spec, "stall", NewColumn("remark", "longtext"))
        run_statement(self.spec, added)
        self.assertEqual(Catalog.of(self.spec).table("stall").columns[-1].name, "remark")
        run_statement(self.spec, add_statement(self.spec, "stall", NewColumn("sign", "picture")))
        dataset = make_dataset(self.spec, "stall")
        sign = dataset.by_name["sign"]
        self.assertEqual((sign.kind, sign.read_only), ("binary", True))
        sign = with_property(dataset, sign, "kind", "picture", self.spec.kind)
        self.assertEqual((sign.kind, sign.read_only), ("picture", False))
        self.assertTrue(with_property(dataset, sign, "kind", "binary", self.spec.kind).read_only)
        with self.assertRaisesRegex(Problem, "already"):
            make_table(self.spec, "Stall", columns)

    def test_from_a_file(self):
        read = inferred(CSV)
        kinds = [(c.name, c.kind) for c in read.columns]
        self.assertEqual(
            kinds,
            [
                ("code", "text"),
                ("name", "text"),
                ("opened", "date"),
                ("share", "decimal"),
                ("open", "yesno"),
                ("at", "datetime"),
                ("note", "longtext"),
            ],
        )
        self.assertTrue(read.columns[0].key)
        make_table(self.spec, "branch", read.columns, read.rows)
        rows = Rows.of(self.spec, make_dataset(self.spec, "branch")).window(0, 5)
        dataset = make_dataset(self.spec, "branch")
        from enlace.core.kinds import KINDS

        typed = [[KINDS[f.kind].read(v, f) for f, v in zip(dataset.fields, row.values, strict=True)] for row in rows]
        self.assertEqual(
            typed[0],
            [
                "0017",
                "Águas",
                datetime.date(2026, 3, 1),
                Decimal("12.5"),
                True,
                datetime.datetime(2026, 3, 1, 8, 30),
                "two\nlines",
            ],
        )
        self.assertEqual(typed[1][1:5], ["Rio; Mar", datetime.date(2025, 12, 31), Decimal("0.25"), False])

    def test_from_json_with_a_key_of_its_own(self):
        read = inferred(json.dumps([{"a": 1, "b": None}, {"a": 1, "b": "x", "c": [1]}]))
        self.assertEqual(
            [(c.name, c.kind) for c in read.columns], [("id", "number"), ("a", "whole"), ("b", "text"), ("c", "text")]
        )
        make_table(self.spec, "things", read.columns, read.rows)
        self.assertEqual(len(Rows.of(self.spec, make_dataset(self.spec, "things")).window(0, 9)), 2)
        schema = json.loads(table_schema(read.columns))
        self.assertEqual(schema["primaryKey"], ["id"])
        self.assertEqual([f["type"] for f in schema["fields"]], ["integer", "integer", "string", "string"])

    def test_what_can_not_be_made_is_a_sentence(self):
        for columns, told in (
            ([], "needs a column"),
            ([NewColumn("a", "text"), NewColumn("A", "text")], "Two columns"),
            ([NewColumn("a", "number"), NewColumn("b", "number")], "one automatic number"),
            ([NewColumn("a", "thing")], "needs a kind"),
            ([NewColumn(" ", "text")], "needs a name"),
        ):
            with self.assertRaisesRegex(Problem, told):
                create_statement(self.spec, "t", columns)
        for content, told in (
            ("", "no rows"),
            ("a,b\n1", "another number"),
            ("[1, 2]", "list of objects"),
            ("{", "no JSON"),
        ):
            with self.assertRaisesRegex(Problem, told):
                inferred(content)
        with self.assertRaisesRegex(Problem, "can't be added"):
            add_statement(self.spec, "agent", NewColumn("x", "text", needed=True))

    def test_made_up_rows_keep_all_rules(self):
        shipment = make_dataset(self.spec, "shipment")
        checks = {"code": {"text_check": "imo"}, "remarks": {"picture": ""}}
        fields = tuple(replace(f, **checks.get(f.name, {})) for f in shipment.fields)
        rules = (*shipment.rules, RuleSpec("pieces < 400 AND weight * 2 > pieces"))
        dataset = replace(shipment, fields=fields, rules=rules)
        before = self.place.run("SELECT count(*) FROM shipment")[0][0]
        self.assertEqual(add_samples(self.spec, dataset, 60, seed=4), 60)
        made = self.place.run("SELECT code, agent_id, weight, pieces, day FROM shipment ORDER BY id DESC LIMIT 60")
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment")[0][0], before + 60)
        self.assertTrue(all(imo.is_valid(row[0]) for row in made))
        self.assertEqual({row[1] for row in made}, {1, 2, 3})
        self.assertTrue(all(0 < row[3] < 400 and (row[2] is None or row[2] * 2 > row[3] > 0) for row in made))
        self.assertGreater(sum(row[4] is not None for row in made), 30)
        legs = make_dataset(self.spec, "Leg of way")
        self.assertEqual(add_samples(self.spec, legs, 5, seed=4), 5)
        self.assertEqual(add_samples(self.spec, replace(dataset, rules=(RuleSpec("pieces < 0"),)), 3), 0)
        for count in (0, 1001):
            with self.assertRaisesRegex(Problem, "not a number of rows"):
                add_samples(self.spec, dataset, count)


on_each_server(globals(), Making)
