"""Procedures and functions that somebody wrote on a server."""

from __future__ import annotations

from sqlalchemy import text

from enlace.core.dataset.filters import Filter
from enlace.core.dataset.query import checked_query
from enlace.core.dataset.query_dataset import query_dataset
from enlace.core.dataset.window import Rows
from enlace.core.problem import Problem
from enlace.core.server.engine import reading
from enlace.core.server.routines import routines_of
from tests.servers import OnServer, on_each_server

POSTGRESQL = (
    "CREATE FUNCTION calls_from(since date, port text) RETURNS TABLE (id int, at text) LANGUAGE sql STABLE "
    "AS $$ SELECT 1, $2 WHERE $1 < DATE '2030-01-01' $$",
    'CREATE FUNCTION "Twice"(int) RETURNS int LANGUAGE sql IMMUTABLE AS $$ SELECT 2 * $1 $$',
    "CREATE PROCEDURE cast_off(call int) LANGUAGE sql AS $$ SELECT 1 $$",
    "CREATE FUNCTION by_trigger() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$",
)
MARIADB = (
    "CREATE FUNCTION twice(n int) RETURNS int DETERMINISTIC NO SQL RETURN 2 * n",
    "CREATE PROCEDURE cast_off(IN call_id int, OUT left_at datetime) MODIFIES SQL DATA SET left_at = NOW()",
)

KINDS = """CREATE TABLE kinds (id INT PRIMARY KEY, name VARCHAR(60), remarks TEXT, price DECIMAL(12, 3), length DOUBLE,
    big BIGINT, on_day DATE, at DATETIME(6), for_time TIME, photo BLOB) CHARACTER SET utf8mb4"""
PROCEDURES = (
    """INSERT INTO kinds VALUES
    (1, 'Gaivota \"Azul\" \\\\ é 😀', 'one\ntwo', 12.5, 0.1, 9007199254740993, '2026-01-02', '2026-01-02 10:11:12.5',
        '10:11:12', x'00ff41'),
    (2, '', 'a\nb', 0.001, 1.5e300, -1, '1000-01-01', '9999-12-31 23:59:59', '00:00:00', x''),
    (3, NULL, 'c\nd', NULL, NULL, NULL, NULL, NULL, NULL, NULL)""",
    "CREATE PROCEDURE all_kinds(from_id INT) READS SQL DATA SELECT * FROM kinds WHERE id >= from_id ORDER BY id DESC",
    "CREATE PROCEDURE many(n INT) SELECT seq FROM seq_1_to_20000 WHERE seq <= n",
    "CREATE PROCEDURE writes() MODIFIES SQL DATA BEGIN DELETE FROM kinds; SELECT 1 AS a; END",
    "CREATE PROCEDURE ends() BEGIN COMMIT; DELETE FROM kinds; SELECT 1 AS a; END",
    "CREATE PROCEDURE sneaks() BEGIN CALL ends(); SELECT 1 AS a; END",
)
KIND_NAMES = ["whole", "text", "longtext", "decimal", "decimal", "whole", "date", "datetime", "time", "binary"]


