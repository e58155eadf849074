"""Data that goes out in open formats."""

import csv
import io
import unittest

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.exchange.csv_out import FORMULA, csv_lines, guarded, unguarded

TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


class Csv(unittest.TestCase):
    @given(st.one_of(TEXTS, st.sampled_from(["=1", "'=1", "''", "-5", "@x", "\t"])))
    def test_no_text_is_a_formula_and_each_comes_back(self, text):
        self.assertFalse(guarded(text).startswith(FORMULA))
        self.assertEqual(unguarded(guarded(text)), text)

    @given(st.lists(st.lists(TEXTS, min_size=2, max_size=2), max_size=4))
    def test_rfc_4180(self, rows):
        """RFC 4180, section 2: lines end with CR LF; fields with quotes, commas or line breaks are enclosed in quotes."""
        text = "".join(csv_lines(["a", "b"], rows))
        self.assertTrue(text.endswith("\r\n"))
        self.assertEqual(list(csv.reader(io.StringIO(text, newline=""), strict=True)), [["a", "b"], *rows])
