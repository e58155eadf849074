"""Names in a list, whatever they hold."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.dataset.order import sorted_terms, sorted_text
from enlace.core.listed import names_of, names_text
from enlace.core.model.dataset import DatasetSpec, FieldSpec

NAMES = st.lists(
    st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=8), max_size=5, unique=True
)


class Listed(unittest.TestCase):
    @given(NAMES)
    def test_what_is_written_is_read(self, names):
        self.assertEqual(names_of(names_text(names)), names)

    @given(NAMES, st.lists(st.booleans(), min_size=5, max_size=5))
    def test_an_order_too(self, names, downs):
        dataset = DatasetSpec("t", tuple(FieldSpec(name, name, "text") for name in names))
        terms = tuple(zip([*names, "x ASC", 'a, "b" desc'], [*downs, True, False], strict=False))[: len(names)]
        self.assertEqual(sorted_terms(dataset, sorted_text(terms)), terms)

    def test_as_people_type_them(self):
        self.assertEqual(names_of(' one,two ,, "Depth, m", "a""b" ,three'), ["one", "two", "Depth, m", 'a"b', "three"])
        self.assertEqual(names_of('12" pipe, other'), ['12" pipe', "other"])  # a quote that nothing ends