class Routines(OnServer):
    def test_listed_with_how_each_is_used(self):
        if self.kind == "sqlite":
            self.assertEqual(routines_of(self.spec), [])
            return
        for statement in POSTGRESQL if self.kind == "postgresql" else MARIADB:
            self.place.run(statement)
        told = {routine.name: (routine, statement) for routine, statement in routines_of(self.spec)}
        if self.kind == "postgresql":
            self.assertEqual(set(told), {"calls_from", "Twice", "cast_off"})
            rows, statement = told["calls_from"]
            taken = (("since", "date"), ("port", "text"))
            self.assertEqual((rows.gives, rows.steady, rows.parameters), ("rows", True, taken))
            self.assertEqual(statement, "SELECT * FROM calls_from(:since, :port)")
            self.assertEqual(told["Twice"][1], 'SELECT "Twice"(:value_1) AS value')
            given = {"since": "2026-01-01", "port": "Salgueiro"}
            with reading(self.spec) as connection:
                self.assertEqual(connection.execute(text(statement), given).all(), [(1, "Salgueiro")])
            self.assertIn("what a function gives", query_dataset(self.spec, statement, given).read_only_because)
            self.assertEqual(query_dataset(self.spec, statement, dict.fromkeys(given)).order, ("id", "at"))
        else:
            self.assertEqual(set(told), {"twice", "cast_off"})
            value, statement = told["twice"]
            self.assertEqual((value.gives, value.steady, statement), ("a value", True, "SELECT twice(:n) AS value"))
            with reading(self.spec) as connection:
                self.assertEqual(connection.execute(text(statement), {"n": 21}).scalar(), 42)
        acts, statement = told["cast_off"]
        filled = ", @left_at" if self.kind == "mariadb" else ""
        self.assertEqual((acts.gives, statement), ("", f"CALL cast_off(:{acts.parameters[0][0]}{filled})"))

    def test_a_procedure_s_rows_are_read_as_those_of_a_query(self):
        if self.kind != "mariadb":
            with self.assertRaisesRegex(Problem, "not only read"):
                checked_query("CALL all_kinds(:from_id)", self.kind, calls=True)
            return
        for statement in (KINDS, *PROCEDURES):
            self.place.run(statement)
        dataset = query_dataset(self.spec, "CALL all_kinds(:from_id)", {"from_id": "0"})
        self.assertEqual([field.kind for field in dataset.all], KIND_NAMES)
        self.assertIn("can be read, but not edited", dataset.read_only_because)
        given = dataset.with_parameters((("from_id", "0"),))
        with reading(self.spec) as connection:
            stored = connection.execute(text("SELECT * FROM kinds ORDER BY price DESC, id")).all()
        rows = Rows.of(self.spec, given, [("price", True), ("id", False)])
        self.assertEqual(rows.count(), len(stored))
        read = rows.window(0, 10)
        self.assertEqual(
            [row.values for row in read], [(*row[:-1], None if row.photo is None else len(row.photo)) for row in stored]
        )
        self.assertEqual([row.values[0] for row in rows.window(1, 2)], [row.id for row in stored[1:3]])
        self.assertEqual(
            [row.values[0] for row in Rows.of(self.spec, given).window(0, 10)], [3, 2, 1]
        )  # as it gives them
        cheap = rows.narrowed(Filter("price", "<", 10))
        self.assertEqual([row.values[0] for row in cheap.window(0, 10)], [r.id for r in stored if (r.price or 99) < 10])
        further = Rows.of(self.spec, dataset.with_parameters((("from_id", "2"),)))
        self.assertEqual({row.values[0] for row in further.window(0, 10)}, {2, 3})
        with self.assertRaisesRegex(Problem, "asks for from_id"):
            Rows.of(self.spec, dataset)
        listed = {routine.name: routine.perhaps_rows for routine, _ in routines_of(self.spec)}
        self.assertEqual(listed, {"all_kinds": True, "many": True, "sneaks": True, "ends": True, "writes": False})

    def test_a_procedure_that_writes_gives_no_rows(self):
        if self.kind != "mariadb":
            return
        for statement in (KINDS, *PROCEDURES):
            self.place.run(statement)
        for call, words in (
            ("CALL writes()", "not known what writes does"),
            ("CALL ends()", "ends the transaction"),
            ("CALL sneaks()", "would change something"),
            ("CALL all_kinds(0), many(2)", "one procedure"),
            ("CALL all_kinds(0); CALL many(2)", "not one statement"),
            ("CALL no_such()", "not known what no_such does"),
        ):
            with self.subTest(call), self.assertRaisesRegex(Problem, words):
                query_dataset(self.spec, call, {})
        with reading(self.spec) as connection:
            self.assertEqual(connection.execute(text("SELECT count(*) FROM kinds")).scalar(), 3)
        dataset = query_dataset(self.spec, "CALL many(:n)", {"n": "5"})
        with self.assertRaisesRegex(Problem, "more than 10,000 rows"):
            Rows.of(self.spec, dataset.with_parameters((("n", "10001"),)))
        self.assertEqual(Rows.of(self.spec, dataset.with_parameters((("n", "10000"),))).count(), 10_000)


on_each_server(globals(), Routines)
