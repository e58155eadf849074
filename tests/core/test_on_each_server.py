"""One behaviour on every server: the same tests, unchanged, on SQLite, PostgreSQL and MariaDB."""

from __future__ import annotations

import datetime
from dataclasses import replace
from decimal import Decimal
from unittest import mock

from sqlalchemy import select, text

from enlace.core.dataset import anchor_building, anchor_ranges, anchors
from enlace.core.dataset.empty_order import EMPTY, with_empties, without_empties
from enlace.core.dataset.filters import Written, read_filters
from enlace.core.dataset.order import order_by
from enlace.core.dataset.window import Rows
from enlace.core.draft.conflicts import resolved
from enlace.core.draft.pending import removed, with_text
from enlace.core.expression import Expression
from enlace.core.expression.own import OWN, OwnFunction
from enlace.core.problem import Problem
from enlace.core.save import rehearse, save
from enlace.core.server import Catalog, run_step, step_names
from enlace.core.server.dialects import server_kind
from enlace.core.server.engine import one_snapshot, reading, writing
from tests.harbour import ENGLISH, Bench, forget
from tests.servers import OnServer, on_each_server


class Behaviour(OnServer):
    def setUp(self):
        super().setUp()
        self.shipments = self.bench("shipment")

    def save(self, *records, bench=None, **how):
        return save(self.spec, (bench or self.shipments).dataset, records, **how)

    def told(self, *records, bench=None):
        """The one refusal of a save: (sentence, fields)."""
        outcome = self.save(*records, bench=bench)
        self.assertFalse(outcome.committed)
        ((complaint,),) = outcome.refusals.values()
        return complaint.sentence, complaint.fields

    # -- one answer, one state ---------------------------------------------------------------------------

    def test_what_is_read_for_one_answer_is_of_one_state(self):
        if self.kind == "sqlite":
            self.place.run("PRAGMA journal_mode = WAL")  # a writer would wait for the reader otherwise
        rows = Rows.of(self.spec, self.shipments.dataset, filters=(Written("weight > 0"),))

        def counted():
            with reading(self.spec) as connection:
                return connection.execute(text("SELECT count(*) FROM shipment")).scalar()

        with one_snapshot():
            before = counted()
            self.place.run("DELETE FROM shipment WHERE id = 7")
            self.assertEqual(counted(), before)
            with self.assertRaises(Problem), reading(self.spec) as connection:
                connection.execute(text("SELECT no_such_column FROM shipment"))
            self.assertEqual(counted(), before)  # what fails ends nothing
            self.assertTrue(rows.window(0, 5))
            with writing(self.spec) as connection:
                connection.execute(text("DELETE FROM shipment WHERE id = 8"))
            self.assertEqual(counted(), before - 2)  # one's own act is seen
        self.assertEqual(counted(), before - 2)

    # -- functions of a developer's own -------------------------------------------------------------------

    def test_a_function_of_one_s_own_gives_the_same_here_and_there(self):
        OWN["end_of"] = OwnFunction(
            "end_of", ("text", "whole"), "text", lambda text, count: text[-count:],
            lambda server, sql: f"RIGHT({sql[0]}, {sql[1]})" if server != "sqlite" else f"SUBSTR({sql[0]}, -{sql[1]})",
        )  # fmt: skip
        self.addCleanup(OWN.pop, "end_of")
        dataset = self.shipments.dataset
        written = "end_of(code, 1) IN ('1', '3') OR end_of(code, NULLIF(agent_id, 1)) IS NULL AND weight > 50"
        rows = Rows.of(self.spec, dataset, filters=(Written(written),))
        names = [field.name for field in dataset.fields]
        everything = [dict(zip(names, row.values, strict=True)) for row in Rows.of(self.spec, dataset).window(0, 1000)]
        expression = Expression(written, names)
        here = [record["code"] for record in everything if expression(record)]
        there = [row.values[names.index("code")] for row in rows.window(0, 1000)]
        self.assertEqual(here, there)
        self.assertTrue(0 < len(here) < len(everything), here)

    # -- connecting and looking around ----------------------------------------------------------------

    def test_every_step_of_the_test_passes(self):
        for number, _ in enumerate(step_names(self.spec)):
            outcome = run_step(self.spec, number)
            self.assertTrue(outcome.ok, outcome)
        self.assertIn(outcome.found[:3], ("Yes",))

    def test_where_a_list_may_lead(self):
        self.place.run("CREATE VIEW heavy AS SELECT id, code FROM shipment WHERE weight > 90")
        self.place.run("CREATE UNIQUE INDEX two ON agent (name, chief_id)")
        wanted = [
            ("agent", "id"),
            ("agent", "name"),
            ("shipment", "id"),
            ("shipment", "code"),
            ("heavy", "id"),
            ("heavy", "code"),
        ]
        self.assertEqual(Catalog.of(self.spec).single_keys(), wanted)

    def test_catalog(self):
        table = Catalog.of(self.spec).table("shipment")
        self.assertEqual(table.key, ("id",))
        self.assertTrue(table.column("id").numbered)
        self.assertEqual(
            [(r.columns, r.target, r.target_columns) for r in table.references], [(("agent_id",), "agent", ("id",))]
        )
        self.assertEqual([r.table for r in table.referenced_by], ["Leg of way"])
        self.assertIn(("code",), [unique.columns for unique in table.uniques])
        self.assertEqual(
            [self.shipments.dataset.by_name[n].required for n in ("code", "weight", "id")], [True, False, False]
        )
        kinds = [f.kind for f in self.shipments.dataset.fields]
        self.assertEqual(kinds, ["whole", "text", "whole", "decimal", "whole", "date", "time", "datetime", "longtext"])
        code, weight = self.shipments.dataset.by_name["code"], self.shipments.dataset.by_name["weight"]
        self.assertEqual((code.length, weight.precision, weight.scale), (12, 9, 3))

    def test_views_that_are_kept_and_views_that_are_broken(self):
        self.place.run("CREATE TABLE doomed (x INTEGER)")
        self.place.run("CREATE VIEW calls AS SELECT id, code FROM shipment")
        if self.kind == "postgresql":  # it lets no table go that a view needs
            self.place.run("CREATE MATERIALIZED VIEW kept AS SELECT id, code FROM shipment")
            self.assertEqual(Bench(self.spec, "kept").rows.count(), 400)
        else:
            self.place.run("CREATE VIEW broken AS SELECT x FROM doomed")
            self.place.run("DROP TABLE doomed")
            with self.assertRaisesRegex(Problem, "can't say what columns “broken” has"):
                Catalog.of(self.spec).table("broken")
        self.assertEqual(len(Catalog.of(self.spec).views), 2)
        self.assertIn(("calls", "id"), Catalog.of(self.spec).single_keys())
        self.assertIn("code", Bench(self.spec, "calls").dataset.by_name)

    def test_indexes(self):
        self.place.run("CREATE INDEX odd_one ON shipment (day, weight)")
        indexes = Catalog.of(self.spec).indexes("shipment")
        self.assertLessEqual({("id",), ("code",), ("day", "weight")}, set(indexes))
        self.assertNotIn(("weight",), indexes)

    def test_the_catalog_follows_a_changed_table(self):
        Catalog.of(self.spec).table("agent")
        self.place.run("ALTER TABLE agent ADD COLUMN phone VARCHAR(20)")
        self.assertEqual([c.name for c in Catalog.of(self.spec).table("agent").columns][-1], "phone")
        with self.assertRaisesRegex(Problem, "agent"):
            Catalog.of(self.spec).table("Agent ")

    def test_windows_are_the_servers_order(self):
        for down in (False, True):
            rows = Rows.of(self.spec, self.shipments.dataset, [("weight", down)])
            way = "DESC" if down else "ASC"
            whole = [r[0] for r in self.place.run(f"SELECT id FROM shipment ORDER BY weight {way}, id {way}")]
            with mock.patch.object(anchors, "LEAST_STEP", 16):
                for start in (0, 37, 200, 390, 399, 140):
                    ids = [int(row.id[1:]) for row in rows.window(start, 25)]
                    self.assertEqual(ids, whole[start : start + 25], (down, start))
            self.assertEqual(rows.position(f"i{whole[57]}"), 57)
        self.assertEqual(self.shipments.rows.count(), 400)
        self.place.run("DELETE FROM shipment WHERE id = 400")
        self.assertEqual(self.shipments.rows.count(), 399)

    def test_the_empty_ones_first_or_last_on_every_server(self):
        self.place.run("ALTER TABLE shipment ADD COLUMN quay VARCHAR(20)")
        self.place.run("UPDATE shipment SET quay = CASE id % 5 WHEN 0 THEN NULL WHEN 1 THEN '' ELSE code END")
        dataset = self.bench("shipment").dataset
        for name in ("weight", "quay"):  # an empty text is a value to a server and none to people
            stored = {
                r[0]: r[1]
                for r in self.place.run(f"SELECT id, {name} FROM shipment WHERE {name} IS NOT NULL")
                if r[1] != ""
            }
            for down in (False, True):
                way = "DESC" if down else "ASC"
                filled = [
                    r[0]
                    for r in self.place.run(f"SELECT id FROM shipment ORDER BY {name} {way}, id {way}")
                    if r[0] in stored
                ]
                for first in (False, True):
                    terms = [(name + EMPTY, first), (name, down)]
                    rows = with_empties(Rows.of(self.spec, dataset, without_empties(terms, dataset)), terms)
                    with mock.patch.object(anchors, "LEAST_STEP", 16):
                        ids = [int(row.id[1:]) for start in range(0, 400, 40) for row in rows.window(start, 40)]
                        self.assertEqual([i for i in ids if i in stored], filled, (name, down, first))
                        empty = [i for i in ids if i not in stored]
                        self.assertEqual(ids, empty + filled if first else filled + empty)
                        self.assertEqual({rows.position(f"i{ids[n]}") for n in (3, 57, 399)}, {3, 57, 399})

    def test_anchors_are_read_in_stretches_and_go_on_where_they_were(self):
        count, whole = 400, [(r[0],) for r in self.place.run("SELECT id FROM shipment ORDER BY id")]
        codes = [(r[0], r[1]) for r in self.place.run("SELECT code, id FROM shipment ORDER BY code DESC, id DESC")]
        for wanted, expected in (((), whole), ((("code", True),), codes)):
            rows = Rows.of(self.spec, self.shipments.dataset, wanted)._as_ordered()
            at_once = anchor_building.every(rows, 16, count).anchors
            self.assertEqual(at_once, expected[::16])
            serves = server_kind(self.spec.kind).seeks_rows
            self.assertEqual(anchor_building._index_serves(rows), serves)
            for stretch in (16, 37, 100, 399):
                with mock.patch.object(anchor_building, "STRETCH", stretch):
                    self.assertEqual(anchor_building.every(rows, 16, count).anchors, at_once, (wanted, stretch))
            if not serves:
                continue
            name = "_go_on_here" if self.spec.kind == "sqlite" else "_go_on_there"
            real, calls = getattr(anchor_building, name), []

            def breaking(rows, part, size, real=real, calls=calls):
                calls.append(part.rows)
                if len(calls) == 3:
                    raise Problem("That took too long.", "", code="slow")
                return real(rows, part, size)

            with mock.patch.object(anchor_building, "STRETCH", 100), mock.patch.object(anchor_building, name, breaking):
                with self.assertRaises(Problem):
                    anchor_building.every(rows, 16, count)
                self.assertEqual(anchor_building.gone_through(rows), 200)
                near = anchor_building.nearest(rows, 390)
                self.assertEqual((near.position, near.place), (192, expected[192]))
                self.assertEqual(anchor_building.every(rows, 16, count).anchors, at_once)
            self.assertEqual(calls, [0, 100, 200, 200, 300, 400][: len(calls)])
            self.assertIsNone(anchor_building.nearest(rows, 390))
            self.assertEqual(self.begun_in_another_state(rows, name, drifts=False), ("now", 0))
            self.assertEqual(self.begun_in_another_state(rows, name, drifts=True), (None, 200))

    def test_anchors_that_no_index_serves_are_read_range_by_range(self):
        """In a file always; on a server where one pass takes too long. A range that does is split further."""
        count = 400
        in_file = self.spec.kind == "sqlite"
        name = "_read_here" if in_file else "_read_there"
        real, passes = getattr(anchor_ranges, name), []

        def slow_in_one(rows, part, size):
            passes.append(size)
            raise Problem("That took too long.", "", code="slow")

        for terms in ([("weight", False), ("quay", False)], [("weight", True), ("quay", False)], [("day", True)]):
            rows = Rows.of(self.spec, self.shipments.dataset, terms)._as_ordered()
            self.assertFalse(anchor_building._index_serves(rows))
            expected = [self._place(rows, at) for at in range(0, count, 16)]
            self.assertEqual(anchor_building.every(rows, 16, count).anchors, expected)
            sizes, broken = [], []

            def read(rows, part, condition, sizes=sizes, broken=broken):
                found, seen = real(rows, part, condition)
                if len(sizes) == 2 and not broken:
                    broken.append(seen)
                    self.assertEqual(anchor_building.gone_through(rows), sum(sizes))
                    raise Problem("That took too long.", "", code="slow")
                sizes.append(seen)
                return found, seen

            with (
                mock.patch.object(anchor_building, "STRETCH", 80),
                mock.patch.object(anchor_building, "_go_on_there", slow_in_one),
                mock.patch.object(anchor_ranges, name, read),
            ):
                for _ in range(2):  # the second time a server is known not to do it in one
                    self.assertEqual(anchor_building.every(rows, 16, count).anchors, expected, terms)
            self.assertEqual(sum(sizes), 2 * count)
            self.assertTrue(broken and len(sizes) > 10, sizes)
        self.assertEqual(passes, [] if in_file else [None] * 3)

    @staticmethod
    def _place(rows, at):
        """The place of a row in an order, by plain SQL."""
        asked = select(*(rows.source.c[part.column] for part in rows.order)).select_from(rows.base())
        with reading(rows.spec) as connection:
            ordered = asked.order_by(*order_by(rows.source, rows.order)).limit(1).offset(at)
            return tuple(connection.execute(ordered).one())

    def begun_in_another_state(self, rows, name, drifts):
        """What anchors are of that broke off before somebody changed the table, and how many rows were not read again."""
        real, calls = getattr(anchor_building, name), []

        def breaking(rows, part, size):
            calls.append(part.rows)
            if len(calls) == 3:
                raise Problem("That took too long.", "", code="slow")
            return real(rows, part, size)

        with mock.patch.object(anchor_building, "STRETCH", 100), mock.patch.object(anchor_building, name, breaking):
            with self.assertRaises(Problem):
                anchor_building.every(rows, 16, 400, "before", drifts)
            read = anchor_building.every(rows, 16, 400, "now", drifts)
        self.assertEqual(len(read.anchors), 25)
        return read.stamp, calls[3]

    # -- saving -----------------------------------------------------------------------------------------

    def test_edited_new_and_removed(self):
        edited = self.shipments.edit(
            "i2", weight="12.5", day="2026-03-31", clock="14:05", at="2026-03-31 14:05:30", remarks="ä\n€"
        )
        new = self.new(self.shipments, code="NEW", agent_id="2")
        gone = removed(self.shipments.read("i3"))
        outcome = self.save(edited, new, gone)
        self.assertTrue(outcome.committed, outcome)
        number = int(outcome.ids[new.id][1:])
        self.assertEqual(
            self.place.run("SELECT code, agent_id, weight, pieces FROM shipment WHERE id = :n", n=number),
            [("NEW", 2, None, 1)],
        )
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE id = 3"), [(0,)])
        row = dict(zip([f.name for f in self.shipments.dataset.fields], self.shipments.rows.row("i2"), strict=True))
        fields = self.shipments.dataset.by_name
        from enlace.core.kinds import KINDS

        read = {name: KINDS[fields[name].kind].read(value, fields[name]) for name, value in row.items()}
        self.assertEqual(
            (read["weight"], read["day"], read["clock"], read["at"], read["remarks"]),
            (Decimal("12.5"), datetime.date(2026, 3, 31), datetime.time(14, 5),
             datetime.datetime(2026, 3, 31, 14, 5, 30), "ä\n€"),
        )  # fmt: skip

    def test_many_new_records_get_their_own_keys(self):
        records = [self.new(self.shipments, code=f"N{n}", agent_id="1") for n in range(50)]
        outcome = self.save(*records)
        ids = dict(self.place.run("SELECT id, code FROM shipment WHERE code LIKE 'N%'"))
        self.assertEqual([ids[int(outcome.ids[r.id][1:])] for r in records], [f"N{n}" for n in range(50)])

    def test_changed_and_removed_behind_ones_back(self):
        edited, gone = self.shipments.edit("i2", code="MINE"), self.shipments.edit("i5", code="X")
        untouched = self.shipments.edit("i6", code="FINE")
        self.place.run("UPDATE shipment SET code = 'THEIRS' WHERE id = 2")
        self.place.run("UPDATE shipment SET pieces = 9 WHERE id = 6")  # another field: no conflict
        self.place.run("DELETE FROM shipment WHERE id = 5")
        outcome = self.save(edited, gone, untouched)
        self.assertFalse(outcome.committed)
        self.assertEqual(set(outcome.conflicts), {"i2", "i5"})
        self.assertEqual(outcome.conflicts["i2"].theirs["code"], "THEIRS")
        self.assertIsNone(outcome.conflicts["i5"].theirs)
        mine = resolved(self.shipments.dataset, replace(edited, conflict=outcome.conflicts["i2"]), [])
        self.assertTrue(self.save(mine, untouched).committed)
        self.assertEqual(self.place.run("SELECT code, pieces FROM shipment WHERE id IN (2, 6) ORDER BY id"),
                         [("MINE", 1), ("FINE", 9)])  # fmt: skip

    def test_capitals_and_blanks_of_others_are_changes(self):
        edited = self.shipments.edit("i2", code="MINE")
        self.place.run("UPDATE shipment SET code = 's-002' WHERE id = 2")
        self.assertEqual(set(self.save(edited).conflicts), {"i2"})

    def test_refusals_in_words(self):
        self.assertEqual(self.told(self.shipments.edit("i2", code="S-003"))[1], ("code",))
        sentence, fields = self.told(self.shipments.edit("i2", agent_id="77"))
        self.assertEqual((sentence[:17], fields), ("There is no 77 in", ("agent_id",)))
        sentence, _ = self.told(removed(self.shipments.read("i1")))
        self.assertIn("3 rows of Leg of way", sentence)
        self.assertEqual(self.told(self.shipments.edit("i2", weight="-1"))[1], ("weight",))
        nothing = replace(self.shipments.read("i2"), now={"code": None})
        self.assertEqual(self.told(nothing), ("Code needs a value.", ("code",)))
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment"), [(400,)])

    def test_all_refusals_of_a_save_are_told_at_once(self):
        outcome = self.save(
            self.shipments.edit("i2", code="S-003"), self.shipments.edit("i4", weight="-1"), self.shipments.edit("i5", code="OK"),
            self.new(self.shipments, code="S-006", agent_id="1"),
        )  # fmt: skip
        self.assertEqual(len(outcome.refusals), 3)
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = 'OK'"), [(0,)])

    def test_rehearsed(self):
        new = self.new(self.shipments, code="R", agent_id="1")
        outcome = rehearse(self.spec, self.shipments.dataset, [self.shipments.edit("i2", code="R2"), new])
        self.assertEqual(outcome.rows[new.id]["pieces"], 1)
        self.assertEqual(outcome.rows["i2"]["code"], "R2")
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code LIKE 'R%'"), [(0,)])

    def test_keys_of_two_columns_with_odd_names(self):
        legs = self.bench("Leg of way")
        ids = [row.id for row in legs.rows.window(0, 9)]
        edited = legs.edit(ids[0], order="9", place="Moved")
        outcome = self.save(edited, removed(legs.read(ids[1])), bench=legs)
        self.assertTrue(outcome.committed, outcome)
        self.assertEqual(list(legs.rows.whole_rows([outcome.ids[ids[0]]]).values()), [(1, 9, "Moved")])
        self.assertEqual(legs.rows.count(), 2)

    def test_empty_text_and_null_differ(self):
        remarks = self.shipments.dataset.by_name["remarks"]
        record = replace(self.shipments.read("i2"), now={"remarks": ""})
        self.assertTrue(self.save(record).committed)
        self.assertEqual(
            self.place.run("SELECT remarks FROM shipment WHERE id IN (2, 4) ORDER BY id"), [("",), (None,)]
        )
        back = with_text(self.shipments.read("i2"), remarks, "", ENGLISH)
        self.assertEqual(dict(back.now), {"remarks": None})

    def test_a_lock_that_lasts_is_told(self):
        record = self.shipments.edit("i2", code="MINE")
        with self.place.engine.connect() as db:
            db.execute(text("UPDATE shipment SET pieces = 3 WHERE id = 2"))
            with self.assertRaises(Problem) as caught:
                self.save(record)
            self.assertEqual(caught.exception.code, "locked")
            db.rollback()
        self.assertTrue(self.save(record).committed)

    def test_a_connection_that_died_is_remade(self):
        if self.kind == "sqlite":
            forget()
        elif self.kind == "postgresql":
            self.place.run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'Enlace'")
        else:
            for (number,) in self.place.run(
                "SELECT id FROM information_schema.processlist WHERE db = database() AND id <> connection_id()"
            ):
                self.place.run(f"KILL {number}")
        self.assertEqual(len(self.shipments.rows.window(0, 5)), 5)
        self.assertTrue(self.save(self.shipments.edit("i2", code="AGAIN")).committed)


