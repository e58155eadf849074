"""Written forms against Unicode's own examples and against Babel; check digits against published ones."""

import datetime
import unittest
from decimal import Decimal

from babel.dates import format_date, format_time
from babel.numbers import format_decimal
from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.kinds import Formats
from enlace.core.kinds.knowledge import told_by_knowledge
from enlace.core.kinds.patterns import pattern_of
from tests.core.test_patterns import LOCALES


class Unicode(unittest.TestCase):
    def test_sample_patterns(self):
        # UTS #35, Part 3: Numbers, section "Number Patterns", table of sample patterns (French; 1234.567; from memory).
        for pattern, shown in (
            ("#,##0.##", "1 234,57"),
            ("#,##0.###", "1 234,567"),
            ("###0.#####", "1234,567"),
            ("###0.0000#", "1234,5670"),
            ("00000.0000", "01234,5670"),
            ("{EUR} #,##0.00 ¤", "1 234,57 €"),
        ):
            written = pattern_of(pattern, "fr", "decimal").write(Decimal("1234.567"))
            self.assertEqual(written.replace("\u202f", " ").replace("\u00a0", " "), shown, pattern)

    def test_date_patterns(self):
        # UTS #35, Part 4: Dates, section "Date Format Patterns", examples (10 July 1996, 15:08:56; from memory).
        moment = datetime.datetime(1996, 7, 10, 12, 8, 56)
        self.assertEqual(pattern_of("h:mm a", "en_US", "time").write(moment), "12:08 PM")
        written = pattern_of("EEE, MMM d, y 'at' HH:mm", "en_US", "datetime").write(moment)
        self.assertEqual(written, "Wed, Jul 10, 1996 at 12:08")


class AgainstBabel(unittest.TestCase):
    """The forms that every field has without a pattern are written by code of our own, for speed."""

    @settings(max_examples=300, deadline=None)
    @given(st.sampled_from(LOCALES), st.decimals(-(10**9), 10**9, allow_nan=False, places=2))
    def test_numbers(self, locale, number):
        if locale in ("hi_IN",):
            return  # groups of two and three digits, which only a pattern writes
        ours = Formats.of(locale).number(2)(number)
        babels = format_decimal(number, "#,##0.00", locale=locale)
        marks = str.maketrans({"\u200e": None, "\u200f": None, "\u2212": "-"})
        self.assertEqual(ours.translate(marks), babels.translate(marks))

    @settings(max_examples=300, deadline=None)
    @given(st.sampled_from(LOCALES), st.datetimes(datetime.datetime(1000, 1, 1)))
    def test_dates_and_times(self, locale, moment):
        formats = Formats.of(locale)
        self.assertEqual(formats.date()(moment.date()), format_date(moment.date(), formats.date_pattern, locale=locale))
        minute = moment.time().replace(second=0, microsecond=0)
        if "a" not in formats.time_pattern and "B" not in formats.time_pattern:
            self.assertEqual(formats.time(minute), format_time(minute, formats.time_pattern, locale=locale))


class CheckDigits(unittest.TestCase):
    PUBLISHED = (
        ("imo", "9074729"),  # IMO resolution A.1117(30), worked example (from memory)
        ("container", "CSQU3054383"),  # ISO 6346:1995, annex A, worked example (from memory)
        ("isbn", "9780306406157"),  # ISBN Users' Manual, example of ISBN-13 (from memory)
        ("ean", "4006381333931"),  # GS1, common example of EAN-13 (from memory)
        ("iban", "GB82WEST12345698765432"),  # ISO 13616-1, example (from memory)
        ("luhn", "79927398713"),  # ISO/IEC 7812-1, annex B method; number of common practice
    )

    def test_published_numbers_and_every_wrong_digit(self):
        for name, number in self.PUBLISHED:
            self.assertEqual(told_by_knowledge(name, number), "", number)
            # The sums of IMO and ISO 6346 let some wrong digits through, the others none; of the check digit itself all.
            places = range(len(number) - 1 if name in ("imo", "container") else 0, len(number))
            for i in places:
                for other in "0123456789":
                    if number[i].isdigit() and other != number[i]:
                        wrong = number[:i] + other + number[i + 1 :]
                        self.assertNotEqual(told_by_knowledge(name, wrong), "", (name, wrong))
