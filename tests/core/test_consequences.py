"""What a save takes with it, and what is said of a COMMIT that is refused or that nobody answered, on each server."""

import unittest
from dataclasses import replace
from unittest import mock

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import as_read, removed
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.save import Part, rehearse_parts, save_parts
from enlace.core.save import run as saving
from enlace.core.save.consequences import in_sentences, tables_written_by
from enlace.core.save.foresee import foreseen
from enlace.core.server import Catalog, engine
from enlace.core.server.dialects import server_kind
from enlace.core.server.engine import UnknownOutcome
from tests.harbour import Bench, ask, forget, made
from tests.servers import OnServer, on_each_server

TREE = """
CREATE TABLE quay (code VARCHAR(9) PRIMARY KEY, name VARCHAR(40));
CREATE TABLE berth (id INTEGER PRIMARY KEY, quay VARCHAR(9), above INTEGER,
  FOREIGN KEY (quay) REFERENCES quay (code) ON DELETE CASCADE ON UPDATE CASCADE,
  FOREIGN KEY (above) REFERENCES berth (id) ON DELETE CASCADE);
CREATE TABLE visit (berth INTEGER NOT NULL, no INTEGER NOT NULL, note VARCHAR(40), PRIMARY KEY (berth, no),
  FOREIGN KEY (berth) REFERENCES berth (id) ON DELETE CASCADE);
CREATE TABLE lamp (id INTEGER PRIMARY KEY, berth INTEGER, FOREIGN KEY (berth) REFERENCES berth (id) ON DELETE SET NULL);
INSERT INTO quay VALUES ('N', 'North'), ('S', 'South');
INSERT INTO berth VALUES (1, 'N', NULL), (2, 'N', NULL), (3, 'S', 1), (4, 'S', NULL);
INSERT INTO visit VALUES (1, 1, 'a'), (1, 2, 'b'), (3, 1, 'c'), (4, 1, 'd');
INSERT INTO lamp VALUES (1, 1), (2, 3), (3, 4)
"""
SAID = "removes 3 rows of berth and 3 rows of visit and empties berth in 2 rows of lamp."


class Cascades(OnServer):
    def prepare(self):
        for statement in TREE.split(";"):
            self.place.run(statement)
        self.spec = self.place.spec
        self.quays = Bench(self.spec, "quay")

    def gone(self):
        north = next(row.id for row in self.quays.rows.window(0, 9) if row.values[0] == "N")
        return removed(self.quays.read(north))

    def test_they_are_counted_to_any_depth_before_and_after(self):
        part = Part(self.quays.dataset, [self.gone()])
        self.assertEqual(in_sentences(foreseen(self.spec, [part])), [f"The database also {SAID}"])
        self.assertEqual(
            in_sentences(rehearse_parts(self.spec, [part])[""].consequences), [f"The database also {SAID}"]
        )
        outcome = save_parts(self.spec, [part])[""]
        self.assertTrue(outcome.committed)
        kept = {row.table: (row.act, len(row.kept), row.restorable) for row in outcome.consequences.rows}
        expected = {"berth": ("removed", 3, True), "visit": ("removed", 3, True), "lamp": ("emptied", 2, True)}
        self.assertEqual(kept, expected)
        self.assertEqual(self.place.run("SELECT count(*) FROM visit"), [(1,)])

    def test_what_the_draft_removes_itself_is_no_consequence(self):
        visits = Bench(self.spec, "visit")
        details = [removed(visits.read(row.id)) for row in visits.rows.window(0, 9) if row.values[0] == 1]
        told = foreseen(self.spec, [Part(self.quays.dataset, [self.gone()]), Part(visits.dataset, details, name="v")])
        self.assertIn("3 rows of berth and 1 row of visit", in_sentences(told)[0])

    def test_another_key_changes_those_that_refer_to_it(self):
        edited = self.quays.edit(self.gone().id, code="NN")
        told = in_sentences(foreseen(self.spec, [Part(self.quays.dataset, [edited])]))
        self.assertEqual(told, ["The database also changes quay in 2 rows of berth."])

    def test_beyond_the_limit_it_says_more_than(self):
        with mock.patch("enlace.core.save.consequences.MOST_FOLLOWED", 2):
            told = in_sentences(foreseen(self.spec, [Part(self.quays.dataset, [self.gone()])]))[0]
        self.assertIn("more than", told)

    def test_a_trigger_that_writes_elsewhere_is_named(self):
        body = "INSERT INTO lamp (id, berth) VALUES (99, NULL)"
        if self.place.kind == "postgresql":
            self.place.run(f"CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS $$BEGIN {body}; RETURN OLD; END$$")
            self.place.run("CREATE TRIGGER t AFTER DELETE ON quay FOR EACH ROW EXECUTE FUNCTION f()")
        else:
            each = "FOR EACH ROW " if self.place.kind == "mariadb" else ""
            self.place.run(f"CREATE TRIGGER t AFTER DELETE ON quay {each}BEGIN {body}; END")
        part = Part(self.quays.dataset, [self.gone()])
        with mock.patch("enlace.core.save.foresee.Catalog.lately", Catalog.of):
            told = in_sentences(foreseen(self.spec, [part]))
        self.assertEqual(told[1:], ["A trigger of quay may change rows of lamp too."])

    def test_in_doubt_nothing_is_called_not_written(self):
        """The COMMIT went through and its answer got lost; then the server answers nothing more, in each way it can."""
        away = Problem("The database server does not answer.", code="away")
        real = engine._commit
        for where in ("session_ended", "_prepared", "writing"):
            lost: list[int] = []

            def commit(spec, connection, lost=lost):
                if lost:
                    return real(spec, connection)
                lost.append(1)
                connection.commit()
                raise UnknownOutcome(Problem("away", words="broken pipe", code="away"), None)

            real_part = getattr(saving, where)

            def broken(*args, lost=lost, real_part=real_part, **how):
                if lost:
                    raise away
                return real_part(*args, **how)

            record = self.quays.edit(self.gone().id, name=f"Name {where}")
            with (
                self.subTest(where),
                mock.patch.object(engine, "_commit", commit),
                mock.patch.object(saving, where, broken),
                mock.patch.object(saving, "SECONDS_TO_FIND_OUT", 0.4),
                self.assertRaises(UnknownOutcome),
            ):
                save_parts(self.spec, [Part(self.quays.dataset, [record])])

    def test_an_error_of_the_driver_at_commit_leaves_it_open(self):
        with mock.patch("sqlalchemy.engine.Connection.commit", side_effect=AttributeError("no socket")):
            record = self.quays.edit(self.gone().id, name="New name")
            # A server may have done it all the same. A file whose transaction is still open has not.
            open_still = server_kind(self.spec.kind).in_process
            with (
                mock.patch.object(saving, "SECONDS_TO_FIND_OUT", 0.4),
                self.assertRaises(Problem if open_still else UnknownOutcome) as caught,
            ):
                save_parts(self.spec, [Part(self.quays.dataset, [record])])
            self.assertEqual(isinstance(caught.exception, UnknownOutcome), not open_still)
        self.assertEqual(self.place.run("SELECT count(*) FROM quay WHERE name = 'New name'"), [(0,)])


