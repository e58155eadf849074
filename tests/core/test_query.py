"""Queries: only what reads gets through, here and on the server; rows are traced to a table where that is certain."""

import threading
import time
from dataclasses import replace
from decimal import Decimal
from unittest import mock

from sqlalchemy import text

from enlace.core.dataset import query as queries
from enlace.core.dataset.query import checked_query, only_reading, run_query
from enlace.core.dataset.query_dataset import query_dataset, traced
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import as_read, with_text
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.save import save
from enlace.core.server.catalog import Catalog
from enlace.core.server.running import stop
from tests.harbour import ENGLISH
from tests.servers import OnServer, on_each_server

WRITING = (
    "DELETE FROM agent",
    "UPDATE agent SET name = 'x'",
    "INSERT INTO agent (id, name) VALUES (7, 'x')",
    "DROP TABLE agent",
    "SELECT 1; DELETE FROM agent",
    "CREATE TABLE other AS SELECT * FROM agent",
    "SELECT * INTO other FROM agent",
    "SELECT * FROM agent FOR UPDATE",
    "WITH gone AS (DELETE FROM agent RETURNING id) SELECT * FROM gone",
    "SELECT nextval('agent_id_seq')",
    "SELECT pg_sleep(9)",
    "SELECT load_extension('x')",
    "PRAGMA user_version = 3",
    "VACUUM",
    "SET x = 1",
    "",
    "no sql at all",
)


