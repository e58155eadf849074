"""SQL expressions: three-valued logic, words, and what is left to the server."""

import datetime
import itertools
import unittest
from dataclasses import replace
from decimal import Decimal
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.dataset.window_rows import window_columns
from enlace.core.expression import Expression, Names, Unsupported, arithmetic, in_words
from enlace.core.expression.columns import NotTogether, by_columns
from enlace.core.expression.faults import expression_faults
from enlace.core.expression.logic import both, either, negation
from enlace.core.expression.push import Sql, pushed
from enlace.core.model.dataset import DatasetSpec, FieldSpec

T, F, U = True, False, None


class TruthTables(unittest.TestCase):
    """ISO/IEC 9075-2, 6.39 <boolean value expression>, tables 14 to 16 (from memory)."""

    AND = {(T, T): T, (T, F): F, (T, U): U, (F, F): F, (F, U): F, (U, U): U}
    OR = {(T, T): T, (T, F): T, (T, U): T, (F, F): F, (F, U): U, (U, U): U}

    def test_tables_in_full(self):
        for one, other in itertools.product((T, F, U), repeat=2):
            key = (one, other) if (one, other) in self.AND else (other, one)
            self.assertIs(both(one, other), self.AND[key])
            self.assertIs(either(one, other), self.OR[key])
        self.assertEqual([negation(v) for v in (T, F, U)], [F, T, U])


