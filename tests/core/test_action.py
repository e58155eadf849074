"""Server actions: all of it or nothing, under a guard that is asked of the locked record."""

from __future__ import annotations

import threading

from enlace.core.problem import Problem
from enlace.core.save.action import Action, ActionSpec, run_action
from enlace.core.save.action_statements import check_action
from enlace.core.server.routines import routines_of
from tests.servers import OnServer, on_each_server

SHIP = ActionSpec(
    "Ship",
    "UPDATE shipment SET remarks = 'shipped: now; by ' , pieces = pieces + 1 WHERE id = :id;\n"
    "INSERT INTO agent (id, name) VALUES (:id + 1000, :person);",
    guard="remarks IS NULL AND weight > 0",
    unmet="{code} was shipped before.",
    done="{code} is on its way ({pieces}).",
)


class Actions(OnServer):
    def ready(self, spec: ActionSpec) -> Action:
        return Action(self.bench("shipment").dataset, spec, self.kind)

    def test_done_once(self):
        ready = self.ready(SHIP)
        outcome = run_action(self.spec, ready, "i3", "rui")
        self.assertEqual((outcome.done, outcome.changed, outcome.sentence), (True, (1, 1), "S-003 is on its way (2)."))
        self.assertEqual((outcome.was["pieces"], outcome.now["pieces"]), (1, 2))
        again = run_action(self.spec, ready, "i3", "rui")
        self.assertEqual((again.done, again.sentence), (False, "S-003 was shipped before."))
        rows = self.place.run("SELECT s.pieces, a.name FROM shipment s JOIN agent a ON a.id = s.id + 1000")
        self.assertEqual(rows, [(2, "rui")])
        self.assertEqual(self.place.run("SELECT remarks FROM shipment WHERE id = 3"), [("shipped: now; by ",)])

    def test_a_refusal_leaves_nothing_and_a_rehearsal_neither(self):
        with self.assertRaises(Problem):
            run_action(self.spec, self.ready(SHIP), "i3", "Agent 1")  # the second statement breaks a unique name
        self.assertTrue(run_action(self.spec, self.ready(SHIP), "i3", "rui", rehearsal=True).done)
        self.assertEqual(self.place.run("SELECT pieces, remarks FROM shipment WHERE id = 3"), [(1, None)])
        self.assertFalse(run_action(self.spec, self.ready(SHIP), "i9999", "rui").done)

    def test_unknown_is_not_met(self):
        self.assertFalse(run_action(self.spec, self.ready(SHIP), "i7", "rui").done)  # its weight is NULL

    def test_many_at_once_and_one_does_it(self):
        ready, outcomes = self.ready(SHIP), []

        def go() -> None:
            try:
                outcomes.append(run_action(self.spec, ready, "i4", "rui").done)
            except Problem:
                outcomes.append(None)

        threads = [threading.Thread(target=go) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(outcomes.count(True), 1, outcomes)
        self.assertEqual(self.place.run("SELECT pieces FROM shipment WHERE id = 4"), [(2,)])

    def test_what_is_no_action(self):
        for statements in (
            "",
            "SELECT 1",
            "SELECT name FROM agent",
            "SELECT abs(id), name FROM agent",
            "SELECT abs(1) FROM agent",
            "CALL",
            "CALL load_up",
            "CALL load_up(1) + 1",
            "VACUUM",
            "DROP TABLE agent",
            "DELETE FROM agent; CREATE TABLE x (y int)",
            "UPDATE ((",
        ):
            with self.subTest(statements=statements), self.assertRaises(Problem):
                self.ready(ActionSpec("Bad", statements))
        with self.assertRaisesRegex(Problem, "no field “nope”"):
            self.ready(ActionSpec("Bad", "DELETE FROM agent WHERE id = :nope"))
        with self.assertRaisesRegex(Problem, "guard"):
            self.ready(ActionSpec("Bad", "DELETE FROM agent", guard="nope = 1"))


ROUTINES = {
    "postgresql": (
        "CREATE PROCEDURE load_up(id int, code text, OUT left_over int) LANGUAGE plpgsql AS $$ BEGIN "
        "UPDATE shipment s SET remarks = load_up.code WHERE s.id = load_up.id; left_over := 3; END $$",
        "CREATE FUNCTION stamp(no int, who text) RETURNS void LANGUAGE sql AS "
        "$$ INSERT INTO agent (id, name) VALUES ($1 + 1000, $2) $$",
        "CREATE PROCEDURE half(id int) LANGUAGE plpgsql AS $$ BEGIN "
        "UPDATE shipment s SET pieces = 9 WHERE s.id = half.id; RAISE EXCEPTION 'the quay is full'; END $$",
        "CREATE PROCEDURE keeps(id int) LANGUAGE plpgsql AS $$ BEGIN "
        "UPDATE shipment s SET pieces = 9 WHERE s.id = keeps.id; COMMIT; END $$",
    ),
    "mariadb": (
        "CREATE PROCEDURE load_up(IN id int, IN code varchar(40), OUT left_over int) MODIFIES SQL DATA BEGIN "
        "SELECT 'COMMIT'; UPDATE shipment s SET remarks = code WHERE s.id = id; SELECT 2; SET left_over = 3; END",
        "CREATE FUNCTION stamp(no int, who varchar(40)) RETURNS int MODIFIES SQL DATA BEGIN "
        "INSERT INTO agent (id, name) VALUES (no + 1000, who); RETURN 1; END",
        "CREATE PROCEDURE half(IN id int) MODIFIES SQL DATA BEGIN UPDATE shipment s SET pieces = 9 WHERE s.id = id; "
        "SELECT 1; SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'the quay is full'; END",
        "CREATE PROCEDURE keeps(IN id int) MODIFIES SQL DATA BEGIN "
        "UPDATE shipment s SET pieces = 9 WHERE s.id = id; COMMIT; START TRANSACTION; END",
    ),
}


class Calls(OnServer):
    """Procedures and functions that act."""

    def prepare(self):
        super().prepare()
        for statement in ROUTINES[self.kind]:
            self.place.run(statement)

    def run_it(self, statements: str, rehearsal: bool = False):
        check_action(self.spec, statements)
        action = ActionSpec("Load", statements, done="{code}: {remarks}")
        ready = Action(self.bench("shipment").dataset, action, self.kind)
        return run_action(self.spec, ready, "i3", "rui", rehearsal)

    def test_as_they_are_listed(self):
        listed = {routine.name: statement for routine, statement in routines_of(self.spec)}
        statements = f"{listed['load_up']};\n SELECT stamp(:id, 'a; :b'); UPDATE agent SET name = :person WHERE id = 1"
        self.assertIn("load_up(:id, :code, ", statements)
        self.assertEqual(self.run_it(statements, rehearsal=True).sentence, "S-003: S-003")
        self.assertEqual(self.place.run("SELECT count(*) FROM shipment WHERE remarks IS NOT NULL"), [(0,)])
        self.assertEqual(self.run_it(statements).changed, (None, None, 1))
        self.assertEqual(self.place.run("SELECT remarks FROM shipment WHERE id = 3"), [("S-003",)])
        rows = self.place.run("SELECT id, name FROM agent WHERE id IN (1, 1003) ORDER BY id")
        self.assertEqual(rows, [(1, "rui"), (1003, "a; :b")])

    def test_all_of_it_or_nothing(self):
        with self.assertRaises(Problem) as caught:
            self.run_it("UPDATE agent SET name = 'x' WHERE id = 1; CALL half(:id)")
        self.assertIn("the quay is full", caught.exception.words)
        with self.assertRaises(Problem):
            self.run_it("CALL keeps(:id)")  # refused before it runs, or by the server
        self.assertEqual(self.place.run("SELECT pieces FROM shipment WHERE id = 3"), [(1,)])
        self.assertEqual(self.place.run("SELECT name FROM agent WHERE id = 1"), [("Agent 1",)])

    def test_one_that_commits_all_the_same_is_told(self):
        ready = Action(self.bench("shipment").dataset, ActionSpec("Keep", "CALL keeps(:id)"), self.kind)
        told = {"postgresql": "refused", "mariadb": "ended the transaction"}[self.kind]
        with self.assertRaisesRegex(Problem, told):
            run_action(self.spec, ready, "i3", "rui", rehearsal=True)

    def test_what_nobody_made_is_not_called(self):
        for statement in ("CALL no_such(:id)", "SELECT pg_sleep(1)", "SELECT sleep(1)", "CALL pg_read_file('a;b')"):
            with self.subTest(statement), self.assertRaises(Problem):
                check_action(self.spec, statement)


on_each_server(globals(), Actions)
on_each_server(globals(), Calls, servers=("postgresql", "mariadb"))
