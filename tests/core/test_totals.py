"""Totals that count the draft: what they say is what the server says once the draft is saved."""

from __future__ import annotations

import random
import statistics
from dataclasses import replace
from decimal import Decimal

import numpy

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.spread import BARS, spread
from enlace.core.dataset.totals import FUNCTIONS, Total, totals
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import removed
from enlace.core.save import save
from tests.servers import OnServer, on_each_server

ADDED = [Total("weight", item) for item in ("count", "sum", "avg", "min", "max")]
WANTED = [Total("weight", item) for item in FUNCTIONS] + [
    Total("code", "distinct"),
    Total("day", "distinct"),
    Total("pieces", "sum"),
    Total("day", "max"),
    Total("day", "count"),
]


class Totals(OnServer):
    def draft(self, bench, chance: random.Random, turn: int):
        """Random edits, removals and new records; values at the ends, ties and NULLs among them."""
        weights = ["", "1", "100", "0.001", "250.5", "42"]
        ids = chance.sample([int(row.id[1:]) for row in bench.rows.window(0, 300)], 60)
        edited = [bench.edit(f"i{n}", weight=chance.choice(weights), day="3 Mar 2026") for n in ids[:40]]
        gone = [removed(bench.read(f"i{n}")) for n in ids[40:]]
        new = [
            self.new(bench, code=f"T-{turn}-{n}", agent_id="1", weight=chance.choice(weights), pieces=str(n))
            for n in range(9)
        ]
        return [*edited, *gone, *new]

    def test_as_after_the_save(self):
        bench = self.bench("shipment")
        chance = random.Random(11)
        self.place.run('DELETE FROM "Leg of way"' if self.kind != "mariadb" else "DELETE FROM `Leg of way`")
        for turn in range(3):
            draft = self.draft(bench, chance, turn)
            before = totals(bench.rows, WANTED, draft)
            self.assertTrue(save(self.spec, bench.dataset, draft).committed)
            self.assertEqual(self.plain(totals(bench.rows, WANTED)), self.plain(before))

    def plain(self, values):
        """Numbers of one type: the least value of a file comes as a float, the same one of a draft as a Decimal."""
        return [Decimal(str(value)) if isinstance(value, int | float | Decimal) else value for value in values]

    def test_against_the_statistics_module(self):
        bench = self.bench("shipment")
        weights = [
            Decimal(str(value)) for (value,) in self.place.run("SELECT weight FROM shipment") if value is not None
        ]
        [different] = totals(bench.rows, [Total("weight", "distinct")])
        self.assertEqual(different, len(set(weights)))
        tally = totals(bench.rows, ADDED)
        self.assertEqual(tally[0], len(weights))
        self.assertEqual(tally[1], sum(weights))
        self.assertEqual(tally[2], round(statistics.mean(weights), 5))
        self.assertEqual([Decimal(str(item)) for item in tally[3:]], [min(weights), max(weights)])

    def test_those_of_one_master_and_of_nothing(self):
        bench = self.bench("shipment")
        some = Rows.of(self.spec, bench.dataset, within=[("agent_id", 2)])
        [(count, total)] = self.place.run("SELECT count(weight), sum(weight) FROM shipment WHERE agent_id = 2")
        self.assertEqual([Decimal(str(total)) for total in totals(some, ADDED[:2])], [count, Decimal(str(total))])
        other = bench.edit("i3", weight="9000")  # of another master: it does not count here
        self.assertEqual(totals(some, ADDED[:2], [other]), totals(some, ADDED[:2]))
        none = Rows.of(self.spec, bench.dataset, within=[("agent_id", None)])
        self.assertEqual(totals(none, ADDED), [0, None, None, None, None])

    def test_how_numbers_spread_against_numpy(self):
        bench = self.bench("shipment")
        weights = [Decimal(str(v)) for (v,) in self.place.run("SELECT weight FROM shipment") if v is not None]
        bars = spread(bench.rows, "weight")
        self.assertTrue(BARS // 3 < len(bars) <= BARS + 1, bars)
        edges = [float(bar.least) for bar in bars] + [float(bars[-1].most)]
        counts, _ = numpy.histogram([float(w) for w in weights], bins=edges)
        self.assertEqual(sum(bar.count for bar in bars), len(weights))
        self.assertLessEqual(
            sum(abs(int(a) - b.count) for a, b in zip(counts, bars, strict=True)), 2
        )  # floats at edges
        ids = [v for (v,) in self.place.run("SELECT id FROM shipment")]
        whole = spread(bench.rows, "id")
        self.assertEqual(sum(bar.count for bar in whole), len(ids))
        self.assertTrue(whole[0].least <= min(ids) and whole[-1].least <= max(ids) < whole[-1].most)
        self.assertEqual(spread(bench.rows, "pieces"), [])  # all of them are one number
        # a calculated number spreads as the one that it is calculated of
        doubled = replace(bench.dataset, extra=(FieldSpec("twice", "Twice", "decimal", formula="weight * 2"),))
        twice = spread(Rows.of(self.spec, doubled), "twice")
        self.assertEqual([(bar.least, bar.count) for bar in twice], [(bar.least * 2, bar.count) for bar in bars])
        self.assertEqual(spread(Rows.of(self.spec, bench.dataset, within=[("agent_id", None)]), "weight"), [])


class LongNumbers(OnServer):
    """More digits than Python's usual context keeps, as MariaDB and PostgreSQL have them."""

    def prepare(self):
        self.place.run("CREATE TABLE vast (id INTEGER PRIMARY KEY, n DECIMAL(50, 10))")
        numbers = ["1234567890123456789012345678901234567890.1234567891", "-0.0000000001", "3.5"]
        self.place.run("INSERT INTO vast VALUES " + ", ".join(f"({i}, {n})" for i, n in enumerate(numbers, 1)))

    def test_no_digit_is_lost(self):
        bench = self.bench("vast")
        draft = [bench.edit("i2", n="1000000000000000000000000000.0000000001"), removed(bench.read("i3"))]
        wanted = [Total("n", function) for function in ("sum", "max", "avg")]
        told = totals(bench.rows, wanted, draft)
        self.assertTrue(save(self.spec, bench.dataset, draft).committed)
        [(added, greatest)] = self.place.run("SELECT sum(n), max(n) FROM vast")
        self.assertEqual(told[:2], [added, greatest])
        self.assertGreater(len(added.as_tuple().digits), 40)
        self.assertEqual(told[2], Decimal("617283945062228394506172839450617283945.061728394600"))


class NoFiniteNumbers(OnServer):
    """NaN and infinity, which PostgreSQL keeps among numbers: NaN stands after all others."""

    def prepare(self):
        self.place.run("CREATE TABLE odd (id integer PRIMARY KEY, n numeric, d double precision)")
        self.place.run("INSERT INTO odd VALUES (1, 'NaN', 'Infinity'), (2, 2.5, '-Infinity'), (3, 'NaN', 1), (4, 4, 7)")

    def test_as_after_the_save(self):
        bench = self.bench("odd")
        wanted = [Total(name, function) for name in ("n", "d") for function in FUNCTIONS]
        for draft in (
            [],
            [bench.edit("i2", n="7", d="5")],
            [bench.edit("i1", n="1", d="2"), removed(bench.read("i3"))],
        ):
            told = totals(bench.rows, wanted, draft)
            if draft:
                self.assertTrue(save(self.spec, bench.dataset, draft).committed)
            after = totals(bench.rows, wanted)
            self.assertEqual(list(map(str, told)), list(map(str, after)))
        # No number with NaN in it is left: 1, 7 and 4.
        self.assertEqual((told[2], told[4]), (Decimal(12), Decimal(1)))
        self.assertEqual(sum(bar.count for bar in spread(bench.rows, "n")), 3)


on_each_server(globals(), Totals)
on_each_server(globals(), LongNumbers, servers=("postgresql", "mariadb"))
on_each_server(globals(), NoFiniteNumbers, servers=("postgresql",))
