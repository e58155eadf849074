"""Windows over tables of any size and shape."""

import random
import sqlite3
import tempfile
import threading
import time
import unittest
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from unittest import mock

from enlace.core.dataset import anchor_building, anchors, shared_hints, window
from enlace.core.dataset.anchors import LEAST_STEP, anchors_of
from enlace.core.dataset.filters import Filter
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import CUT, Rows
from enlace.core.model.values import key_of, record_id
from enlace.core.problem import Problem
from enlace.core.server.engine import reading
from tests.harbour import Bench, forget, made


class Windows(unittest.TestCase):
    def test_far_jumps_read_few_rows(self):
        """A window in the middle asks the server for rows near it only, whatever the size of the table."""
        rows = [(n, n * 7919 % 10007) for n in range(20_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": rows}), "t")
        self.assertEqual([r.values[0] for r in bench.rows.window(9_990, 20)], list(range(9_990, 10_010)))
        marks = anchors_of(bench.spec, "t", bench.rows.order)
        self.assertEqual(len(marks.anchors), -(-20_000 // LEAST_STEP))

    def test_a_change_by_somebody_else_is_seen(self):
        rows = [(n, n) for n in range(6_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": rows}), "t")
        bench.rows.window(3_000, 1)
        with sqlite3.connect(bench.spec["path"]) as db:
            db.execute("DELETE FROM t WHERE id < 1000")
        db.close()
        self.assertEqual(bench.rows.count(), 5_000)
        self.assertEqual(bench.rows.window(3_000, 1)[0].values[0], 4_000)

    @contextmanager
    def large_from(self, rows):
        """Tables of so many rows are large: what the background would do, and the readings of anchors."""
        waiting: list = []
        with (
            mock.patch.object(anchors, "LARGE", rows),
            mock.patch.object(anchors, "in_background", lambda key, act: waiting.append(act)),
            mock.patch.object(anchors, "every", wraps=anchors.every) as every,
        ):
            yield waiting, every

    def test_what_was_known_of_a_large_table_is_a_hint_after_a_change(self):
        rows = [(n, n) for n in range(20_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": rows}), "t")
        with self.large_from(10_000) as (waiting, every):
            self.assertEqual(bench.rows.window(9_990, 2)[0].values[0], 9_990)
            self.assertEqual(every.call_count, 1)
            with sqlite3.connect(bench.spec["path"]) as db:
                db.execute("DELETE FROM t WHERE id BETWEEN 100 AND 119")
                db.execute("INSERT INTO t VALUES (20000, 20000)")
            db.close()
            # Nobody waits: the last count, and a place that is off by what others did before it.
            self.assertEqual((bench.rows.count(), every.call_count), (20_000, 1))
            told = bench.rows.window(9_990, 100)
            self.assertEqual(len(told), 100)
            self.assertLessEqual(abs(told[0].values[0] - 10_010), 20)
            self.assertEqual(every.call_count, 1)
            # What stands near an end is read from there, as always.
            self.assertEqual(bench.rows.window(200, 1)[0].values[0], 220)
            for act in waiting:
                act()
            self.assertEqual(bench.rows.count(), 19_981)
            self.assertEqual(bench.rows.window(9_990, 1)[0].values[0], 10_010)
            self.assertEqual(every.call_count, 2)

    def test_what_one_process_found_out_of_a_large_table_is_a_hint_for_another(self):
        rows = [(n, n * 7919 % 20_011, f"t{n % 7}") for n in range(20_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER, b TEXT)", rows={"t": rows}), "t")
        ordered = Rows.of(bench.spec, bench.dataset, [("a", False)], None, (Filter("a", ">", 5_000),))
        folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "hints"
        shared_hints.share_in(folder)
        self.addCleanup(shared_hints.share_in, None)
        with self.large_from(10_000) as (waiting, every):
            self.assertEqual(bench.rows.count(), 20_000)
            first = ordered.window(5_000, 5)
            waiting.pop()()
            self.assertEqual([row.values[0] for row in ordered.window(5_000, 5)], [row.values[0] for row in first])
            self.assertTrue(all(path.stat().st_mode & 0o077 == 0 for path in folder.iterdir()))
            anchors.forget_anchors()  # as in a process that was started just now
            self.assertEqual((bench.rows.count(), len(waiting)), (20_000, 1))
            self.assertEqual([row.values[0] for row in ordered.window(5_000, 5)], [row.values[0] for row in first])
            self.assertEqual(every.call_count, 1)
            # What is cut off or no JSON is nothing.
            for path in folder.iterdir():
                path.write_text("[")
            anchors.forget_anchors()
            self.assertEqual(bench.rows.count(), 20_000)
            with sqlite3.connect(bench.spec["path"]) as db:
                db.execute("DELETE FROM t WHERE id > 100")
            db.close()
            anchors.forget_anchors()
            self.assertIn(bench.rows.count(), (101, 20_000))
            for act in waiting:
                act()
            self.assertEqual(bench.rows.count(), 101)
            self.assertIsNone(shared_hints.known((bench.spec, "t", ())))

    def test_one_process_reads_anchors_and_tells_the_others_how_far_it_is(self):
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": [(1, 1)]}), "t")
        ordered = bench.rows._as_ordered()
        shared_hints.share_in(Path(self.enterContext(tempfile.TemporaryDirectory())) / "hints")
        self.addCleanup(shared_hints.share_in, None)
        read = self.enterContext(mock.patch.object(anchors, "stretch_around"))
        self.enterContext(mock.patch.object(anchors, "in_background", lambda key, act: act()))
        with shared_hints.alone(ordered.key) as mine, shared_hints.alone(ordered.key) as others:
            self.assertEqual((mine, others), (True, False))
            shared_hints.tell(ordered.key, 4_000)
            self.assertEqual(anchor_building.gone_through(ordered), 4_000)
            anchors.build_in_background(ordered)
            read.assert_not_called()
        self.assertEqual(anchor_building.gone_through(ordered), 0)
        anchors.build_in_background(ordered)
        read.assert_called_once()

    def test_filtered_rows_of_a_large_table_have_anchors_and_hints_of_their_own(self):
        rows = [(n, n % 3) for n in range(30_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": rows}), "t")
        some = replace(bench.rows, filters=(Filter("a", "is", 1),))
        with self.large_from(20_000) as (waiting, every):
            self.assertEqual(bench.rows.count(), 30_000)
            # Of so many rows nobody waits for anchors: this once they are counted off.
            self.assertEqual(some.window(5_000, 2)[0].values[0], 15_001)
            self.assertEqual(every.call_count, 0)
            for act in waiting:
                act()
            self.assertEqual([row.position for row in some.window(5_000, 2)], [5_000, 5_001])
            self.assertEqual(some.window(5_000, 2)[1].values[0], 15_004)
            with sqlite3.connect(bench.spec["path"]) as db:
                db.execute("DELETE FROM t WHERE id BETWEEN 100 AND 129")
            db.close()
            told = some.window(5_000, 60)
            self.assertEqual(len(told), 60)
            self.assertLessEqual(abs(told[0].values[0] - 15_031), 30)
            self.assertEqual((some.count(), every.call_count), (10_000, 1))
            # Other filters have nothing of theirs.
            other = replace(bench.rows, filters=(Filter("a", "is", 2),))
            self.assertEqual(other.window(6_000, 1)[0].values[1], 2)
            for act in waiting[1:]:
                act()
            self.assertEqual((some.count(), some.window(5_000, 1)[0].values[0]), (9_990, 15_031))

    def test_a_place_that_takes_too_long_comes_once_its_anchors_stand(self):
        rows = [(n, n * 7919 % 30_011) for n in range(30_000)]
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER)", rows={"t": rows}), "t")
        by_a = Rows.of(bench.spec, bench.rows.dataset, [("a", False)])
        go = threading.Event()

        def late(*several, **named):
            self.assertTrue(go.wait(10))
            return every(*several, **named)

        every = anchors.every
        slow = Problem("It takes too long.", code="slow")
        with (
            mock.patch.object(window, "WAIT_FOR_ANCHORS", 1_000),
            mock.patch.object(anchors, "every", late),
            mock.patch.object(Rows, "_from_nearer_end", side_effect=slow) as counted_off,
        ):
            by_a.count()
            for _ in range(3):
                with self.assertRaisesRegex(Problem, "for the first time") as told:
                    by_a.window(15_000, 2)
                self.assertEqual(told.exception.code, "coming")
            self.assertEqual(counted_off.call_count, 1)  # once was enough: it only takes time from the background
            go.set()
            for _ in range(100):
                if anchors_of(bench.spec, "t", by_a.order).anchors:
                    break
                time.sleep(0.05)
            self.assertEqual([row.position for row in by_a.window(15_000, 2)], [15_000, 15_001])

    def test_the_background_rests_between_two_readings(self):
        done = threading.Event()
        key = (Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY)"), "t").spec, "t", ())
        calls: list = []

        def act() -> None:
            calls.append(1)
            time.sleep(0.05)
            done.set()

        anchors.in_background(key, act)
        anchors.in_background(key, act)  # it is under way
        self.assertTrue(done.wait(5))
        time.sleep(0.05)
        anchors.in_background(key, act)  # and it rests now
        time.sleep(0.1)
        self.assertEqual(len(calls), 1)

    def test_edges(self):
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT)"), "t")
        self.assertEqual((bench.rows.window(0, 50), bench.rows.count()), ([], 0))
        self.assertEqual(bench.rows.window(10**15, 50), [])
        item = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY)", "INSERT INTO t VALUES (-5)"), "t")
        self.assertEqual([r.id for r in item.rows.window(0, 50)], ["i-5"])
        self.assertEqual(item.rows.position("i-5"), 0)

    def test_long_values_are_cut_and_bytes_not_read(self):
        spec = made(
            "CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT, b BLOB)", rows={"t": [(1, "ä" * 5_000_000, b"x" * 99)]}
        )
        bench = Bench(spec, "t")
        (row,) = bench.rows.window(0, 5)
        self.assertEqual((row.values[1], row.values[2]), ("ä" * CUT, 99))
        self.assertEqual(len(bench.rows.row(row.id)[1]), 5_000_000)

    def test_text_that_is_not_utf_8_is_neither_lost_nor_in_the_way(self):
        insert = "INSERT INTO t VALUES (1, 'ä'), (2, CAST(x'41FF' AS TEXT)), (3, NULL)"
        bench = Bench(made("CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT)", insert), "t")
        for _ in range(2):
            self.assertEqual([r.values[1] for r in bench.rows.window(0, 5)], ["ä", b"A\xff", None])
        self.assertEqual(bench.rows.row("i2")[1], b"A\xff")

    def test_three_hundred_columns(self):
        columns = ", ".join(f"c{n} TEXT" for n in range(300))
        bench = Bench(
            made(f"CREATE TABLE t (id INTEGER PRIMARY KEY, {columns})", "INSERT INTO t (c299) VALUES ('last')"), "t"
        )
        self.assertEqual(bench.rows.window(0, 5)[0].values[-1], "last")

    def test_a_table_without_a_key_and_a_view(self):
        rows = [(random.Random(n).choice(["a", None, "b"]), n % 3) for n in range(5_000)]
        spec = made("CREATE TABLE t (a TEXT, b INTEGER)", "CREATE VIEW v AS SELECT * FROM t", rows={"t": rows})
        table, view = Bench(spec, "t"), Bench(spec, "v")
        self.assertEqual([r.values for r in table.rows.window(2_500, 10)], rows[2_500:2_510])
        expected = sorted(rows, key=lambda r: (r[0] is not None, r[0] or "", r[1]))
        self.assertEqual([r.values for r in view.rows.window(2_500, 10)], expected[2_500:2_510])

    def test_a_record_is_found_by_its_key(self):
        rows = [(f"{n}/{n % 7} é\"'", "x y", n) for n in range(300)]
        sql = "CREATE TABLE t (a TEXT, b TEXT, c INTEGER, d TEXT, PRIMARY KEY (a, b, c)) WITHOUT ROWID"
        bench = Bench(made(sql, rows={"t": [(*r, "v") for r in rows]}), "t")
        for position in (0, 17, 299):
            row = bench.rows.window(position, 1)[0]
            self.assertEqual(bench.rows.position(row.id), position)
            self.assertEqual(bench.rows.row(row.id), row.values)

    def test_ids_are_safe_and_exact(self):
        for key in [(1,), (-(2**63),), ("a/b?c#d",), ("",), (b"\x00\xff",), (1, "x", None), (2.5,), ("\ud800",)]:
            identifier = record_id(key)
            self.assertRegex(identifier, r"\A[ik][A-Za-z0-9_-]+\Z")
            self.assertEqual(key_of(identifier), key)
        for wrong in ["", "i", "i01", "i9999999999999999999999", "k", "k!!", "kZZZZ", "x1", "i1 ", "i-", "ié"]:
            with self.assertRaises(ValueError):
                key_of(wrong)

    def test_sorting_by_what_can_not_be_sorted_falls_back_to_the_key(self):
        bench = Bench(
            made("CREATE TABLE t (id INTEGER PRIMARY KEY, p BLOB)", "INSERT INTO t VALUES (1, x'89504e470d0a1a0a')"),
            "t",
        )
        order = Rows.of(bench.spec, bench.dataset, [("p", True), ("nothing", False)]).order
        self.assertEqual([p.column for p in order], ["id"])


class LockedFiles(unittest.TestCase):
    """One file that somebody keeps locked, and another one beside it."""

    def setUp(self):
        self.addCleanup(forget)
        self.specs = [
            made("CREATE TABLE quay (id INTEGER PRIMARY KEY, name TEXT)", rows={"quay": [(1, "North")]})
            for _ in range(2)
        ]
        for spec in self.specs:
            self.assertEqual(self.look(spec), 1)

    def look(self, spec):
        rows = Rows.of(spec, make_dataset(spec, "quay"))
        return rows.count() and len(rows.window(0, 10))

    def test_nobody_else_waits_and_a_page_waits_once(self):
        locked, free = self.specs
        with sqlite3.connect(locked["path"], isolation_level=None) as other:
            other.execute("BEGIN EXCLUSIVE")
            told: list[Problem] = []
            waits: list[int] = []

            def page():
                for _ in range(3):
                    try:
                        with reading(locked) as connection:
                            waits.append(connection.exec_driver_sql("PRAGMA busy_timeout").scalar())
                            connection.exec_driver_sql("SELECT * FROM quay")
                    except Problem as problem:
                        told.append(problem)

            waiting = threading.Thread(target=page)
            waiting.start()
            self.assertEqual([self.look(free) for _ in range(20)], [1] * 20)
            self.assertTrue(waiting.is_alive())
            waiting.join()
            self.assertEqual([item.code for item in told], ["locked"] * 3)
            self.assertEqual(waits, [4_000, 0, 0])
            other.execute("ROLLBACK")
        self.assertEqual(self.look(locked), 1)
