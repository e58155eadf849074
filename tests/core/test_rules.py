"""Rules asked of many records together say what they say of each."""

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.model.dataset import DatasetSpec, FieldSpec, RuleSpec
from enlace.core.rules import RecordRules

FIELDS = (
    FieldSpec("code", "Code", "text", required=True),
    FieldSpec("weight", "Weight", "decimal"),
    FieldSpec("pieces", "Pieces", "whole"),
    FieldSpec("urgent", "Urgent", "yesno"),
)
RULES = (
    RuleSpec("LENGTH(code) < 4"),
    RuleSpec("pieces BETWEEN 1 AND 9"),
    RuleSpec("LENGTH(CAST(weight AS TEXT)) < 4"),  # equal numbers, of which one breaks it
    RuleSpec("NOT urgent OR weight < 5"),
    RuleSpec("pieces > 2", runs="save"),
)
# Values that Python takes for equal, and words where numbers are meant, as files of SQLite have them.
values = st.sampled_from(
    (None, "", "a", "abcd", "1", 0, 1, 7, True, False, 1.0, Decimal("1"), Decimal("1.00"), Decimal("6.5"))
)
records = st.lists(st.dictionaries(st.sampled_from([field.name for field in FIELDS]), values), max_size=12)


class Together(unittest.TestCase):
    @given(records, st.booleans(), st.booleans())
    def test_what_is_sound_has_nothing_to_be_told(self, several, new, saving):
        rules = RecordRules(DatasetSpec("shipment", FIELDS, rules=RULES))
        told = rules.sound(several, new, saving)
        self.assertEqual(told, [rules.sound([record], new, saving)[0] for record in several])
        for record, sound in zip(several, told, strict=True):
            complaints = rules.complaints(record, frozenset(record), new, saving=saving)
            if sound:
                self.assertEqual(complaints, [], record)
            lacks = any(complaint.code in ("required", "missing") for complaint in complaints)
            self.assertEqual(rules.lacks(record, frozenset(record), new), lacks, record)

    def test_most_records_are_seen_to_be_sound(self):
        rules = RecordRules(DatasetSpec("shipment", FIELDS, rules=RULES))
        several = [{"code": f"C{n}", "weight": Decimal(n), "pieces": 3, "urgent": False} for n in range(5)]
        self.assertEqual(rules.sound([*several, {"code": "C9", "pieces": 0}], True), [True] * 5 + [False])
