"""What a save plans, keeps, finds out and tells: the same tests, unchanged, on SQLite, PostgreSQL and MariaDB."""

from __future__ import annotations

import threading
from dataclasses import replace
from unittest import mock

from sqlalchemy import event, text

from enlace.core.draft import Conflict
from enlace.core.draft.conflicts import as_new, combinable, resolved
from enlace.core.draft.pending import removed
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.save import Part, Receipt, SavePolicy, journal, rehearse_parts, save, save_parts, taken_back
from enlace.core.save import run as saving
from enlace.core.save.receipts import NAME, create_statement, make_table
from enlace.core.server import engine
from enlace.core.server.engine import UnknownOutcome
from tests.servers import OnServer, on_each_server

KEEP = SavePolicy(whole=False)


class Saving(OnServer):
    def setUp(self):
        super().setUp()
        self.agents, self.shipments, self.legs = (self.bench(t) for t in ("agent", "shipment", "Leg of way"))

    def parts(self, agents=(), shipments=(), legs=()):
        return [
            Part(self.legs.dataset, legs, name="legs"),
            Part(self.shipments.dataset, shipments, name="shipments"),
            Part(self.agents.dataset, agents, name="agents"),
        ]

    def all_saved(self, outcomes):
        self.assertTrue(all(outcome.committed and not outcome.failed for outcome in outcomes.values()), outcomes)

    # -- the plan -------------------------------------------------------------------------------------------

    def test_masters_before_details_with_keys_handed_down(self):
        agent = self.new(self.agents, name="House")
        chief = self.new(self.agents, name="Chief")
        agent = replace(agent, waits_for={"chief_id": ("agents", chief.id, "id")})
        ship = self.new(self.shipments, {"agent_id": ("agents", agent.id, "id")}, code="NEW")
        legs = [
            self.new(self.legs, {"shipment_id": ("shipments", ship.id, "id")}, order=str(n), place=f"P{n}")
            for n in (1, 2)
        ]
        self.all_saved(save_parts(self.spec, self.parts([agent, chief], [ship], legs)))
        rows = self.place.run(
            'SELECT l.place, a.name, c.name FROM "Leg of way" l JOIN shipment s ON s.id = l.shipment_id '
            "JOIN agent a ON a.id = s.agent_id JOIN agent c ON c.id = a.chief_id WHERE s.code = 'NEW' ORDER BY 1"
            if self.kind != "mariadb"
            else "SELECT l.place, a.name, c.name FROM `Leg of way` l JOIN shipment s ON s.id = l.shipment_id "
            "JOIN agent a ON a.id = s.agent_id JOIN agent c ON c.id = a.chief_id WHERE s.code = 'NEW' ORDER BY 1"
        )
        self.assertEqual(rows, [("P1", "House", "Chief"), ("P2", "House", "Chief")])

    def test_details_go_before_masters_and_may_be_moved_away(self):
        self.place.run("INSERT INTO agent (id, name, chief_id) VALUES (11, 'Lone', NULL), (12, 'Under', 11)")
        self.place.run("INSERT INTO shipment (id, code, agent_id) VALUES (900, 'A', 11), (901, 'B', 12)")
        gone = [removed(self.agents.read(item)) for item in ("i11", "i12")]
        ships = [removed(self.shipments.read("i900")), self.shipments.edit("i901", agent_id="2")]
        legs = [removed(self.legs.read(row.id)) for row in self.legs.rows.window(0, 3)]
        self.all_saved(save_parts(self.spec, self.parts(gone, [*ships, removed(self.shipments.read("i1"))], legs)))
        self.assertEqual(self.place.run("SELECT id, agent_id FROM shipment WHERE id > 899"), [(901, 2)])
        self.assertEqual(self.place.run("SELECT count(*) FROM agent WHERE id > 10"), [(0,)])

    def test_unique_values_are_exchanged_and_passed_on(self):
        ring = [self.shipments.edit(f"i{a}", code=f"S-{b:03}") for a, b in ((2, 3), (3, 4), (4, 2))]
        chain = [self.shipments.edit("i5", code="S-006"), removed(self.shipments.read("i6"))]
        heir = self.new(self.shipments, code="S-005", agent_id="1")
        outcome = save(self.spec, self.shipments.dataset, [heir, *ring, *chain])
        self.assertTrue(outcome.committed, outcome)
        codes = dict(self.place.run("SELECT id, code FROM shipment WHERE id < 7"))
        self.assertEqual([codes.get(n) for n in (2, 3, 4, 5, 6)], ["S-003", "S-004", "S-002", "S-006", None])
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = 'S-005'"), [(1,)])

    def test_an_exchange_that_somebody_disturbed_is_a_conflict(self):
        pair = [self.shipments.edit("i2", code="S-003"), self.shipments.edit("i3", code="S-002")]
        self.place.run("UPDATE shipment SET code = 'THEIRS' WHERE id = 2")
        outcome = save(self.spec, self.shipments.dataset, pair)
        self.assertEqual(set(outcome.conflicts), {"i2"})
        self.assertEqual(self.place.run("SELECT code FROM shipment WHERE id = 3"), [("S-003",)])

    def test_two_new_records_under_each_other_are_told(self):
        one, two = self.new(self.agents, name="One"), self.new(self.agents, name="Two")
        one = replace(one, waits_for={"chief_id": ("", two.id, "id")})
        two = replace(two, waits_for={"chief_id": ("", one.id, "id")})
        outcome = save(self.spec, self.agents.dataset, [one, two])
        self.assertEqual((outcome.committed, len(outcome.refusals)), (False, 2))

    # -- policy ---------------------------------------------------------------------------------------------

    def test_keep_what_succeeds_and_stop_after_some_failures(self):
        bad = [self.shipments.edit(f"i{n}", weight="-1") for n in (2, 4, 6)]
        good = [self.shipments.edit(f"i{n}", weight="77") for n in (3, 5, 8)]
        outcome = save(self.spec, self.shipments.dataset, [*bad, *good], policy=KEEP)
        self.assertEqual((outcome.committed, set(outcome.ids), set(outcome.refusals)),
                         (True, {"i3", "i5", "i8"}, {"i2", "i4", "i6"}))  # fmt: skip
        again = [self.shipments.edit(f"i{n}", weight="78") for n in (3, 5, 8)]
        outcome = save(
            self.spec, self.shipments.dataset, sorted([*bad, *again], key=lambda r: r.key), policy=SavePolicy(False, 2)
        )
        self.assertEqual((set(outcome.ids), set(outcome.refusals), set(outcome.not_tried)),
                         ({"i3"}, {"i2", "i4"}, {"i5", "i6", "i8"}))  # fmt: skip
        weights = self.place.run("SELECT id FROM shipment WHERE weight = 78")
        self.assertEqual(weights, [(3,)])

    def test_a_detail_of_a_refused_master_is_not_tried(self):
        ship = self.new(self.shipments, code="S-002", agent_id="1")
        leg = self.new(self.legs, {"shipment_id": ("shipments", ship.id, "id")}, order="1", place="P")
        outcomes = save_parts(self.spec, self.parts([self.new(self.agents, name="Fine")], [ship], [leg]), KEEP)
        self.assertEqual(set(outcomes["legs"].not_tried), {leg.id})
        self.assertEqual(self.place.run("SELECT count(*) FROM agent WHERE name = 'Fine'"), [(1,)])

    # -- what is compared -----------------------------------------------------------------------------------

    def test_all_fields_or_a_version_can_be_compared(self):
        every = replace(self.shipments.dataset, compare="all")
        versioned = replace(self.shipments.dataset, compare="version", version="pieces")
        first, second = self.shipments.edit("i2", code="ONE"), self.shipments.edit("i3", code="TWO")
        self.place.run("UPDATE shipment SET remarks = 'theirs', pieces = pieces + 1 WHERE id IN (2, 3)")
        for dataset, record in ((every, first), (versioned, second)):
            conflict = save(self.spec, dataset, [record]).conflicts[record.id]
            held = replace(record, conflict=conflict)
            self.assertTrue(combinable(dataset, held))
            self.assertTrue(save(self.spec, dataset, [resolved(dataset, held, [])]).committed)
        self.assertEqual(self.place.run("SELECT code, remarks, pieces FROM shipment WHERE id IN (2, 3) ORDER BY id"),
                         [("ONE", "theirs", 2), ("TWO", "theirs", 3)])  # fmt: skip

    # -- conflicts ------------------------------------------------------------------------------------------

    def test_a_key_that_changed_is_found_again(self):
        record = self.shipments.edit("i2", remarks="mine")
        self.place.run("UPDATE shipment SET id = 2002 WHERE id = 2")
        conflict = save(self.spec, self.shipments.dataset, [record]).conflicts["i2"]
        self.assertEqual((conflict.kind, conflict.id), ("key changed", "i2002"))
        again = resolved(self.shipments.dataset, replace(record, conflict=conflict), [])
        self.assertEqual(save(self.spec, self.shipments.dataset, [again]).ids, {"i2002": "i2002"})
        self.assertEqual(self.place.run("SELECT remarks FROM shipment WHERE id = 2002"), [("mine",)])

    def test_a_record_that_both_entered_is_a_conflict(self):
        leg = self.new(self.legs, shipment_id="1", order="2", place="Mine")
        conflict = save(self.spec, self.legs.dataset, [leg]).conflicts[leg.id]
        self.assertEqual((conflict.kind, conflict.theirs["place"]), ("inserted", "Quay 2"))
        again = resolved(self.legs.dataset, replace(leg, conflict=conflict), [])
        self.assertEqual((again.state, dict(again.now)), ("edited", {"place": "Mine"}))
        self.assertTrue(save(self.spec, self.legs.dataset, [again]).committed)
        self.assertIsNone(resolved(self.legs.dataset, replace(leg, conflict=conflict), ["place"]))

    def test_a_removed_record_is_created_again_as_a_new_one(self):
        record = self.shipments.edit("i2", weight="5")
        self.place.run("DELETE FROM shipment WHERE id = 2")
        held = replace(record, conflict=save(self.spec, self.shipments.dataset, [record]).conflicts["i2"])
        self.assertEqual(held.conflict, Conflict(None, "removed"))
        outcome = save(self.spec, self.shipments.dataset, [as_new(self.shipments.dataset, held)])
        self.assertTrue(outcome.committed)
        self.assertEqual(self.place.run("SELECT weight FROM shipment WHERE code = 'S-002'")[0][0], 5)

    # -- read back, rehearse, take back -----------------------------------------------------------------------

    def test_what_the_server_makes_comes_back(self):
        ship = self.new(self.shipments, code="NEW", agent_id="1")
        outcome = save(self.spec, self.shipments.dataset, [ship])
        self.assertEqual(outcome.rows[ship.id]["pieces"], 1)

    def test_new_records_go_in_as_they_were_entered_whatever_each_of_them_says(self):
        quoted = {
            "sqlite": "INTEGER PRIMARY KEY",
            "postgresql": "serial PRIMARY KEY",
            "mariadb": "integer AUTO_INCREMENT PRIMARY KEY",
        }
        self.place.run(
            f"CREATE TABLE note (id {quoted[self.kind]}, said varchar(20), much integer, place varchar(9) DEFAULT 'quay')"
        )
        notes = self.bench("note")
        said = [
            {"said": "a"},
            {},
            {"much": "2"},
            {"said": "d", "much": "4"},
            {},
            {"said": "f", "place": "sea"},
            {"said": "g"},
        ]
        outcome = save(self.spec, notes.dataset, [self.new(notes, **one) for one in said])
        self.assertEqual((outcome.committed, len(outcome.ids)), (True, 7))
        rows = self.place.run("SELECT said, much, place FROM note WHERE place = 'quay' ORDER BY id")
        wanted = [("a", None), (None, None), (None, 2), ("d", 4), (None, None), ("g", None)]
        self.assertEqual(rows, [(*row, "quay") for row in wanted])
        self.assertEqual(self.place.run("SELECT said FROM note WHERE place = 'sea'"), [("f",)])
        several = save(self.spec, notes.dataset, [self.new(notes), self.new(notes)])  # which say nothing at all
        self.assertEqual(len(set(several.ids.values())), 2)
        self.assertEqual(self.place.run("SELECT count(*) FROM note"), [(9,)])

    def test_each_of_many_new_records_comes_back_with_its_own_key(self):
        key = {"sqlite": "INTEGER", "postgresql": "serial", "mariadb": "integer AUTO_INCREMENT"}[self.kind]
        said = "`100% VALUES (%s)`" if self.kind == "mariadb" else '"100% VALUES (%s)"'
        self.place.run(f"CREATE TABLE note (id {key} PRIMARY KEY, {said} varchar(4000) UNIQUE)")
        notes = self.bench("note")
        texts = [f"note {n} %s" + "x" * (n % 7 * 500) for n in range(1203)]
        records = [self.new(notes, **{said[1:-1]: one}) for one in texts]
        outcome = save(self.spec, notes.dataset, records)
        stored = {f"i{number}": one for number, one in self.place.run("SELECT * FROM note")}
        self.assertEqual([stored[outcome.ids[record.id]] for record in records], texts)
        # One that is refused takes none of the others along, nor leaves any of them twice.
        more = [self.new(notes, **{said[1:-1]: one}) for one in ("new", texts[9], "newer")]
        outcome = save(self.spec, notes.dataset, more, policy=KEEP)
        self.assertEqual([record.id in outcome.ids for record in more], [True, False, True])
        self.assertEqual(self.place.run("SELECT count(*) FROM note"), [(1205,)])

    def test_rehearsed_over_several_datasets(self):
        ship = self.new(self.shipments, code="R-1", agent_id="1")
        leg = self.new(self.legs, {"shipment_id": ("shipments", ship.id, "id")}, order="1", place="P")
        outcomes = rehearse_parts(self.spec, self.parts(shipments=[ship], legs=[leg]))
        made = outcomes["shipments"].rows[ship.id]["id"]
        self.assertEqual(outcomes["legs"].rows[leg.id]["shipment_id"], made)
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = 'R-1'"), [(0,)])

    def test_a_save_is_taken_back(self):
        before = self.place.run("SELECT * FROM shipment ORDER BY id")
        records = [self.shipments.edit("i2", code="X", weight="3"), self.new(self.shipments, code="Y", agent_id="1"),
                   removed(self.shipments.read("i5"))]  # fmt: skip
        outcome = save(self.spec, self.shipments.dataset, records)
        back = [taken_back(self.shipments.dataset, line) for line in journal(records, outcome)]
        self.assertTrue(save(self.spec, self.shipments.dataset, back).committed)
        after = self.place.run("SELECT * FROM shipment ORDER BY id")
        self.assertEqual([row for row in after if row[0] != 5 and row[1] != "S-005"], [r for r in before if r[0] != 5])
        self.assertIn("S-005", [row[1] for row in after])

    # -- tried again, found out -------------------------------------------------------------------------------

    def test_a_deadlock_is_tried_again(self):
        """Another program holds one record and asks for the next while the save holds that one."""
        if self.kind == "sqlite":
            return  # one writer at a time: there is nothing to wait for in a ring
        records = [self.shipments.edit("i2", code="M2"), self.shipments.edit("i9", code="M9")]
        with self.place.engine.connect() as other:
            other.execute(text("UPDATE shipment SET pieces = 5 WHERE id = 9"))
            done = []
            saver = threading.Thread(target=lambda: done.append(save(self.spec, self.shipments.dataset, records)))
            saver.start()
            saver.join(0.5)
            try:
                other.execute(text("UPDATE shipment SET pieces = 5 WHERE id = 2"))
                other.commit()
            except Exception:  # the server may choose either one to give way
                other.rollback()
            saver.join(20)
        self.assertTrue(done and done[0].committed, done)
        self.assertEqual(self.place.run("SELECT code FROM shipment WHERE id IN (2, 9) ORDER BY id"), [("M2",), ("M9",)])

    def lost(self, spec, committed: bool, records, **how):
        """A save whose connection is lost at COMMIT, the server having committed or not."""
        real, calls = engine._commit, []

        def commit(given, connection):
            if calls:
                return real(given, connection)
            calls.append(1)
            connection.commit() if committed else connection.rollback()
            raise UnknownOutcome(Problem("away", words="broken pipe", code="away"), None)

        with mock.patch.object(engine, "_commit", commit):
            return save_parts(spec, [Part(self.shipments.dataset, records)], **how)[""]

    def test_a_commit_that_nobody_answered_is_looked_into(self):
        for committed in (True, False):
            tag = "Y" if committed else "N"
            records = [self.shipments.edit("i2", remarks=f"r{tag}"), self.new(self.shipments, code=tag, agent_id="1")]
            outcome = self.lost(self.spec, committed, records)
            self.assertTrue(outcome.committed, outcome)
            self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = :c", c=tag), [(1,)])
            self.assertEqual(self.place.run("SELECT remarks FROM shipment WHERE id = 2"), [(f"r{tag}",)])

    def test_a_receipt_tells_the_outcome_for_certain(self):
        make_table(self.spec)
        self.assertIn(NAME, create_statement(self.spec))
        spec = ConnectionSpec(self.spec.kind, self.spec.parameters, self.spec.secret, NAME)
        for n, committed in enumerate((True, False)):
            record = self.new(self.legs, shipment_id="2", order="7", place=f"P{n}")
            ship = self.new(self.shipments, agent_id="1", code=f"Q{n}")
            outcome = self.lost(spec, committed, [ship], receipt=Receipt("d1", f"s{n}"))
            self.assertTrue(outcome.committed and outcome.ids[ship.id].startswith("i"), outcome)
            self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = :c", c=f"Q{n}"), [(1,)])
            self.assertNotEqual(record.id, ship.id)
        # As after a crash: the next save finds the receipt of the one before, and nothing is entered twice.
        twin = self.new(self.shipments, agent_id="1", code="Q9")
        save_parts(spec, [Part(self.shipments.dataset, [twin])], receipt=Receipt("d1", "s9"))
        again = save_parts(spec, [Part(self.shipments.dataset, [twin])], in_doubt=True, receipt=Receipt("d1", "s10"),
                           last=Receipt("d1", "s9"))[""]  # fmt: skip
        self.assertTrue(again.committed)
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE code = 'Q9'"), [(1,)])

    def test_while_the_outcome_can_not_be_known_it_is_not_guessed(self):
        record = self.shipments.edit("i2", code="MINE")
        away = Problem("The database server does not answer.", code="away")
        with (
            mock.patch.object(saving, "SECONDS_TO_FIND_OUT", 0.5),
            mock.patch.object(saving, "session_ended", side_effect=away),
            self.assertRaises(UnknownOutcome) as caught,
        ):
            self.lost(self.spec, True, [record])
        self.assertIn("not known", str(caught.exception))
        self.assertEqual(save(self.spec, self.shipments.dataset, [record], in_doubt=True).ids, {"i2": "i2"})

    def test_a_server_that_goes_away_while_its_connection_is_put_back(self):
        """What was committed before that is saved, and is told as such."""
        used = engine.engine_for(self.spec)

        def gone(*_):
            event.remove(used.pool, "checkin", gone)
            raise used.dialect.loaded_dbapi.OperationalError(2013, "Lost connection to server during query")

        record = self.shipments.edit("i5", code="KEPT")
        save(self.spec, self.shipments.dataset, [self.shipments.edit("i6", code="FIRST")])  # the pool is warm
        event.listen(used.pool, "checkin", gone)
        outcome = save(self.spec, self.shipments.dataset, [record])
        self.assertTrue(outcome.committed, outcome)
        self.assertEqual(self.place.run("SELECT code FROM shipment WHERE id = 5"), [("KEPT",)])
        self.assertTrue(save(self.spec, self.shipments.dataset, [self.shipments.edit("i7", code="AFTER")]).committed)


on_each_server(globals(), Saving)
