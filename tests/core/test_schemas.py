"""Databases whose tables stand in schemas that the server does not look into by itself."""

import unittest

from enlace.core.model.connection import ConnectionSpec
from enlace.core.save import save
from enlace.core.server.catalog import Catalog
from enlace.core.server.connecting import take_apart
from enlace.core.server.dialects.postgresql_schemas import schemas_of, search_path
from enlace.core.server.probing.run import run_step
from tests.harbour import Bench
from tests.servers import Place

LISTED = 5  # the step of the test that lists tables


class Schemas(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.place = Place("postgresql")
        cls.addClassCleanup(cls.place.close)
        for statement in (
            'CREATE SCHEMA "Old, \\ ""stock"" "',
            "CREATE SCHEMA plain",
            'CREATE TABLE "Old, \\ ""stock"" ".crate (id integer PRIMARY KEY, label text NOT NULL)',
            "CREATE TABLE plain.crate (other integer PRIMARY KEY)",
            'CREATE TABLE plain.load (id integer PRIMARY KEY, crate integer REFERENCES "Old, \\ ""stock"" ".crate)',
            "CREATE VIEW plain.loads AS SELECT * FROM plain.load",
            'INSERT INTO "Old, \\ ""stock"" ".crate VALUES (1, \'first\')',
        ):
            cls.place.run(statement)

    def looking_into(self, given: str) -> ConnectionSpec:
        spec = self.place.spec
        return ConnectionSpec.of(spec.kind, spec.secret, schema=given, **dict(spec.parameters))

    def test_a_list_of_names(self):
        self.assertEqual(
            schemas_of(' sales, "Old, sales" ,, "a""b",$user,sales'), ["sales", "Old, sales", 'a"b', "$user"]
        )
        self.assertEqual(search_path(r'a b\c, "d"'), r'"a\ b\\c","d"')
        self.assertEqual(take_apart("jdbc:postgresql://h/d?currentSchema=sales").parameters["schema"], "sales")

    def test_they_are_told_of_and_looked_into_in_order(self):
        told = run_step(self.place.spec, LISTED).problem
        self.assertIn("No table is in sight.", str(told))
        self.assertIn('1 in the schema Old, \\ "stock" , 3 in the schema plain', told.hint)
        wrong = run_step(self.looking_into("Plain"), LISTED).problem
        self.assertIn("no schema “Plain”", str(wrong))
        self.assertIn("“plain”", wrong.hint)
        one = self.looking_into("plain")
        self.assertIn("3 tables and views; out of sight 1 in the schema Old", run_step(one, LISTED).found)
        both = self.looking_into('"Old, \\ ""stock"" ", plain')
        self.assertIsNone(run_step(both, LISTED).problem)
        catalog = Catalog.of(both)
        self.assertEqual((catalog.tables, catalog.views), (("crate", "load"), ("loads",)))
        self.assertEqual([column.name for column in catalog.table("crate").columns], ["id", "label"])
        self.assertEqual([r.target for r in catalog.table("load").references], ["crate"])
        self.assertEqual([column.name for column in Catalog.of(one).table("crate").columns], ["other"])

    def test_rows_are_read_and_saved_there(self):
        spec = self.looking_into('"Old, \\ ""stock"" ", plain')
        bench = Bench(spec, "crate")
        [row] = bench.rows.window(0, 5)
        outcome = save(spec, bench.dataset, [bench.edit(row.id, label="second")])
        self.assertTrue(outcome.committed)
        self.assertEqual(self.place.run('SELECT label FROM "Old, \\ ""stock"" ".crate'), [("second",)])
