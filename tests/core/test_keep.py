"""Kept copies: what is read from one is what the server gave, to the last digit and in the same order."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import mock

from enlace.core.dataset import offline as keeping
from enlace.core.dataset.offline import take_copy
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import as_read, with_text
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.save import save
from tests.harbour import ENGLISH
from tests.servers import OnServer, on_each_server


class Keeping(OnServer):
    def setUp(self):
        super().setUp()
        self.place.run(
            "UPDATE shipment SET day = '2026-03-04', clock = '07:30:00', at = '2026-03-04 05:06:07' WHERE id = 5"
        )
        self.place.run("UPDATE shipment SET weight = 9.5, day = '1999-12-31', remarks = 'até já' WHERE id = 6")
        self.place.run("UPDATE shipment SET weight = 10.25 WHERE id = 7")
        self.shipments = self.bench("shipment")
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.path = Path(folder) / "copy.sqlite3"
        self.kept = ConnectionSpec.of("kept", path=str(self.path))
        self.datasets = [self.shipments.dataset, self.bench("Leg of way").dataset, self.bench("agent").dataset]

    def rows(self, spec, *order):
        return Rows.of(spec, self.shipments.dataset, order)

    def test_the_same_rows_in_the_same_order(self):
        made = take_copy(self.spec, self.datasets, self.path)
        self.assertEqual({item.name: item.rows for item in made}, {"shipment": 400, "Leg of way": 3, "agent": 3})
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o600)
        for order in ((), (("weight", True),), (("code", True), ("weight", False))):
            live, kept = self.rows(self.spec, *order), self.rows(self.kept, *order)
            one, other = live.window(0, 400), kept.window(0, 400)
            if order[:1] == (("weight", True),):  # servers place NULLs differently; the numbers stand in one order
                one, other = ([r.values for r in rows if r.values[3] is not None] for rows in (one, other))
            self.assertEqual(one, other)
        typed = lambda values: [(type(v), v) for v in values]  # noqa: E731
        for identifier in ("i5", "i6", "i7"):
            self.assertEqual(typed(self.rows(self.spec).row(identifier)), typed(self.rows(self.kept).row(identifier)))
        ordered = self.rows(self.kept, ("weight", False))
        self.assertEqual(ordered.window(ordered.position("i7"), 1)[0].id, "i7")
        self.assertEqual(self.rows(self.kept).window(390, 100)[-1].id, "i400")

    def test_an_edit_made_over_the_copy_is_saved_with_the_same_checks(self):
        take_copy(self.spec, self.datasets, self.path)
        dataset = self.shipments.dataset
        records = []
        for identifier in ("i5", "i6", "i7"):
            row = dict(zip([f.name for f in dataset.fields], self.rows(self.kept).row(identifier), strict=True))
            record = as_read(dataset, identifier, key_of(identifier), row)
            record = with_text(record, dataset.by_name["weight"], "77.125", ENGLISH)
            records.append(with_text(record, dataset.by_name["day"], "1 May 2026", ENGLISH))
        self.place.run("UPDATE shipment SET weight = 1 WHERE id = 6")  # somebody else, meanwhile
        outcome = save(self.spec, dataset, records)
        self.assertEqual((outcome.committed, list(outcome.conflicts)), (False, ["i6"]))
        outcome = save(self.spec, dataset, [records[0], records[2]])
        self.assertTrue(outcome.committed, outcome)
        rows = self.place.run("SELECT id, weight FROM shipment WHERE id IN (5, 6, 7) ORDER BY id")
        self.assertEqual([float(w) for _, w in rows], [77.125, 1, 77.125])

    def test_too_much_leaves_the_older_copy(self):
        take_copy(self.spec, self.datasets, self.path)
        before = self.path.read_bytes()
        with mock.patch.object(keeping, "MOST_ROWS", 100), self.assertRaisesRegex(Problem, "too large"):
            take_copy(self.spec, self.datasets, self.path)
        with mock.patch.object(keeping, "MOST_BYTES", 100), self.assertRaisesRegex(Problem, "too much"):
            take_copy(self.spec, self.datasets, self.path)
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual([path.name for path in self.path.parent.iterdir()], [self.path.name])


on_each_server(globals(), Keeping)
