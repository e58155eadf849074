"""What Enlace chooses by itself, judged on schemas of packages that know nothing of it: mbdata, piecash, pygtfs,
django-oscar, wagtail and beets, with their own migrations and models, and rows as their own code writes them.

The rules by which faults are counted are those of `schemas.score`; the counts are printed.
"""

import unittest

from tests.outside.schemas import made
from tests.outside.schemas.score import score

# What may be left: near nothing. The rules are general, so a schema's own habits may beat one or two of them.
MOST = 2


class SensibleByItself(unittest.TestCase):
    def test_six_schemas(self):
        for path in sorted(made().glob("*.sqlite")):
            counts, told = score(path)
            print(f"\n{path.stem}: {sum(counts.values())} faults {dict(counts) or ''}", end="")
            with self.subTest(path.stem):
                self.assertLessEqual(sum(counts.values()), MOST, told)

    def test_the_measure_sees_faults(self):
        """What was made badly on purpose is counted: a list by what repeats, a label of code, a number cut off."""
        import sqlite3
        import tempfile
        from pathlib import Path
        from unittest import mock

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bad.sqlite"
            with sqlite3.connect(path) as db:
                db.executescript(
                    "CREATE TABLE kind (id INTEGER PRIMARY KEY, name TEXT NOT NULL, note TEXT);"
                    "CREATE TABLE thing (id INTEGER PRIMARY KEY, kind_id INTEGER REFERENCES kind (id), big REAL, api_token TEXT);"
                )
                db.executemany("INSERT INTO kind (name, note) VALUES (?, ?)", [("same", f"n{i}") for i in range(20)])
                db.execute("INSERT INTO thing (kind_id, big) VALUES (1, 123456789.125)")
            self.assertEqual(score(path)[0].total(), 0)
            inference = "enlace.core.dataset.inference"
            with (
                mock.patch(f"{inference}.references.shown_columns", lambda *_: ("name",)),
                mock.patch(f"{inference}.make.label_of", lambda name, words=(): name),
                mock.patch(f"{inference}.make.width_of", lambda *_: 40),
                mock.patch(f"{inference}.make._nobodys", lambda *_: False),
            ):
                counts = score(path)[0]
            self.assertEqual(set(counts), {"lists", "labels", "cut", "seen"}, counts)
