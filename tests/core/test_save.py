"""Saves: one transaction, checked against what was read, refused in sentences."""

import sqlite3
import unittest

from enlace.core.draft.pending import new_record, removed, with_text
from enlace.core.problem import Problem
from enlace.core.save import save
from tests.harbour import ENGLISH, Bench, ask, harbour_copy, made

from enlace.core.server import ConnectionSpec  # isort: skip


class Saves(unittest.TestCase):
    def setUp(self):
        self.spec = ConnectionSpec.of("sqlite", path=str(harbour_copy()))

    def bench(self, table) -> Bench:
        return Bench(self.spec, table)

    def new(self, bench, **texts):
        record = new_record()
        for name, text in texts.items():
            record = with_text(record, bench.dataset.by_name[name], text, ENGLISH)
        return record

    def refusal(self, bench, *records) -> str:
        before = ask(self.spec, f'SELECT * FROM "{bench.dataset.table}"')
        outcome = save(self.spec, bench.dataset, records)
        self.assertFalse(outcome.committed)
        self.assertEqual(ask(self.spec, f'SELECT * FROM "{bench.dataset.table}"'), before)
        (complaints,) = outcome.refusals.values()
        return f"{complaints[0].sentence} {complaints[0].fields}"

    def test_update_writes_the_edited_columns_only(self):
        """Watched from inside: a trigger notes which columns the statement assigned."""
        with sqlite3.connect(self.spec["path"]) as db:
            db.execute("CREATE TABLE heard (what TEXT)")
            for name in ("name", "flag", "beam_m"):
                db.execute(
                    f"CREATE TRIGGER t_{name} AFTER UPDATE OF {name} ON vessel BEGIN INSERT INTO heard VALUES ('{name}'); END"
                )
        bench = self.bench("vessel")
        self.assertTrue(save(self.spec, bench.dataset, [bench.edit("i3", flag="MT")]).committed)
        self.assertEqual(ask(self.spec, "SELECT * FROM heard"), [("flag",)])

    def test_insert_gives_the_key_back_and_defaults_are_the_servers(self):
        bench = self.bench("vessel")
        record = self.new(bench, imo_no="9074729", name="Prova", vessel_type_code="TUG")
        outcome = save(self.spec, bench.dataset, [record])
        self.assertEqual(outcome.ids, {record.id: "i41"})
        row = ask(self.spec, "SELECT imo_no, name, in_service, version, beam_m FROM vessel WHERE id = 41")
        self.assertEqual(row, [("9074729", "Prova", 1, 1, None)])

    def test_composite_and_natural_keys(self):
        shifts = self.bench("pilot_shift")
        row = shifts.rows.window(5, 1)[0]
        self.assertTrue(save(self.spec, shifts.dataset, [shifts.edit(row.id, ends="23:45")]).committed)
        self.assertEqual(
            ask(self.spec, "SELECT ends FROM pilot_shift WHERE pilot_id = ? AND day = ?", *row.values[:2]), [("23:45",)]
        )
        invoices = self.bench("dues_invoice")
        row = invoices.rows.window(0, 1)[0]
        self.assertIn("/", row.values[0])
        outcome = save(self.spec, invoices.dataset, [invoices.edit(row.id, invoice_no="26/A 'x' k")])
        self.assertEqual(invoices.rows.row(outcome.ids[row.id])[0], "26/A 'x' k")
        self.assertTrue(save(self.spec, invoices.dataset, [removed(invoices.read(outcome.ids[row.id]))]).committed)
        self.assertIsNone(invoices.rows.row(row.id))

    def test_decimals_do_not_pass_through_float(self):
        agents = self.bench("agent")
        save(self.spec, agents.dataset, [agents.edit("i1", credit_limit="1234567890.12")])
        self.assertEqual(
            ask(self.spec, "SELECT credit_limit, typeof(credit_limit) FROM agent WHERE id = 1"),
            [(1234567890.12, "real")],
        )
        save(self.spec, agents.dataset, [agents.edit("i1", credit_limit="70000.00")])
        self.assertEqual(
            ask(self.spec, "SELECT credit_limit, typeof(credit_limit) FROM agent WHERE id = 1"), [(70000, "integer")]
        )

    def test_changed_meanwhile(self):
        bench = self.bench("vessel")
        mine, fine, gone = bench.edit("i1", name="Mine"), bench.edit("i2", name="Fine"), bench.edit("i39", name="Gone")
        removing = removed(bench.read("i4"))
        ask(self.spec, "UPDATE vessel SET name = 'Theirs', flag = 'XX' WHERE id = 1")
        ask(self.spec, "UPDATE vessel SET remarks = 'Look at this' WHERE id = 4")
        ask(self.spec, "PRAGMA foreign_keys = OFF")
        ask(self.spec, "DELETE FROM vessel WHERE id = 39")
        before = ask(self.spec, "SELECT * FROM vessel")
        outcome = save(self.spec, bench.dataset, [mine, fine, gone, removing])
        self.assertFalse(outcome.committed)
        self.assertEqual(set(outcome.conflicts), {"i1", "i39", "i4"})
        self.assertEqual((outcome.conflicts["i1"].theirs["flag"], outcome.conflicts["i39"].theirs), ("XX", None))
        self.assertEqual(ask(self.spec, "SELECT * FROM vessel"), before)

    def test_a_change_of_another_field_is_no_conflict(self):
        bench = self.bench("vessel")
        mine = bench.edit("i1", name="Mine")
        ask(self.spec, "UPDATE vessel SET flag = 'XX' WHERE id = 1")
        self.assertTrue(save(self.spec, bench.dataset, [mine]).committed)
        self.assertEqual(ask(self.spec, "SELECT name, flag FROM vessel WHERE id = 1"), [("Mine", "XX")])

    def test_saving_again_what_is_already_there(self):
        """As after a save whose answer never arrived."""
        bench = self.bench("vessel")
        records = [bench.edit("i1", name="Mine"), removed(self.bench("vessel").read("i2"))]
        ask(self.spec, "DELETE FROM port_call WHERE vessel_id = 2")
        ask(self.spec, "DELETE FROM vessel WHERE id = 2")
        ask(self.spec, "UPDATE vessel SET name = 'Mine' WHERE id = 1")
        version = ask(self.spec, "SELECT version FROM vessel WHERE id = 1")
        self.assertEqual(set(save(self.spec, bench.dataset, records).conflicts), {"i1", "i2"})
        outcome = save(self.spec, bench.dataset, records, in_doubt=True)
        self.assertEqual((outcome.committed, outcome.ids), (True, {"i1": "i1", "i2": ""}))
        self.assertEqual(ask(self.spec, "SELECT version FROM vessel WHERE id = 1"), version)

    def test_new_records_in_doubt_are_not_inserted_twice(self):
        """The evidence is the transaction's: edits of the same draft, or rows with just these values."""
        bench = self.bench("berth")
        item = self.new(bench, code="X1", quay="Test", length_m="10", depth_m="3.5", shore_power="no")
        edited = bench.edit(bench.rows.window(0, 1)[0].id, quay="Moved")
        self.assertTrue(save(self.spec, bench.dataset, [item, edited]).committed)
        for draft in ([item, edited], [item]):
            again = save(self.spec, bench.dataset, draft, in_doubt=True)
            self.assertEqual((again.committed, len(again.ids)), (True, len(draft)))
        self.assertEqual(ask(self.spec, "SELECT count(*) FROM berth WHERE quay = 'Test'"), [(1,)])
        log = self.bench("PilotOrder")
        before = ask(self.spec, 'SELECT count(*) FROM "PilotOrder"')[0][0]
        fresh = self.new(log, **{"from": "A", "to": "B"})
        for _ in range(2):
            self.assertTrue(save(self.spec, log.dataset, [fresh], in_doubt=True).committed)
        self.assertEqual(ask(self.spec, 'SELECT count(*) FROM "PilotOrder"')[0][0], before + 1)

    def test_refusals_in_sentences(self):
        vessel, call = self.bench("vessel"), self.bench("port_call")
        imo = ask(self.spec, "SELECT imo_no FROM vessel WHERE id = 2")[0][0]
        self.assertIn(
            f"already has this IMO no. ({imo}). Choose a different one. ('imo_no',)",
            self.refusal(vessel, vessel.edit("i1", imo_no=imo)),
        )
        self.assertIn("There is no ZZZ in vessel_type", self.refusal(vessel, vessel.edit("i1", vessel_type_code="ZZZ")))
        self.assertIn("rows of port_call still refer to it", self.refusal(vessel, removed(vessel.read("i1"))))
        self.assertIn(
            "Draught (m) must be between 0.5 and 25. ('draught_m',)",
            self.refusal(vessel, vessel.edit("i1", draught_m="99")),
        )
        self.assertIn("needs a value. ('eta',)", self.refusal(call, self.new(call, vessel_id="1", agent_id="1")))
        late = call.edit("i5", etd="1999-01-01 10:00")
        self.assertIn("ETD must be at least ETA. ('eta', 'etd')", self.refusal(call, late))

    def test_all_refusals_at_once(self):
        bench = self.bench("vessel")
        records = [bench.edit(f"i{n}", draught_m="99") for n in range(1, 6)] + [bench.edit("i7", name="Fine")]
        self.assertEqual(len(save(self.spec, bench.dataset, records).refusals), 5)

    def test_read_only_datasets_are_not_saved(self):
        dues = self.bench("unpaid_dues")
        with self.assertRaises(Problem) as caught:
            save(self.spec, dues.dataset, [new_record()])
        self.assertIn("is a view", str(caught.exception))

    def test_a_locked_database_is_said_and_nothing_written(self):
        from enlace.core.server.dialects import sqlite as dialect

        bench = self.bench("vessel")
        record = bench.edit("i1", name="Mine")
        other = sqlite3.connect(self.spec["path"], isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        kept, dialect.WAIT_FOR_LOCK_MS = dialect.WAIT_FOR_LOCK_MS, 50
        from tests.harbour import forget

        try:
            forget()  # so that connections are made with the short wait
            with self.assertRaises(Problem) as caught:
                save(self.spec, bench.dataset, [record])
        finally:
            dialect.WAIT_FOR_LOCK_MS = kept
            other.close()
            forget()
        self.assertEqual(caught.exception.code, "locked")


class Triggers(unittest.TestCase):
    TABLE = "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT)"

    def saved(self, trigger):
        spec = made(self.TABLE, trigger, rows={"t": [(n, "x") for n in range(1, 6)]})
        bench = Bench(spec, "t")
        records = [bench.edit(f"i{n}", a="bad" if n == 3 else "good") for n in range(1, 6)]
        outcome = save(spec, bench.dataset, records)
        self.assertFalse(outcome.committed)
        self.assertEqual(ask(spec, "SELECT DISTINCT a FROM t"), [("x",)])
        return {one: [c.sentence for c in several] for one, several in outcome.refusals.items()}

    def test_a_trigger_that_refuses(self):
        words = self.saved(
            "CREATE TRIGGER n BEFORE UPDATE ON t WHEN new.a = 'bad' BEGIN SELECT RAISE(ABORT, 'Not on Sundays'); END"
        )
        self.assertEqual(list(words), ["i3"])
        self.assertIn("Not on Sundays", words["i3"][0])

    def test_a_trigger_that_ignores(self):
        words = self.saved("CREATE TRIGGER n BEFORE UPDATE ON t WHEN new.a = 'bad' BEGIN SELECT RAISE(IGNORE); END")
        self.assertIn("changed nothing", words["i3"][0])

    def test_a_trigger_that_rolls_everything_back(self):
        """After it the transaction is gone: going on record by record would commit each alone."""
        words = self.saved(
            "CREATE TRIGGER n BEFORE UPDATE ON t WHEN new.a = 'bad' BEGIN SELECT RAISE(ROLLBACK, 'All over'); END"
        )
        self.assertEqual(len(words), 5)
        self.assertIn("All over", words["i1"][0])

    def test_a_reference_that_is_checked_at_commit(self):
        spec = made(
            "CREATE TABLE m (id INTEGER PRIMARY KEY)",
            "CREATE TABLE d (id INTEGER PRIMARY KEY, m INTEGER REFERENCES m (id) DEFERRABLE INITIALLY DEFERRED)",
            "INSERT INTO d VALUES (1, NULL)",
        )
        bench = Bench(spec, "d")
        outcome = save(spec, bench.dataset, [bench.edit("i1", m="7")])
        self.assertFalse(outcome.committed)
        self.assertIn("There is no 7 in m", outcome.refusals["i1"][0].sentence)
        self.assertEqual(ask(spec, "SELECT m FROM d"), [(None,)])
