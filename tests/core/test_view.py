"""What a person asked to see, as one value: stored and read without loss, told in words, whatever it holds."""

import datetime
import json
import unittest
from urllib.parse import parse_qs

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.dataset.grouping import GroupTerm
from enlace.core.dataset.totals import Total
from enlace.core.form.columns import GridColumn
from enlace.core.model.dataset import DatasetSpec, FieldSpec
from enlace.core.problem import Problem
from enlace.core.view import (
    SPLITS,
    Anywhere,
    Arranged,
    Asked,
    Group,
    Test,
    Typed,
    View,
    conditions_of,
    filter_of,
    to_text,
    words_of,
)
from enlace.core.view.conditions import TESTS
from enlace.desk.addresses import asked_in, view_text
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
    st.one_of(tests(), *(st.builds(kind, st.text(max_size=10), st.booleans()) for kind in (Typed, Anywhere))),
    lambda inner: st.builds(
        Group, st.sampled_from(["all", "any", "none"]), st.lists(inner, max_size=3).map(tuple), st.booleans()
    ),
    max_leaves=8,
)


NAMES = st.sampled_from(["name", "tonnes", "day", "done", "gone", "day:empty", "-done", "+day", "-"])
ORDERS = st.lists(st.tuples(NAMES, st.booleans()), max_size=4, unique_by=lambda term: term[0]).map(tuple)
GROUPS = st.lists(st.builds(GroupTerm, NAMES, st.sampled_from(["value", "month", "none"]), st.booleans()),
                  max_size=3, unique_by=lambda term: term.field).map(tuple)  # fmt: skip
BOXES = st.dictionaries(NAMES, VALUES.filter(str.strip), max_size=3).map(lambda boxes: tuple(boxes.items()))
ASKED = st.builds(Asked, ORDERS, BOXES, st.lists(tests(), max_size=2).map(tuple), GROUPS)
COLUMNS = st.lists(st.builds(GridColumn, NAMES, width=st.integers(40, 900), pin=st.sampled_from(["", "start", "end"])),
                   max_size=4, unique_by=lambda column: column.field).map(tuple)  # fmt: skip
ARRANGED = st.builds(
    Arranged, COLUMNS, st.integers(1, 9), st.booleans(), st.booleans(),
    st.lists(st.builds(Total, NAMES, st.sampled_from(["sum", "count"])), max_size=3).map(tuple),
    st.sampled_from(SPLITS), st.lists(st.sampled_from(["i1", "kWzE"]), max_size=2).map(tuple),
)  # fmt: skip


class Whole(unittest.TestCase):
    """All of it as one value."""

    @given(ASKED, ARRANGED)
    def test_stored_and_read_without_loss(self, asked, arranged):
        view = View(asked, arranged)
        self.assertEqual(View.of(view.to_json()), view)

    @given(ASKED)
    def test_as_an_address_says_it(self, asked):
        self.assertEqual(asked_in(parse_qs(view_text(asked), keep_blank_values=True)), asked)

    def test_of_what_is_asked_twice_the_first_counts_where_it_stands(self):
        asked = Asked.made(
            [("a", False), ("b", False), ("a", True)], groups=[GroupTerm("c"), GroupTerm("d"), GroupTerm("c", "month")]
        )
        self.assertEqual(asked.order, (("a", False), ("b", False)))
        self.assertEqual(asked.groups, (GroupTerm("c"), GroupTerm("d")))

    @given(ASKED)
    def test_what_fits_a_dataset_is_what_it_can_be_asked(self, asked):
        fits = asked.fitting(DATASET)
        self.assertEqual(fits.fitting(DATASET), fits)
        self.assertTrue(
            {name for name, _ in (*fits.order, *fits.boxes)} <= {"name", "tonnes", "day", "done", "day:empty"}
        )
        self.assertTrue(set(fits.groups) <= set(asked.groups))

    @given(st.recursive(st.none() | st.booleans() | st.integers() | st.text(max_size=5),
                        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(
                            st.sampled_from(["version", "order", "boxes", "conditions", "groups", "columns", "totals", "rows"]),
                            inner, max_size=4)))  # fmt: skip
    def test_whatever_somebody_sends_is_read_or_told(self, value):
        try:
            View.of(json.dumps({"version": 1, **value} if isinstance(value, dict) else value))
        except Problem as problem:
            self.assertTrue(str(problem).endswith("."))


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
        self.assertTrue(all(sentence.endswith((".", "?")) for sentence in wrong), wrong)
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
