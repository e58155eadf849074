"""Many people at once on each server: the database equals a replay of what they were told.

That a history without lost updates leaves one chain of values for each item is the meaning of P4 in Berenson et al.,
"A Critique of ANSI SQL Isolation Levels" (1995).
"""

from scripts.stress import FIELDS, replayed, run, schema, totals
from tests.servers import OnServer, on_each_server


class Stress(OnServer):
    def prepare(self):
        for statement in schema(self.kind):
            self.place.run(statement)

    def test_the_database_equals_a_replay_of_the_outcomes(self):
        told = run(self.spec, people=5, seconds=6)
        rows = self.place.run("SELECT id, a, b, c FROM stress")
        wrong = replayed(told, {f"i{row[0]}": dict(zip(FIELDS, row[1:], strict=True)) for row in rows})
        self.assertEqual(wrong, [])
        counted = totals(told)
        self.assertGreater(min(counted["edits saved"], counted["conflicts"], counted["entered"]), 3, counted)

    def test_a_lost_update_would_be_seen(self):
        """The replay itself: a chain that forks, and a value that nobody reported."""
        from scripts.stress import Told

        first = {f"i{n}": {name: f"{name}{n}" for name in FIELDS} for n in range(1, 13)}
        self.assertEqual(replayed([Told()], first), [])
        forked = Told(edits=[("i1", "a", "a1", "x"), ("i1", "a", "a1", "y")])
        self.assertTrue(replayed([forked], {**first, "i1": {**first["i1"], "a": "y"}}))
        self.assertTrue(replayed([Told()], {**first, "i1": {**first["i1"], "a": "z"}}))
        self.assertTrue(replayed([Told(removed={"i3": first["i3"]})], first))


on_each_server(globals(), Stress)
