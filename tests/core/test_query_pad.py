"""What the query pad tells of a query without running it: where it is wrong, and how each server would run it."""

from __future__ import annotations

from enlace.core.dataset.query import checked_query
from enlace.core.dataset.query_faults import query_faults
from enlace.core.dataset.query_plan import PlanStep, query_plan
from enlace.core.server.catalog import Catalog
from tests.servers import OnServer, on_each_server

NUMBERS = {
    "sqlite": "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) SELECT i, i % 7 FROM n",
    "postgresql": "SELECT i, i % 7 FROM generate_series(1, 20000) AS n(i)",
    "mariadb": "SELECT seq, seq % 7 FROM seq_1_to_20000",
}
# What is underlined, and a piece of what is said of it; what is right says nothing.
FAULTS = (
    ("SELECT name, nme FROM agent", "nme", "The closest name is name"),
    ("SELECT a.nme FROM agent a", "nme", "no column nme in a"),
    ("SELECT b.name FROM agent a", "b", "Nothing in the query is called b"),
    ("SELECT name FROM agnt", "agnt", "The closest name is agent"),
    ("SELECT name FROM agent a WHERE EXISTS (SELECT 1 FROM shipment s WHERE s.agent_id = a.idd)", "idd", "column idd"),
    ("SELECT name FRM agent WHERE (", "agent", "from here on"),
    ("SELECT 'abc", "'abc", "never ends"),
    ("DELETE FROM agent", "DELETE FROM agent", "only read"),
    ("SELECT name FROM agent; SELECT 1", "SELECT name FROM agent; SELECT 1", "not one statement"),
    ("SELECT name AS called FROM agent ORDER BY called", "", ""),
    ("WITH few AS (SELECT id AS number FROM agent) SELECT number FROM few WHERE number > :least", "", ""),
    ("SELECT Name FROM AGENT a JOIN shipment s ON s.agent_id = a.ID", "", ""),
    ("SELECT nobody_knows FROM (SELECT * FROM agent) s", "", ""),
    ("", "", ""),
)


def flat(steps: tuple[PlanStep, ...]) -> list[PlanStep]:
    return [step for outer in steps for step in (outer, *flat(outer.steps))]


class QueryPad(OnServer):
    def test_where_a_query_is_wrong(self):
        catalog = Catalog.of(self.spec)
        for sql, marked, said in FAULTS:
            with self.subTest(sql):
                told = [(sql[f.start : f.end], f.sentence) for f in query_faults(sql, self.spec, catalog)]
                self.assertEqual([text for text, _ in told], [marked] if marked else [])
                self.assertIn(said, told[0][1] if told else "")

    def plan(self, sql: str) -> list[PlanStep]:
        return flat(query_plan(self.spec, checked_query(sql, self.spec.kind), {}))

    def test_a_plan_marks_what_is_slow(self):
        self.place.run("CREATE TABLE mark (id INTEGER PRIMARY KEY, seen INTEGER)")
        self.place.run(f"INSERT INTO mark (id, seen) {NUMBERS[self.spec.kind]}")
        self.place.run("ANALYZE mark" if self.spec.kind != "mariadb" else "ANALYZE TABLE mark")
        by_key = self.plan("SELECT seen FROM mark WHERE id = 7")
        self.assertEqual([step.slow for step in by_key], [""] * len(by_key))
        self.assertTrue(any("Finds" in step.sentence for step in by_key), by_key)
        scan = self.plan("SELECT m.id FROM mark m WHERE m.seen >= 0 ORDER BY m.seen")
        read = next(step for step in scan if step.sentence.startswith("Reads all rows of mark"))
        self.assertTrue(read.slow, scan)
        self.assertTrue(any(step.sentence.startswith("Sorts") for step in scan), scan)
        self.assertGreaterEqual(read.rows, 10_000)

    def test_names_of_all_columns_at_once(self):
        names = Catalog.of(self.spec).column_names()
        self.assertEqual(set(names), {*Catalog.of(self.spec).tables, *Catalog.of(self.spec).views})
        for table, columns in names.items():
            self.assertEqual(columns, [c.name for c in Catalog.of(self.spec).table(table).columns], table)


on_each_server(globals(), QueryPad)