on_each_server(globals(), Behaviour)


class Singles(OnServer):
    """Numbers of single precision: 1.1 is another number as a double, and is what people see."""

    def prepare(self):
        kind = {"postgresql": "real", "mariadb": "FLOAT"}[self.kind]
        self.place.run(f"CREATE TABLE gauge (id INTEGER PRIMARY KEY, level {kind})")
        self.place.run("INSERT INTO gauge VALUES " + ", ".join(f"({n}, {n % 7 + 0.1})" for n in range(1, 22)))

    def test_they_are_found_where_they_stand(self):
        dataset = self.bench("gauge").dataset
        for down in (False, True):
            rows = Rows.of(self.spec, dataset, (("level", down),))
            several = [row.id for row in rows.window(0, 50)]
            self.assertEqual([rows.position(one) for one in several], list(range(21)))
            self.assertEqual([r.id for start in range(0, 21, 4) for r in rows.window(start, 4)], several)

    def test_they_are_asked_for_as_they_are_shown(self):
        dataset = self.bench("gauge").dataset
        for said, count in (
            ("1.1", 3),
            ("==1.1", 3),
            (">1.1", 15),
            (">=1.1", 18),
            ("<1.1", 3),
            ("1.1..2.1", 6),
            ("<>1.1", 18),
        ):
            filters, wrong = read_filters(dataset, {"level": said}, ENGLISH)
            self.assertFalse(wrong)
            self.assertEqual(Rows.of(self.spec, dataset, filters=filters).count(), count, said)