on_each_server(globals(), Cascades)

DEFERRED = (
    "CREATE TABLE ship (id INTEGER PRIMARY KEY, name TEXT)",
    "CREATE TABLE call (id INTEGER PRIMARY KEY, ship INTEGER REFERENCES ship (id) DEFERRABLE INITIALLY DEFERRED)",
)


class Deferred(unittest.TestCase):
    """On SQLite, where nothing but COMMIT looks at deferred references."""

    def setUp(self):
        self.addCleanup(forget)
        rows = {"ship": [(1, "A"), (2, "B")], "call": [(n, 1) for n in range(9)] + [(99, 77)]}
        self.file = made(*DEFERRED, rows=rows)
        self.ships = Bench(self.file, "ship")

    def test_a_rehearsal_says_what_the_save_says(self):
        part = Part(self.ships.dataset, [removed(self.ships.read("i1"))])
        told = "This record can't be removed: 9 rows of call still refer to it."
        for act in (rehearse_parts, save_parts, save_parts):
            outcome = act(self.file, [part])[""]
            self.assertEqual([refusal.sentence for refusal in outcome.refusals["i1"]], [told])
            self.assertFalse(outcome.committed or outcome.ids)
        self.assertEqual(ask(self.file, "SELECT count(*) FROM ship"), [(2,)])

    def test_what_was_loose_before_holds_nothing_back(self):
        part = Part(self.ships.dataset, [removed(self.ships.read("i2"))])
        self.assertFalse(rehearse_parts(self.file, [part])[""].failed)
        self.assertTrue(save_parts(self.file, [part])[""].committed)

    def test_a_new_row_that_refers_to_nothing(self):
        calls = make_dataset(self.file, "call")
        row = Rows.of(self.file, calls).window(0, 1)[0]
        record = as_read(calls, row.id, key_of(row.id), dict(zip(("id", "ship"), row.values, strict=True)))
        part = Part(calls, [replace(record, now={"ship": 55})])
        for act in (rehearse_parts, save_parts):
            self.assertIn("There is no 55 in ship", act(self.file, [part])[""].refusals[row.id][0].sentence)


class TriggerTexts(unittest.TestCase):
    def test_the_tables_that_a_text_writes_to(self):
        text = (
            'UPDATE OR IGNORE "b" SET x = 1; insert into main.c select * from d; DELETE FROM [e e]; select update_f()'
        )
        self.assertEqual(tables_written_by(text, ["B", "c", "d", "e e", "f"]), ("B", "c", "e e"))
