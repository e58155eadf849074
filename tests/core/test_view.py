"""What a person asked to see, as one value: stored and read without loss, told in words, whatever it holds."""

import datetime
import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.model.dataset import DatasetSpec, FieldSpec
from enlace.core.problem import Problem
from enlace.core.view import Group, Test, Typed, conditions_of, filter_of, to_text, words_of
from enlace.core.view.conditions import TESTS
from tests.harbour import ENGLISH

FIELDS = (
    FieldSpec("name", "Name", "text"),
    FieldSpec("tonnes", "Tonnes", "decimal"),
    FieldSpec("day", "Day", "date"),
    FieldSpec("done", "Done", "yesno"),
)
DATASET = DatasetSpec("cargo", FIELDS, ("name",))
VALUES = st.one_of(st.text(max_size=8), st.sampled_from(["3", "2026-01", ">4", "==x", "no value", "month", "yes"]))


@st.composite
def tests(draw):
    test = draw(st.sampled_from(sorted(TESTS)))
    least, most = TESTS[test]
    count = draw(st.integers(least, min(most, 3)))
    field = draw(st.sampled_from(["name", "tonnes", "day", "done", "gone"]))
    return Test(field, test, tuple(draw(VALUES) for _ in range(count)), draw(st.booleans()))


CONDITIONS = st.recursive(
    st.one_of(tests(), st.builds(Typed, st.text(max_size=10), st.booleans())),
    lambda inner: st.builds(
        Group, st.sampled_from(["all", "any", "none"]), st.lists(inner, max_size=3).map(tuple), st.booleans()
    ),
    max_leaves=8,
)


class Views(unittest.TestCase):
    @given(st.lists(CONDITIONS, max_size=3).map(tuple))
    def test_stored_and_read_and_told(self, conditions):
        try:
            again = conditions_of(to_text(conditions))
        except Problem as problem:
            self.assertIn("too deep", str(problem))
            return
        self.assertEqual(again, conditions)
        filters, wrong = filter_of(conditions, DATASET, ENGLISH, datetime.date(2026, 1, 14))
        hash(filters)
        self.assertTrue(all(sentence.endswith(".") for sentence in wrong), wrong)
        for condition in conditions:
            self.assertIsInstance(words_of(condition, DATASET), str)

    def test_in_words(self):
        group = Group("any", (Test("tonnes", "between", ("1", "9")), Test("name", "begins", ("A",))))
        cases = [
            (Test("day", "this", ("month",)), "Day this month"),
            (Test("name", "in", ("==N1", "no value")), "Name N1 or empty"),
            (Test("name", "not in", ("==a", "==b", "==c", "==d")), "Name not one of 4"),
            (group, "Tonnes from 1 to 9 or Name begins with “A”"),
            (Group("none", (group.parts[0],)), "not (Tonnes from 1 to 9)"),
        ]
        for condition, words in cases:
            self.assertEqual(words_of(condition, DATASET), words)

    def test_what_is_no_condition_is_told(self):
        deep = {"field": "name", "test": "empty"}
        for _ in range(20):
            deep = {"any": [deep]}
        wrong = ("{", "3", '{"a": 1}', "[3]", '[{"field": 1}]', '[{"field": "a", "test": "dance"}]', json.dumps([deep]))
        more = ('[{"field": "a", "test": "is"}]', json.dumps([{"field": "a", "test": "empty"}] * 300), "[" * 9000)
        for text in (*wrong, *more):
            with self.subTest(text[:40]), self.assertRaises(Problem):
                conditions_of(text)
