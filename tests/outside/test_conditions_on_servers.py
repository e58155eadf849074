"""CHECK conditions as each server keeps them, judged here and by the server on the same rows."""

from __future__ import annotations

from itertools import product

from sqlalchemy.exc import DBAPIError

from enlace.core.rules import RecordRules
from tests.servers import OnServer, on_each_server

CONDITIONS = (
    "kind NOT IN ('tug', 'raft')",
    "vote IN (-1, 0, 1)",
    "(low IS NULL AND high IS NULL) OR (low IS NOT NULL AND high > low)",
    "kind <> '' AND (kind LIKE 't%' OR vote >= 0)",
    "NOT (vote = 0 AND kind = 'ferry')",
    "low BETWEEN -5 AND 50 OR low IS NULL",
)
VALUES = {
    "kind": ("tug", "ferry", "tall", "", None),
    "vote": (-1, 0, 1, 2, None),
    "low": (None, 3, 60),
    "high": (None, 9, 1),
}


class Conditions(OnServer):
    def test_the_same_rows_break_them(self):
        checks = ", ".join(f"CHECK ({item})" for item in CONDITIONS)
        self.place.run(
            f"CREATE TABLE craft (id integer PRIMARY KEY, kind varchar(9), vote integer, low integer, high integer, {checks})"
        )
        dataset = self.bench("craft").dataset
        rules = RecordRules(dataset)
        self.assertEqual(len(dataset.rules), len(CONDITIONS))
        accepted = 0
        for number, values in enumerate(product(*VALUES.values()), 1):
            record = {"id": number, **dict(zip(VALUES, values, strict=True))}
            ours = not rules.complaints(record, frozenset(record), True)
            self.assertEqual(rules.sound([record], True), [ours], record)
            theirs = self.accepts(record)
            self.assertEqual(ours, theirs, (record, rules.complaints(record, frozenset(record), True)))
            accepted += theirs
        self.assertGreater(accepted, 10)

    def accepts(self, record) -> bool:
        try:
            self.place.run("INSERT INTO craft VALUES (:id, :kind, :vote, :low, :high)", **record)
        except DBAPIError as error:
            self.assertRegex(str(error), "(?i)check|constraint")
            return False
        return True


on_each_server(globals(), Conditions)
