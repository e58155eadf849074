"""The lost update, P4 in H. Berenson et al., "A Critique of ANSI SQL Isolation Levels", SIGMOD 1995, section 4.1:

    r1[x] ... w2[x] ... w1[x] ... c1

Transaction 1 reads x, transaction 2 writes it, transaction 1 writes what it computed from the old value: the
update of 2 is lost. Here a transaction is a person's work on a form, from reading a record to saving it.
"""

import threading
import unittest

from enlace.core.draft import conflicts
from enlace.core.draft.pending import with_text
from enlace.core.save import save
from tests.harbour import ENGLISH, Bench, ask, made

TABLE = "CREATE TABLE account (id INTEGER PRIMARY KEY, x INTEGER NOT NULL, note TEXT)"


class LostUpdate(unittest.TestCase):
    def setUp(self):
        self.spec = made(TABLE, rows={"account": [(1, 100, None), (2, 100, None)]})

    def x(self) -> int:
        return ask(self.spec, "SELECT x FROM account WHERE id = 1")[0][0]

    def test_the_history_of_the_paper(self):
        """H4 of the paper: r1[x=100] r2[x=100] w2[x=120] c2 w1[x=130] c1."""
        first, second = Bench(self.spec, "account"), Bench(self.spec, "account")
        mine, theirs = first.edit("i1", x="130"), second.edit("i1", x="120")
        self.assertTrue(save(self.spec, second.dataset, [theirs]).committed)
        outcome = save(self.spec, first.dataset, [mine])
        self.assertFalse(outcome.committed)
        self.assertEqual(outcome.conflicts["i1"].theirs["x"], 120)
        self.assertEqual(self.x(), 120)

    def test_blind_writes_of_the_old_value_are_no_way_round(self):
        """Their write changed x and changed it back to another text of the same number: still the value read."""
        bench = Bench(self.spec, "account")
        mine = bench.edit("i1", x="130")
        ask(self.spec, "UPDATE account SET x = 120 WHERE id = 1")
        ask(self.spec, "UPDATE account SET x = 100 WHERE id = 1")
        self.assertTrue(save(self.spec, bench.dataset, [mine]).committed)

    def test_many_people_at_once_lose_nothing(self):
        """Each adds 1 to x again and again, and on a conflict starts over from theirs: every addition counts."""
        people, additions, clashes = 6, 12, []

        def work():
            bench = Bench(self.spec, "account")
            for _ in range(additions):
                committed = False
                while not committed:
                    read = bench.read("i1")
                    mine = with_text(read, bench.dataset.by_name["x"], str(read.was["x"] + 1), ENGLISH)
                    outcome = save(self.spec, bench.dataset, [mine])
                    committed = outcome.committed
                    clashes.extend(outcome.conflicts)

        threads = [threading.Thread(target=work) for _ in range(people)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(self.x(), 100 + people * additions)
        self.assertGreater(len(clashes), 0)  # otherwise nobody met anybody, and this showed nothing

    def test_choosing_mine_does_not_overwrite_a_third_change(self):
        from dataclasses import replace

        bench = Bench(self.spec, "account")
        mine = bench.edit("i1", x="130")
        ask(self.spec, "UPDATE account SET x = 120 WHERE id = 1")
        conflict = save(self.spec, bench.dataset, [mine]).conflicts["i1"]
        chosen = conflicts.resolved(bench.dataset, replace(mine, conflict=conflict), [])
        ask(self.spec, "UPDATE account SET x = 125 WHERE id = 1")
        self.assertFalse(save(self.spec, bench.dataset, [chosen]).committed)
        self.assertEqual(self.x(), 125)
