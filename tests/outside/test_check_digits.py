"""The demo's ship and container numbers against published examples and python-stdnum."""

import sqlite3
import unittest

from stdnum import imo, iso6346

from demo.harbour.generate import container_number, imo_number
from tests.harbour import harbour_copy


class CheckDigits(unittest.TestCase):
    def test_published_examples(self):
        # IMO 9074729 is the worked example of the check digit in IMO's own description of the scheme
        # (IMO identification number schemes, resolution A.1117(30); the digits from memory).
        self.assertEqual(imo_number(907472), "9074729")
        # CSQU3054383 is the worked example of ISO 6346:1995, annex A (from memory).
        self.assertEqual(container_number("CSQ", 305438), "CSQU3054383")

    def test_every_number_of_the_demo(self):
        with sqlite3.connect(harbour_copy()) as db:
            ships = [row[0] for row in db.execute("SELECT imo_no FROM vessel")]
            boxes = [row[0] for row in db.execute("SELECT container_no FROM container_move")]
        self.assertEqual((len(ships), len(set(ships))), (40, 40))
        self.assertGreater(len(boxes), 100)
        self.assertEqual([n for n in ships if not imo.is_valid(n)], [])
        self.assertEqual([n for n in boxes if not iso6346.is_valid(n)], [])
