"""Server actions: all of it or nothing, under a guard that is asked of the locked record."""

from __future__ import annotations

import threading

from enlace.core.problem import Problem
from enlace.core.save.action import Action, ActionSpec, run_action
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


on_each_server(globals(), Actions)