class OddTypes(OnServer):
    """Types whose values PostgreSQL compares with nothing."""

    def prepare(self):
        self.place.run("CREATE TYPE pair AS (a integer, b text)")
        self.place.run("CREATE TABLE odd (id integer PRIMARY KEY, x xml, p point, q pair, j json, ip inet)")
        self.place.run(
            """INSERT INTO odd VALUES (1, '<a/>', '(1,2)', '(1,x)', '{"a":  1}', '10.0.0.1'), (2, NULL, NULL, NULL, NULL, NULL)"""
        )

    def test_they_are_shown_edited_and_told_as_changed(self):
        bench = self.bench("odd")
        self.assertEqual([bench.dataset.by_name[n].kind for n in "xpqj"], ["longtext"] * 4)
        self.assertEqual(bench.rows.window(0, 1)[0].values, (1, "<a/>", "(1,2)", "(1,x)", '{"a":  1}', "10.0.0.1"))
        mine = bench.edit("i1", x="<mine/>", j='{"a": 2}', ip="10.0.0.2")
        late = bench.edit("i1", x="<late/>")
        self.assertTrue(save(self.spec, bench.dataset, [mine]).committed)
        self.assertEqual(
            self.place.run("SELECT x::text, j::text, ip::text FROM odd WHERE id = 1"),
            [("<mine/>", '{"a": 2}', "10.0.0.2/32")],
        )
        self.assertEqual(list(save(self.spec, bench.dataset, [late]).conflicts), ["i1"])


on_each_server(globals(), Singles, servers=("postgresql", "mariadb"))
on_each_server(globals(), OddTypes, servers=("postgresql",))
