"""Lookups, calculated fields and rules that reach beyond the record, on each server."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from itertools import groupby

from enlace.core.dataset.conditional_formats import tone_fields, tones_of
from enlace.core.dataset.field_properties import expression_fault
from enlace.core.dataset.filters import read_filters
from enlace.core.dataset.groups import grouped
from enlace.core.dataset.lookups import found_by_start, found_by_text, listed, shown_for, shown_writer
from enlace.core.dataset.narrowing import still_offered
from enlace.core.dataset.related import related_rows
from enlace.core.dataset.totals import Total, totals
from enlace.core.dataset.window import Rows
from enlace.core.expression import ExpressionError
from enlace.core.model.dataset import ColumnSpec, DetailSpec, FieldSpec, LookupSpec, RuleSpec
from enlace.core.problem import Problem
from enlace.core.rules import RecordRules
from enlace.core.rules.trial import broken_rows
from tests.harbour import ENGLISH
from tests.servers import OnServer, on_each_server


class Looking(OnServer):
    def setUp(self):
        super().setUp()
        self.place.run("UPDATE agent SET name = 'Águas do Sul' WHERE id = 1")
        self.place.run("UPDATE agent SET name = 'Praia 100% Azul' WHERE id = 2")
        self.place.run("UPDATE agent SET name = 'sul e norte' WHERE id = 3")
        self.shipment = self.bench("shipment").dataset
        self.field = self.shipment.by_name["agent_id"]

    def with_field(self, name, dataset=None, **changes):
        dataset = dataset or self.shipment
        return replace(dataset, fields=tuple(replace(f, **changes) if f.name == name else f for f in dataset.fields))

    def names(self, typed="", start=0, record=None, size=50, dataset=None):
        dataset = dataset or self.shipment
        page = listed(self.spec, dataset, dataset.by_name["agent_id"], typed, start, record, size)
        return [option.shown[0] for option in page.options], page.more

    def test_the_schema_suggests_a_list_with_something_to_read(self):
        lookup = self.field.lookup
        self.assertEqual((lookup.table, lookup.target, lookup.shows, lookup.name), ("agent", "id", ("name",), "agent"))
        self.assertTrue(lookup.unique)
        self.assertEqual(self.field.label, "Agent")
        chief = self.bench("agent").dataset.by_name["chief_id"].lookup
        self.assertEqual((chief.table, chief.shows), ("agent", ("name",)))
        legs = self.bench("Leg of way").dataset.by_name["shipment_id"].lookup
        self.assertEqual((legs.table, legs.shows), ("shipment", ("code",)))

    def test_nobody_is_shown_identifiers_made_for_machines(self):
        self.place.run(
            "CREATE TABLE quay (nr integer PRIMARY KEY, gid varchar(36) NOT NULL UNIQUE, token varchar(20) UNIQUE, "
            "sign varchar(8) UNIQUE, name varchar(2000) NOT NULL, remarks varchar(2000), built_year integer, bollards integer)"
        )
        self.place.run(
            "CREATE TABLE moored (id integer PRIMARY KEY, quay_nr integer , FOREIGN KEY (quay_nr) REFERENCES quay (nr))"
        )
        self.place.run("INSERT INTO quay VALUES (4711, 'f0', 'x', 'NQ', 'North', 'Long', 1958, 2400)")
        moored = self.bench("moored").dataset.by_name["quay_nr"]
        self.assertEqual((moored.lookup.shows, moored.format), (("name", "sign"), "0"))
        quay = self.bench("quay").dataset
        self.assertEqual([quay.by_name[n].kind for n in ("name", "remarks")], ["text", "longtext"])
        self.assertEqual([quay.by_name[n].format for n in ("built_year", "bollards")], ["0", ""])

    def test_a_line_without_a_name_shows_its_value(self):
        self.place.run("CREATE TABLE crane (nr integer NOT NULL PRIMARY KEY, nickname varchar(20))")
        self.place.run("INSERT INTO crane VALUES (31, 'Big Ana'), (32, NULL)")
        self.place.run(
            "CREATE TABLE lift (id integer NOT NULL PRIMARY KEY, crane integer, FOREIGN KEY (crane) REFERENCES crane (nr))"
        )
        self.place.run("INSERT INTO lift VALUES (1, 31), (2, 32), (3, NULL)")
        dataset = self.bench("lift").dataset
        field = dataset.by_name["crane"]
        self.assertIn(
            "crane", dataset.looked_up
        )  # as the field is called: `crane` is what it stores, `crane.nickname` what is there
        write = shown_writer(field.lookup, ENGLISH)
        rows = Rows.of(self.spec, dataset)
        self.assertEqual([write(row.shown[0]) for row in rows.window(0, 3)], ["Big Ana", "32", None])
        self.assertEqual(shown_for(self.spec, field, [{"crane": 32}, {"crane": 99}]), {(32,): (None, 32)})
        for typed, expected in (("", {31, 32}), ("32", {32}), ("ana", {31})):
            self.assertEqual({option.value for option in listed(self.spec, dataset, field, typed).options}, expected)
        self.assertEqual(found_by_text(self.spec, dataset, field, "32", ENGLISH, {}).value, 32)
        for typed, expected in (("=32", [2]), ("big", [1])):
            only = read_filters(dataset, {"crane": typed}, ENGLISH)[0]
            self.assertEqual(
                [row.values[0] for row in Rows.of(self.spec, dataset, filters=only).window(0, 3)], expected
            )
        self.assertEqual(
            {write(item.shown): item.count for item in grouped(rows, "crane")[0]}, {"Big Ana": 1, "32": 1, None: 1}
        )

    def test_a_search_folds_capitals_and_accents_and_puts_what_starts_so_first(self):
        self.assertEqual(self.names("SUL"), (["sul e norte", "Águas do Sul"], False))
        self.assertEqual(self.names("aguas"), (["Águas do Sul"], False))
        self.assertEqual(self.names("0% a"), (["Praia 100% Azul"], False))
        self.assertEqual(self.names("_"), ([], False))
        self.assertEqual(self.names("sul", 1), (["Águas do Sul"], False))
        self.assertEqual(self.names(size=2)[1], True)
        page = [self.names(start=i, size=1)[0][0] for i in range(3)]
        self.assertEqual(sorted(page), sorted(["Águas do Sul", "Praia 100% Azul", "sul e norte"]))

    def test_what_is_typed_finds_its_line_without_guessing(self):
        by_text = lambda typed: found_by_text(self.spec, self.shipment, self.field, typed, ENGLISH, {})  # noqa: E731
        self.assertEqual(by_text("aguas  do SUL").value, 1)
        self.assertIsNone(by_text("sul"))
        self.assertEqual(found_by_start(self.spec, self.shipment, self.field, "sul", {}).value, 3)
        self.place.run("INSERT INTO agent (id, name) VALUES (9, 'Sul Sul')")
        self.assertIsNone(found_by_start(self.spec, self.shipment, self.field, "sul", {}))

    def test_shown_text_comes_with_the_window_and_orders_it(self):
        rows = Rows.of(self.spec, self.shipment, [("agent_id", False)])
        window = rows.window(0, 400)
        shown = [row.shown[0][0] for row in window]
        names = dict(self.place.run("SELECT id, name FROM agent"))
        self.assertEqual(shown, [names[row.values[2]] for row in window])
        runs = [len(list(group)) for _, group in groupby(shown)]
        self.assertEqual(sorted(runs), [133, 133, 134])
        for position in (0, 150, 399):
            self.assertEqual(rows.position(window[position].id), position)
            self.assertEqual(rows.window(position, 1)[0].id, window[position].id)
        back = Rows.of(self.spec, self.shipment, [("agent_id", True)]).window(0, 400)
        self.assertEqual([r.shown[0][0] for r in back], shown[::-1])

    def test_a_list_narrowed_by_the_record(self):
        lookup = replace(self.field.lookup, narrowed="id <= record.pieces + 0 AND name <> 'x:y'")
        dataset = self.with_field("agent_id", lookup=lookup)
        self.assertEqual(self.names(record={"pieces": 1}, dataset=dataset)[0], ["Águas do Sul"])
        self.assertEqual(self.names("sul", record={"pieces": 2}, dataset=dataset)[0], ["Águas do Sul"])
        self.assertEqual(self.names(record={"pieces": None}, dataset=dataset)[0], [])
        field = dataset.by_name["agent_id"]
        offered = [still_offered(self.spec, dataset, field, {"agent_id": 3, "pieces": n}) for n in (2, 3)]
        self.assertEqual(offered, [False, True])
        wrong = self.with_field("agent_id", lookup=replace(lookup, narrowed="id < nothing"))
        with self.assertRaisesRegex(Problem, "no field nothing"):
            self.names(dataset=wrong)

    def test_a_list_of_a_column_that_is_not_unique(self):
        lookup = LookupSpec("shipment", "pieces", ("pieces",), unique=False)
        dataset = self.with_field("chief_id", self.bench("agent").dataset, lookup=lookup)
        self.place.run("UPDATE agent SET chief_id = 1")
        page = listed(self.spec, dataset, dataset.by_name["chief_id"])
        self.assertEqual([option.value for option in page.options], [1])
        self.assertEqual(len(Rows.of(self.spec, dataset).window(0, 10)), 3)

    def test_calculated_fields_over_the_master(self):
        legs = self.bench("Leg of way").dataset
        extra = (
            FieldSpec("heavy", "Heavy", "decimal", formula="master.weight * 2"),
            FieldSpec("sum", "Sum", "whole", formula='COALESCE(master.pieces, 100) + "order"'),
            FieldSpec("coded", "Coded", "text", formula="UPPER(master.code) || '!'"),
        )
        legs = replace(legs, extra=extra)
        known = tuple(ColumnSpec(f.name, f.kind, f.storage) for f in self.shipment.fields)
        waits_for = replace(legs, master=DetailSpec("master", "shipment", ("shipment_id",), ("id",), known))
        self.place.run("UPDATE shipment SET pieces = 7, weight = 12.5, code = 'ab' WHERE id = 1")
        order = [("heavy", True), ("sum", True), ("coded", False)]
        calculated = [row.extra for row in Rows.of(self.spec, waits_for, order).window(0, 5)]
        self.assertEqual([(Decimal(str(h)), int(s), c) for h, s, c in calculated], [(25, n, "AB!") for n in (10, 9, 8)])
        alone = [row.extra for row in Rows.of(self.spec, legs, order).window(0, 5)]
        self.assertEqual([(h, int(s), c) for h, s, c in alone], [(None, n, None) for n in (103, 102, 101)])

    def test_a_list_of_a_query(self):
        query = "SELECT a.id AS agent_no, '10:30 ' || a.name AS said, count(*) AS n FROM agent a JOIN shipment s ON s.agent_id = a.id WHERE a.id < 3 GROUP BY a.id, a.name"
        if self.kind == "mariadb":
            query = query.replace("'10:30 ' || a.name", "concat('10:30 ', a.name)")
        columns = (ColumnSpec("agent_no", "whole"), ColumnSpec("said", "text"), ColumnSpec("n", "whole"))
        lookup = LookupSpec("Busy agents", "agent_no", ("said",), columns, unique=False, name="busy", query=query)
        dataset = self.with_field("agent_id", lookup=replace(lookup, narrowed="n > record.pieces * 0 + 100"))
        self.assertEqual(self.names("AGUAS", record={"pieces": 1}, dataset=dataset)[0], ["10:30 Águas do Sul"])
        self.assertEqual(self.names(record={"pieces": None}, dataset=dataset)[0], [])
        field = dataset.by_name["agent_id"]
        self.assertTrue(still_offered(self.spec, dataset, field, {"agent_id": 2, "pieces": 1}))
        self.assertFalse(still_offered(self.spec, dataset, field, {"agent_id": 3, "pieces": 1}))
        self.assertEqual(shown_for(self.spec, field, [{"agent_id": 1}]), {(1,): ("10:30 Águas do Sul", 1)})
        rows = Rows.of(self.spec, dataset, [("agent_id", False)]).window(0, 400)
        self.assertEqual({(r.values[2], r.shown[0][0]) for r in rows}, {(1, "10:30 Águas do Sul"), (2, "10:30 Praia 100% Azul"), (3, None)})  # fmt: skip
        self.assertEqual(related_rows(self.spec, dataset, ["busy.n"], [{"agent_id": 1}])[0], {"busy.n": 133})

    def test_a_reference_over_two_columns(self):
        self.place.run(
            'CREATE TABLE visit (id INTEGER PRIMARY KEY, ship INTEGER, leg INTEGER, FOREIGN KEY (ship, leg) REFERENCES "Leg of way" (shipment_id, "order"))'
            if self.kind != "mariadb"
            else "CREATE TABLE visit (id INTEGER PRIMARY KEY, ship INTEGER, leg INTEGER, FOREIGN KEY (ship, leg) REFERENCES `Leg of way` (shipment_id, `order`))"
        )
        self.place.run("INSERT INTO visit VALUES (1, 1, 2), (2, 1, NULL)")
        dataset = self.bench("visit").dataset
        field = dataset.by_name["leg"]
        self.assertEqual((field.lookup.also, field.lookup.shows), ((("ship", "shipment_id"),), ("place",)))
        page = listed(self.spec, dataset, field, "quay 3")
        self.assertEqual([(o.value, dict(o.also)) for o in page.options], [(3, {"ship": 1})])
        shown = [
            row.shown[list(dataset.looked_up).index(field.lookup.name)]
            for row in Rows.of(self.spec, dataset).window(0, 2)
        ]
        self.assertEqual(shown, [("Quay 2",), (None,)])
        self.assertEqual(shown_for(self.spec, field, [{"ship": 1, "leg": 3}]), {(3, 1): ("Quay 3",)})

    def test_calculated_fields_are_the_same_on_the_server_and_here(self):
        extra = (
            FieldSpec("each", "Each", "decimal", formula="weight / pieces"),
            FieldSpec("double_each", "Double", "decimal", formula="each * 2"),
            FieldSpec("who", "Who", "text", formula="COALESCE(agent.name, '?') || ' ' || code"),
            FieldSpec("legs", "Legs", "whole", formula='count("Leg of way"."order")'),
        )
        toned = self.with_field("weight", conditional_formats=(("weight > 50", "alarm"), ("weight > 20", "watch")))
        dataset = replace(toned, extra=extra + tone_fields(toned.fields), details=self.shipment.details)
        computed = RecordRules(dataset).computed
        rows = Rows.of(self.spec, dataset).window(0, 60)
        records = [dict(zip(dataset.by_name, row.values, strict=True)) for row in rows]
        related = related_rows(self.spec, dataset, computed.related, records)
        for row, record, met in zip(rows, records, related, strict=True):
            here = computed.calculated(computed.values(record, met))
            for field, there in zip(dataset.extra, row.extra, strict=True):
                ours = here[field.name]
                if isinstance(there, float | Decimal) and ours is not None:
                    self.assertAlmostEqual(float(there), float(ours), 6, (field.name, record))
                else:
                    self.assertEqual(there, ours, (field.name, record))
        self.assertEqual([row.extra[3] for row in rows[:2]], [3, 0])
        self.assertEqual([tone for _, _, tone in tones_of(dataset)], ["alarm", "watch"])
        ordered = Rows.of(self.spec, dataset, [("who", False)]).window(0, 400)
        self.assertEqual(len({row.id for row in ordered}), 400)

    def test_what_can_not_be_computed_is_a_sentence(self):
        looped = (FieldSpec("a", "A", "whole", formula="b + 1"), FieldSpec("b", "B", "whole", formula="a + 1"))
        extra = (FieldSpec("each", "Each", "decimal", formula="weight / (pieces - 1)"), *looped)
        computed = RecordRules(replace(self.shipment, extra=extra)).computed
        made = computed.calculated(computed.values({"weight": Decimal(5), "pieces": 1}))
        self.assertIsInstance(made["each"], ExpressionError)
        self.assertIn("zero", str(made["each"]))
        self.assertIn("calculated from itself", str(made["a"]))

    def test_a_dataset_of_the_rows_that_fulfil_a_condition(self):
        condition = "agent.name <> 'sul e norte' AND weight > 50"
        sql = "FROM shipment s JOIN agent a ON a.id = s.agent_id WHERE a.name <> 'sul e norte' AND s.weight > 50"
        dataset = replace(self.shipment, row_condition=condition, sorted_by=(("agent_id", False), ("weight", True)))
        rows = Rows.of(self.spec, dataset)
        some = self.place.run(f"SELECT s.id {sql}")
        self.assertEqual(rows.count(), len(some))
        ids = [row.values[0] for start in range(0, len(some), 50) for row in rows.window(start, 50)]
        self.assertEqual(sorted(ids), sorted(value for (value,) in some))
        names = [row.shown[0][0] for row in rows.window(0, len(some))]
        self.assertEqual([name for name, _ in groupby(names)], list(dict.fromkeys(names)))
        self.assertEqual(rows.position(f"i{ids[70]}"), 70)
        self.assertEqual(totals(rows, [Total("id", "count")], [])[0], len(some))
        self.assertEqual(sum(item.count for item in grouped(rows, "agent_id")[0]), len(some))

    def test_a_misspelt_name_is_told_with_the_one_that_may_be_meant(self):
        for text, told in (
            ("wieght > 1", "no field wieght. Is weight meant?"),
            ("agent.nmae = 'x'", "agent has no column nmae. Is name meant?"),
            ("agents.name = 'x'", "no agents to take name from. Is agent meant?"),
            ('sum("Leg of way".oder) > 1', "Leg of way has no column oder. Is order meant?"),
        ):
            self.assertIn(told, expression_fault(self.shipment, text))
        self.assertEqual(expression_fault(self.shipment, "AGENT.Name = 'x' AND count(\"leg OF way\".PLACE) > 0"), "")

    def test_rules_over_looked_up_records_and_details(self):
        rules = (
            RuleSpec("agent.name <> 'sul e norte'", message="{agent.name} takes no goods."),
            RuleSpec('count("Leg of way"."order") <= pieces', message="{count(Leg of way.order)} legs for {pieces}."),
        )
        dataset = replace(self.shipment, rules=rules)
        checked = RecordRules(dataset)
        records = [{"agent_id": 3, "pieces": 1, "id": 2}, {"agent_id": 1, "pieces": 2, "id": 1}]
        related = related_rows(self.spec, dataset, checked.related, records)
        told = [
            checked.complaints(r, frozenset({"agent_id", "pieces"}), False, o)
            for r, o in zip(records, related, strict=True)
        ]
        self.assertEqual(
            [[c.sentence for c in item] for item in told], [["sul e norte takes no goods."], ["3 legs for 2."]]
        )
        self.assertEqual(told[0][0].fields, ("agent_id",))
        broken = broken_rows(self.spec, dataset, rules[0])
        self.assertEqual(broken.count, len(self.place.run("SELECT id FROM shipment WHERE agent_id = 3")))

    def test_required_and_read_only_when(self):
        dataset = self.with_field("remarks", required_when="weight > 90", read_only_when="pieces = 2")
        checked = RecordRules(dataset)
        heavy = {"weight": Decimal(95), "pieces": 2, "remarks": None}
        told = checked.complaints(heavy, frozenset({"weight"}), False)
        self.assertEqual([c.sentence for c in told], ["Remarks needs a value."])
        self.assertEqual(checked.complaints({**heavy, "weight": None}, frozenset({"weight"}), False), [])
        self.assertEqual(checked.computed.locked(checked.computed.values(heavy)), {"remarks"})
        started = RecordRules(self.with_field("pieces", initial="1 + 1")).computed.starting()
        self.assertEqual(started, {"pieces": 2})


on_each_server(globals(), Looking)