class Evaluation(unittest.TestCase):
    def holds(self, text, **record):
        return Expression(text, list(record))(record)

    def test_unknown_is_not_false(self):
        self.assertIsNone(self.holds("a > 1", a=None))
        self.assertIsNone(self.holds("a IN (1, NULL)", a=2))
        self.assertTrue(self.holds("a IS NULL OR a > 1", a=None))
        self.assertFalse(self.holds("a NOT IN (1, NULL)", a=1))

    def test_names_match_whatever_their_capitals(self):
        expression = Expression('"Select" > other', ["select", "Other"])
        self.assertEqual(expression.names, {"select", "Other"})

    def test_a_lookup_and_a_detail_may_be_called_alike(self):
        known = Names(["id"], {"leg": ("place",)}, {"leg": ("km",)})
        self.assertEqual(Expression("leg.place = 'x' AND sum(leg.km) > 1", known).names, {"leg.place", "sum(leg.km)"})
        for text in ("leg.km > 1", "min(leg.place) = 'x'"):
            with self.assertRaisesRegex(Unsupported, "has no column"):
                Expression(text, known)

    def test_what_is_not_evaluated_is_refused_when_made(self):
        for text in ("a > (SELECT 1)", "load_extension('x')", "a >", "nothing > 1", "x" * 20_000, "(" * 5000):
            with self.assertRaises(Unsupported):
                Expression(text, ["a"])

    def test_what_is_whole_in_some_records_only_is_not_divided_on_a_server(self):
        kinds = {"n": "whole", "d": "decimal", "day": "date", "at": "datetime"}

        def on_server(text):
            return pushed(Expression(text, list(kinds)), "postgresql", lambda name: Sql(f'"{name}"', kinds[name])).type

        for text in (
            "n / COALESCE(day - day, d)", "n / CASE WHEN n = 1 THEN 60 ELSE d END", "(1 + GREATEST(n, d)) / 2",
            "n / ROUND(COALESCE(n, d))", "n / (COALESCE(day, at) - day)", "IF(n = 1, n, 1.5) / n",
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(Unsupported, "CAST"):
                on_server(text)
        for text in (
            "d / COALESCE(n, 1.5)", "n / COALESCE(d, 1.5, NULL)", "n / CAST(COALESCE(n, d) AS DECIMAL)", "n / (at - day)",
            "n / (COALESCE(n, d) + d)", "n / ROUND(COALESCE(n, d), 1)", "n / 2.5", "n / NULLIF(d, 0)",
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(on_server(text), "decimal")
        self.assertEqual(on_server("n / COALESCE(n, 2)"), "whole")
        self.assertEqual(Expression("1 / CAST(n AS DECIMAL)", ["n"])({"n": 8}), Decimal("0.125"))

    def test_words(self):
        labels = {"length_m": "Length (m)", "status": "Status", "eta": "Arrival", "etd": "Departure"}
        for text, words in [
            ("length_m > 0", "Length (m) must be greater than 0"),
            ("0 < length_m", "Length (m) must be greater than 0"),
            ("length_m BETWEEN 0.5 AND 25", "Length (m) must be between 0.5 and 25"),
            ("status IN ('a', 'b')", "Status must be one of “a”, “b”"),
            ("etd IS NULL OR etd >= eta", "Departure must be at least Arrival"),
            ("length(status) = 7", "the length of Status must be equal to 7"),
            (
                "status NOT IN ('a') AND length_m > 0 AND length_m < 9",
                "Status must be none of “a” and Length (m) must be greater than 0 and less than 9",
            ),
            ("etd IS NULL OR length_m > 0", "Departure must be empty or Length (m) must be greater than 0"),
            (
                "((eta IS NOT NULL OR etd IS NOT NULL) AND status <> '') OR (eta IS NULL AND etd IS NULL)",
                "((Arrival or Departure must have a value) and Status must not be an empty text) or (Arrival and Departure must be empty)",
            ),
            ("status IS FALSE OR status IS NOT TRUE", "Status must be no or Status must not be yes"),
            ("abs(length_m) > 2", ""),
            ("abs(length_m) > 2 OR etd > eta", ""),
        ]:
            self.assertEqual(in_words(Expression(text, list(labels)).tree, labels), words)


VALUES = {
    "n": st.sampled_from((None, 0, 3, -1)) | st.sampled_from((Decimal("3"), Decimal("2.50"), True, 3.0, "3")),
    "m": st.sampled_from((2, 3, Decimal("2.5"))),
    "t": st.sampled_from(("", "abc", "N3", "3")) | st.none(),
    "d": st.sampled_from((datetime.date(2026, 3, 1), datetime.date(2025, 1, 31))) | st.none(),
    "w": st.sampled_from((datetime.datetime(2026, 3, 1, 7), datetime.date(2026, 3, 1), "2026-03-01")),
    "b": st.booleans() | st.none(),
}
WRITTEN = ("0", "3", "2.5", "'abc'", "'3'", "'2026-03-01'", "'2026-03-01 07:00'", "TRUE", "NULL", *VALUES)
compared = st.tuples(
    st.sampled_from(WRITTEN), st.sampled_from(("=", "<>", "<", "<=", ">", ">=")), st.sampled_from(WRITTEN)
)
conditions = st.recursive(
    compared.map(" ".join)
    | st.tuples(*[st.sampled_from(WRITTEN)] * 3).map(lambda several: "{} BETWEEN {} AND {}".format(*several))
    | st.sampled_from(("b", "n", "t", "t IN ('abc', 'x')", "LENGTH(t) > 1")),
    lambda inner: (
        inner.map("NOT ({})".format)
        | st.tuples(inner, st.sampled_from(("AND", "OR")), inner).map(lambda several: "({}) {} ({})".format(*several))
    ),
    max_leaves=5,
)


class ByColumns(unittest.TestCase):
    @given(conditions, st.lists(st.fixed_dictionaries(VALUES), min_size=1, max_size=4))
    def test_the_values_are_those_of_each_record(self, text, records):
        expression = Expression(text, VALUES)
        run = by_columns(expression)
        if run is None:
            return
        try:
            told = run({name: [record[name] for record in records] for name in VALUES})
        except (NotTogether, TypeError, ValueError):
            return
        with arithmetic():
            self.assertEqual([(type(one), one) for one in told], [(type(o), o) for o in map(expression.run, records)])

    def test_most_are_computed_so(self):
        records = [{"n": n, "m": 3, "t": "N3", "d": datetime.date(2026, 3, n), "b": n > 2} for n in range(1, 6)]
        for text in ("n BETWEEN 1 AND 4", "NOT b OR n < m", "d >= '2026-03-02'", "t = 'N3' AND 2 <= n", "n"):
            expression = Expression(text, VALUES)
            told = by_columns(expression)({name: [record[name] for record in records] for name in records[0]})
            self.assertEqual(told, [expression(record) for record in records], text)


class Written(unittest.TestCase):
    NESTED = (
        "({} + 1)",
        "(1 - {})",
        "CAST({} AS INTEGER)",
        "COALESCE({}, 1)",
        "CASE WHEN {} > 1 THEN 1 ELSE 2 END",
        "ROUND({} * 2, 1)",
    )

    def asked(self, text: str, server: str) -> int:
        """How often a column is asked for while an expression over it is written."""
        asked = []
        pushed(Expression(text, Names(["a"])), server, lambda name: asked.append(name) or Sql('"a"', "whole"))
        return len(asked)

    def test_each_part_once_however_deep(self):
        for server in ("sqlite", "postgresql", "mariadb"):
            self.assertEqual(self.asked(" + ".join(["a"] * 50), server), 50)
            for form in self.NESTED:
                text = "a"
                for _ in range(8):
                    text = form.format(text)
                with self.subTest(server, form=form):
                    self.assertEqual(self.asked(text, server), 1)

    def test_a_calculated_field_once_however_many_are_calculated_from_it(self):
        sums = ["a + a", *(f"f{n} + f{n}" for n in range(9))]
        extra = tuple(FieldSpec(f"f{n}", f"F{n}", "decimal", formula=formula) for n, formula in enumerate(sums))
        dataset = DatasetSpec("t", (FieldSpec("a", "A", "whole"),), key=("a",), extra=extra)
        with mock.patch("enlace.core.dataset.source.Expression", wraps=Expression) as parsed:
            columns = window_columns(dataset, "sqlite")
        self.assertEqual((len(columns), parsed.call_count), (11, 10))
        ring = replace(dataset, extra=(*extra[:2], replace(extra[2], formula="f9 + 1"), *extra[3:]))
        with self.assertRaisesRegex(Unsupported, "calculated from itself"):
            window_columns(ring, "sqlite")


class WhereItIsWrong(unittest.TestCase):
    CASES = (  # (expression, the stretch that is marked, words that are said of it)
        ("name = 'x' AND lenth_m > 3", "lenth_m", "Is length_m meant?"),
        ("operatr.name IS NULL", "operatr.name", "Is operator meant?"),
        ("operator.nme IS NULL", "operator.nme", "has no column nme"),
        ("sum(port_call.tons) > 1", "port_call.tons", "has no column tons"),
        ("name = 'it", "'it", "never ends"),
        ("length_m > * 3", "3", "can't be understood"),
        ("length_m > (3", "3", "can't be understood"),
        ("length_m > 3 AND", "AND", "something is missing"),
        ("length_m IN", "length_m IN", "IN needs a list"),
        ("length_m > 1, 2", "length_m > 1, 2", "more than one"),
        ("length_m > 3 AND operator.name LIKE 'A%'", "", ""),
        ("sum(port_call.tonnes) > length_m", "", ""),
        (" ", "", ""),
    )

    def test_the_stretch_and_the_sentence(self):
        names = Names(["name", "length_m"], {"operator": ("name",)}, {"port_call": ("tonnes",)})
        for text, marked, said in self.CASES:
            with self.subTest(text):
                told = [(text[f.start : f.end], f.sentence) for f in expression_faults(text, names)]
                self.assertEqual([part for part, _ in told], [marked] if marked else [])
                self.assertIn(said, told[0][1] if told else "")
        near = expression_faults("operator.name = 'A'", names, ["name", "length_m"])
        self.assertIn("not of this record", near[0].sentence)

    @given(st.text(alphabet="ab_.,()'\"*+<>=[] \n1;-", max_size=30))
    def test_any_text_has_faults_within_it_or_none(self, text):
        names = Names(["a", "b"], {"a": ("b",)}, {"b": ("a",)})
        faults = expression_faults(text, names)
        self.assertTrue(all(0 <= f.start < f.end <= len(text) for f in faults), faults)
        if not faults and text.strip():
            Expression(text, names)  # what nothing is said of can be read
