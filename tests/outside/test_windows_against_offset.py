"""Windows against the server's own ORDER BY … OFFSET, on whole orders with NULLs, ties and mixed types."""

import unittest
from dataclasses import replace

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from enlace.core.dataset import anchors
from enlace.core.dataset import window as window_module
from enlace.core.dataset.filters import Filter
from enlace.core.dataset.window import Rows
from tests.harbour import Bench, ask, made

values = st.one_of(st.none(), st.integers(-3, 3), st.sampled_from(["", "a", "A", "b", "é"]), st.floats(-2, 2, width=16))


class AgainstOffset(unittest.TestCase):
    """The oracle is SQLite: `ORDER BY column, key LIMIT n OFFSET m`, NULLs where it puts them."""

    def setUp(self):
        # Small steps, so that a few hundred rows have many anchors and every window is sought by them.
        self.kept = anchors.LEAST_STEP, anchors.FILTERED_STEP, window_module.NEAR
        anchors.LEAST_STEP, anchors.FILTERED_STEP, window_module.NEAR = 4, 3, 1

    def tearDown(self):
        anchors.LEAST_STEP, anchors.FILTERED_STEP, window_module.NEAR = self.kept

    @settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
    @given(
        st.lists(st.tuples(values, values), min_size=1, max_size=60),
        st.booleans(),
        st.booleans(),
        st.booleans(),
        st.integers(1, 9),
    )
    def test_every_window_of_the_whole_order(self, pairs, down_a, down_b, indexed, size):
        rows = [(n * 3, a, b) for n, (a, b) in enumerate(pairs)]
        spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY, a, b)", rows={"t": rows})
        if indexed:
            ask(spec, "CREATE INDEX ab ON t (a, b)")
        bench = Bench(spec, "t")
        wanted = [("a", down_a), ("b", down_b)]
        reader = Rows.of(spec, bench.dataset, wanted)
        sortable = [p.column for p in reader.order]
        order = ", ".join(f"{p.column} {'DESC' if p.descending else 'ASC'}" for p in reader.order)
        self.assertEqual(sortable[-1], "id")
        expected = [r[0] for r in ask(spec, f"SELECT id FROM t ORDER BY {order}")]
        for start in range(0, len(rows), 1):
            got = [(r.position, r.id) for r in reader.window(start, size)]
            self.assertEqual(got, [(start + i, f"i{n}") for i, n in enumerate(expected[start : start + size])])
        for position, n in enumerate(expected):
            self.assertEqual(reader.position(f"i{n}"), position)
        some = replace(reader, filters=(Filter("id", ">", 10), Filter("a", "filled")))
        passing = [
            r[0] for r in ask(spec, f"SELECT id FROM t WHERE id > 10 AND a IS NOT NULL AND a <> '' ORDER BY {order}")
        ]
        for start in range(len(passing)):
            told = [(r.position, r.id) for r in some.window(start, size)]
            self.assertEqual(told, [(start + i, f"i{n}") for i, n in enumerate(passing[start : start + size])])

    @settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
    @given(
        st.lists(st.tuples(values.filter(lambda v: v is not None), st.integers(0, 3)), min_size=1, max_size=60),
        st.booleans(),
        st.booleans(),
        st.integers(1, 9),
    )
    def test_orders_in_which_nothing_is_null(self, pairs, down, indexed, size):
        """Sought by a comparison of whole rows, whatever types a column of SQLite holds."""
        rows = [(n * 3, a, b) for n, (a, b) in enumerate(pairs)]
        spec = made("CREATE TABLE t (id INTEGER PRIMARY KEY, a NOT NULL, b INTEGER NOT NULL)", rows={"t": rows})
        if indexed:
            ask(spec, "CREATE INDEX ab ON t (b, a)")
        for wanted in ([("b", down), ("a", down)], [("a", down)], [("b", False), ("a", down)]):
            reader = Rows.of(spec, Bench(spec, "t").dataset, wanted)
            order = ", ".join(f"{p.column} {'DESC' if p.descending else 'ASC'}" for p in reader.order)
            expected = [r[0] for r in ask(spec, f"SELECT id FROM t ORDER BY {order}")]
            for start in range(len(rows)):
                told = [(r.position, r.id) for r in reader.window(start, size)]
                self.assertEqual(told, [(start + i, f"i{n}") for i, n in enumerate(expected[start : start + size])])
