"""Conditions evaluated here against SQLite's own evaluation of the same text."""

import sqlite3
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.expression import Expression

numbers = st.one_of(st.none(), st.integers(-5, 5))
texts = st.one_of(st.none(), st.sampled_from(["", "a", "ab", "AB", "b%", "x_y", "é"]))
number_terms = st.recursive(
    st.sampled_from(["n", "m", "0", "1", "-2", "3", "NULL", "length(s)"]),
    lambda t: st.one_of(
        st.tuples(t, st.sampled_from(["+", "-", "*"]), t).map(lambda p: f"({p[0]} {p[1]} {p[2]})"),
        t.map(lambda x: f"abs({x})"),
        st.tuples(t, t).map(lambda p: f"coalesce({p[0]}, {p[1]})"),
    ),
    max_leaves=4,
)
text_terms = st.sampled_from(["s", "u", "'a'", "'AB'", "lower(s)", "upper(u)", "trim(s)", "substr(s, 1, 1)"])
comparisons = st.sampled_from(["=", "<>", "<", "<=", ">", ">=", "IS", "IS NOT"])
simple = st.one_of(
    st.tuples(number_terms, comparisons, number_terms).map(" ".join),
    st.tuples(text_terms, comparisons, text_terms).map(" ".join),
    st.tuples(number_terms, number_terms, number_terms).map(lambda p: f"{p[0]} BETWEEN {p[1]} AND {p[2]}"),
    st.tuples(number_terms, st.lists(number_terms, min_size=1, max_size=3)).map(
        lambda p: f"{p[0]} IN ({', '.join(p[1])})"
    ),
    st.tuples(text_terms, st.sampled_from(["'a%'", "'_b'", "'%'", "u"])).map(lambda p: f"{p[0]} LIKE {p[1]}"),
    st.tuples(text_terms, st.sampled_from(["'a*'", "'?b'", "'[a-b]*'", "'[^x]*'"])).map(
        lambda p: f"{p[0]} GLOB {p[1]}"
    ),
)
conditions = st.recursive(
    simple,
    lambda c: st.one_of(
        st.tuples(c, st.sampled_from(["AND", "OR"]), c).map(lambda p: f"({p[0]}) {p[1]} ({p[2]})"),
        c.map(lambda x: f"NOT ({x})"),
        st.tuples(c, c, c).map(lambda p: f"CASE WHEN {p[0]} THEN {p[1]} ELSE {p[2]} END"),
    ),
    max_leaves=5,
)


class AgainstSqlite(unittest.TestCase):
    @settings(max_examples=1000, deadline=None)
    @given(conditions, numbers, numbers, texts, texts)
    def test_same_truth(self, condition, n, m, s, u):
        record = {"n": n, "m": m, "s": s, "u": u}
        ours = Expression(condition, list(record))(record)
        with sqlite3.connect(":memory:") as db:
            db.execute("CREATE TABLE r (n INTEGER, m INTEGER, s TEXT, u TEXT)")
            db.execute("INSERT INTO r VALUES (?, ?, ?, ?)", (n, m, s, u))
            theirs = db.execute(f"SELECT {condition} FROM r").fetchone()[0]
        db.close()
        self.assertEqual(
            None if ours is None else int(bool(ours)), None if theirs is None else int(bool(theirs)), condition
        )
