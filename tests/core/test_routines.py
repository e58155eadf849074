"""Procedures and functions that somebody wrote on a server."""

from __future__ import annotations

from sqlalchemy import text

from enlace.core.dataset.query import query_dataset
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


on_each_server(globals(), Routines)