class Queries(OnServer):
    def trace(self, sql, *columns):
        query = checked_query(sql, self.kind)
        return traced(query, Catalog.of(self.spec), columns)

    def test_what_would_change_anything_is_refused(self):
        for sql in WRITING:
            with self.subTest(sql), self.assertRaises(Problem):
                checked_query(sql, self.kind)
        for sql in (
            "SELECT 'DELETE FROM agent; :x' AS t",
            "SELECT count(*) FROM agent;",
            "WITH a AS (SELECT 1 AS n) SELECT n FROM a",
        ):
            self.assertEqual(checked_query(sql, self.kind).parameters, ())

    def test_the_server_refuses_it_once_more(self):
        for sql in ("DELETE FROM agent WHERE id = 3", "UPDATE agent SET name = 'x' WHERE id = 3"):
            with self.subTest(sql), self.assertRaises(Problem), only_reading(self.spec) as connection:
                connection.execute(text(sql))
        self.assertEqual(len(self.place.run("SELECT id FROM agent WHERE name <> 'x'")), 3)
        self.place.run("UPDATE agent SET name = 'y' WHERE id = 3")  # and others still may write
        record = self.bench("agent")
        self.assertTrue(save(self.spec, record.dataset, [record.edit("i3", name="z")]).committed)

    def test_parameters_are_bound(self):
        query = checked_query(
            "SELECT id, name FROM agent WHERE name LIKE :start OR ':x' = :start ORDER BY id", self.kind
        )
        self.assertEqual(query.parameters, ("start",))
        result = run_query(self.spec, query, {"start": "Agent%"}, 2)
        self.assertEqual(
            (result.columns, result.rows, result.more), (("id", "name"), ((1, "Agent 1"), (2, "Agent 2")), True)
        )
        self.assertEqual(run_query(self.spec, query, {"start": "' OR 1=1 --"}).rows, ())
        with self.assertRaisesRegex(Problem, "asks for start"):
            run_query(self.spec, query, {})

    def test_parameters_are_taken_for_what_stands_beside_them(self):
        """As people type them, as texts, and as a master's fields give them."""
        heavy = len(self.place.run("SELECT id FROM shipment WHERE weight > 90.5"))
        for sql, given, expected in (
            ("SELECT id FROM agent WHERE id = :no", {"no": "2"}, [2]),
            ("SELECT id FROM agent WHERE id = :no", {"no": 2}, [2]),
            (
                "SELECT count(*) FROM shipment WHERE weight > :least AND id < :no",
                {"least": Decimal("90.5"), "no": 2**40},
                [heavy],
            ),
            ("SELECT count(*) FROM shipment WHERE weight > :least", {"least": "90.5"}, [heavy]),
            ("SELECT id FROM agent WHERE :no IS NULL OR id = :no ORDER BY id", {"no": None}, [1, 2, 3]),
            ("SELECT id FROM agent WHERE :no IS NULL OR id = :no ORDER BY id", {"no": "3"}, [3]),
            ("SELECT id FROM agent WHERE id = :no OR id = abs(:no)", {"no": None}, []),
            ("SELECT id FROM agent WHERE (:name IS NOT NULL AND name = :name)", {"name": "Agent 1"}, [1]),
        ):
            with self.subTest(sql, **given):
                result = run_query(self.spec, checked_query(sql, self.kind), given)
                self.assertEqual([row[0] for row in result.rows], expected)

    def test_the_order_of_a_query_is_kept_as_far_as_its_columns_tell_it(self):
        base = "SELECT s.id, s.code AS name, s.weight FROM shipment s JOIN agent a ON a.id = s.agent_id ORDER BY "
        for order, expected in (
            ("s.weight DESC, name", [("weight", True), ("name", False)]),
            ("3 DESC, s.code", [("weight", True), ("name", False)]),
            ("weight, a.name, s.code", [("weight", False)]),
            ("a.name", []),
        ):
            dataset = query_dataset(self.spec, base + order, {})
            self.assertEqual(list(dataset.sorted_by), expected)
            ours = [row.values[0] for row in Rows.of(self.spec, dataset).window(0, 400)]
            theirs = [
                row[0]
                for row in self.place.run(
                    base + (order if expected and "a." not in order else "s.weight" if expected else "s.id")
                )
            ]
            weights = dict(self.place.run("SELECT id, weight FROM shipment"))
            of = (lambda i: i) if not expected or len(expected) == 2 else weights.get
            self.assertEqual([of(i) for i in ours], [of(i) for i in theirs])

    def test_rows_without_a_value_for_a_parameter_are_not_read(self):
        dataset = query_dataset(self.spec, "SELECT id, name FROM agent WHERE id = :no", {"no": "1"})
        for given, expected in (((), None), ((("no", 2),), 1), ((), None), ((("no", "2"),), 1)):
            rows = Rows.of(self.spec, replace(dataset, parameter_values=given))
            if expected is None:
                self.assertRaisesRegex(Problem, "asks for no", rows.window, 0, 1)
            else:
                self.assertEqual(len(rows.window(0, 2)), expected)

    def test_rows_are_traced_to_one_table_or_not_at_all(self):
        joined = "SELECT s.id, s.code, a.name FROM shipment s JOIN agent a ON a.id = s.agent_id"
        self.assertEqual(self.trace(joined, "id", "code", "name").columns, ("id", "code"))
        self.assertEqual(self.trace("SELECT * FROM agent WHERE id > 1", "id", "name", "chief_id").table, "agent")
        for sql, why in (
            ("SELECT a.id, a.name, s.code FROM agent a JOIN shipment s ON s.agent_id = a.id", "several times"),
            ("SELECT DISTINCT id FROM agent", "groups"),
            ("SELECT agent_id, count(*) AS n FROM shipment GROUP BY agent_id", "groups"),
            ("SELECT name FROM agent", "leaves out the key"),
            ("SELECT id + 0 AS id, name FROM agent", "leaves out the key"),
            ("SELECT id FROM agent UNION SELECT id FROM shipment", "several SELECTs"),
            ("SELECT a.id FROM agent a, shipment s", "several times"),
            ("SELECT 1 AS n", "no table"),
        ):
            with self.subTest(sql):
                names = [c for c in ("id", "name", "n") if c in sql]
                self.assertIn(why, self.trace(sql, *names).why_not)

    def test_a_traced_query_is_a_dataset_that_saves(self):
        sql = "SELECT s.id, s.code, s.weight, a.name AS agent, s.weight * 2 AS double_weight FROM shipment s LEFT JOIN agent a ON a.id = s.agent_id WHERE s.id <= :most"
        dataset = query_dataset(self.spec, sql, {"most": 50})
        self.assertEqual([f.name for f in dataset.fields], ["id", "code", "weight"])
        self.assertEqual([f.name for f in dataset.extra], ["agent", "double_weight"])
        dataset = replace(dataset, parameter_values=(("most", 50),))
        rows = Rows.of(self.spec, dataset, [("agent", True)])
        self.assertEqual(rows.count(), 50)
        self.assertEqual(rows.window(0, 1)[0].extra[0], "Agent 3")
        values = dict(zip(dataset.by_name, rows.row("i5"), strict=True))
        record = with_text(as_read(dataset, "i5", key_of("i5"), values), dataset.by_name["code"], "NEW", ENGLISH)
        self.assertTrue(save(self.spec, dataset, [record]).committed)
        self.assertEqual(self.place.run("SELECT code FROM shipment WHERE id = 5"), [("NEW",)])
        grouped = query_dataset(self.spec, "SELECT agent_id, count(*) AS n FROM shipment GROUP BY agent_id", {})
        self.assertIn("groups", grouped.read_only_because)
        self.assertEqual(sum(row.values[1] for row in Rows.of(self.spec, grouped).window(0, 10)), 400)
        with self.assertRaisesRegex(Problem, "Two columns"):
            query_dataset(self.spec, "SELECT a.id, b.id FROM agent a JOIN agent b ON a.id = b.id", {})

    def test_a_query_can_be_stopped(self):
        many = " , ".join(f"shipment s{i}" for i in range(5))
        query = checked_query(f"SELECT count(*) AS n FROM {many} WHERE s0.code || s1.code <> s4.code", self.kind)
        told = []

        def go():
            try:
                run_query(self.spec, query, {}, run="slow one")
            except Problem as problem:
                told.append(problem)

        with mock.patch.object(queries, "MOST_ROWS", 5):
            thread = threading.Thread(target=go)
            thread.start()
            until = time.monotonic() + 10
            while not (thread.is_alive() and stop(self.spec, "slow one")) and time.monotonic() < until:
                time.sleep(0.1)
            thread.join(10)
        self.assertFalse(thread.is_alive())
        self.assertEqual(len(told), 1)
        self.assertFalse(stop(self.spec, "slow one"))


on_each_server(globals(), Queries)
