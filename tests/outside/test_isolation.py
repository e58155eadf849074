"""Isolation anomalies by their published names, tried through two people's work on each server.

H. Berenson, P. Bernstein, J. Gray, J. Melton, E. O'Neil, P. O'Neil: "A Critique of ANSI SQL Isolation Levels", SIGMOD
1995. P0 dirty write: w1[x]…w2[x]…; P1 dirty read: w1[x]…r2[x]…a1; P4 lost update: r1[x]…w2[x]…w1[x]…c1; A5B write
skew: r1[x]…r2[y]…w1[y]…w2[x]. A transaction of the paper is here a person's work, from reading a record to saving it.
"""

from __future__ import annotations

import threading

from sqlalchemy import text

from enlace.core.problem import Problem
from enlace.core.save import Part, save, save_parts
from tests.servers import OnServer, on_each_server


class Anomalies(OnServer):
    def prepare(self):
        self.place.run("CREATE TABLE account (id INTEGER PRIMARY KEY, x INTEGER NOT NULL, y INTEGER NOT NULL)")
        self.place.run("INSERT INTO account VALUES (1, 50, 50), (2, 50, 50)")

    def setUp(self):
        super().setUp()
        self.accounts = self.bench("account")

    def values(self, number: int = 1):
        return self.place.run("SELECT x, y FROM account WHERE id = :n", n=number)[0]

    def test_p0_dirty_write(self):
        """Two saves of x and y at once: never x of the one with y of the other."""
        mine, theirs = self.accounts.edit("i1", x="1", y="1"), self.accounts.edit("i1", x="2", y="2")
        told = {}
        barrier = threading.Barrier(2)

        def work(name, record):
            barrier.wait()
            told[name] = save(self.spec, self.accounts.dataset, [record]).committed

        people = [threading.Thread(target=work, args=item) for item in (("mine", mine), ("theirs", theirs))]
        for person in people:
            person.start()
        for person in people:
            person.join()
        self.assertEqual(sorted(told.values()), [False, True])
        self.assertEqual(self.values(), (1, 1) if told["mine"] else (2, 2))

    def test_p1_dirty_read(self):
        """What another program has written and not committed is neither shown nor counted as read."""
        with self.place.engine.connect() as other:
            other.execute(text("UPDATE account SET x = 99 WHERE id = 1"))
            record = self.accounts.edit("i1", y="7")
            self.assertEqual(record.was["x"], 50)
            other.rollback()
        self.assertTrue(save(self.spec, self.accounts.dataset, [record]).committed)
        self.assertEqual(self.values(), (50, 7))

    def test_p4_lost_update_between_two_programs(self):
        """The other program is no form at all: it adds to x with a statement of its own while a save waits for it."""
        record = self.accounts.edit("i1", x="60")
        told = []

        def work():
            try:
                told.append(save(self.spec, self.accounts.dataset, [record]))
            except Problem as problem:
                told.append(problem)

        with self.place.engine.connect() as other:
            other.execute(text("UPDATE account SET x = x + 5 WHERE id = 1"))
            saver = threading.Thread(target=work)
            saver.start()
            saver.join(0.2)
            other.commit()
        saver.join()
        if isinstance(told[0], Problem):  # it waited for the lock longer than it may
            told[0] = save(self.spec, self.accounts.dataset, [record])
        self.assertEqual(told[0].conflicts["i1"].theirs["x"], 55)
        self.assertEqual(self.values()[0], 55)

    def test_a5b_write_skew_on_one_record(self):
        """x + y stays positive for each alone. With every field compared the second save sees that y moved."""
        from dataclasses import replace

        whole = replace(self.accounts.dataset, compare="all")
        mine, theirs = self.accounts.edit("i1", x="-40"), self.accounts.edit("i1", y="-40")
        self.assertTrue(save(self.spec, whole, [mine]).committed)
        self.assertEqual(set(save(self.spec, whole, [theirs]).conflicts), {"i1"})
        self.assertEqual(self.values(), (-40, 50))

    def test_a5b_write_skew_over_two_records_is_not_seen(self):
        """A rule over several records that the database does not hold is checked by nobody at the moment of the save:
        only records that are written are compared. This is stated in docs/how-it-works.md."""
        mine, theirs = self.accounts.edit("i1", x="-40"), self.accounts.edit("i2", x="-40")
        self.assertTrue(save(self.spec, self.accounts.dataset, [mine]).committed)
        self.assertTrue(save(self.spec, self.accounts.dataset, [theirs]).committed)

    def test_a_save_of_several_records_is_seen_whole_or_not_at_all(self):
        """P3 and A5A from the reader's side: a window of rows is one state of the database."""
        stop = threading.Event()
        odd = []

        def read():
            while not stop.is_set():
                rows = self.accounts.rows.window(0, 5)
                if len({row.values[1] for row in rows}) != 1:
                    odd.append(rows)

        reader = threading.Thread(target=read)
        reader.start()
        try:
            for n in range(15):
                both = [self.accounts.edit(item, x=str(n)) for item in ("i1", "i2")]
                self.assertTrue(save_parts(self.spec, [Part(self.accounts.dataset, both)])[""].committed)
        finally:
            stop.set()
            reader.join()
        self.assertEqual(odd, [])


on_each_server(globals(), Anomalies)
