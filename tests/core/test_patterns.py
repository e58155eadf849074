"""Display formats, pictures and knowledge: what is shown can be typed back."""

import datetime
import unittest
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.kinds import KINDS, Formats, Unreadable
from enlace.core.kinds.knowledge import KNOWN, BadPicture, fitted, picture_of, told_by_knowledge
from enlace.core.kinds.patterns import COMMON, BadPattern, pattern_of
from enlace.core.model.dataset import FieldSpec

LOCALES = ("en_GB", "en_US", "pt_PT", "pt_BR", "de_DE", "de_CH", "fr_FR", "es_ES", "it_IT", "nl_NL", "sv_SE", "pl_PL", "fi_FI", "ru_RU", "tr_TR", "he_IL", "ja_JP", "hi_IN")  # fmt: skip
NUMBERS = st.decimals(-(10**12), 10**12, allow_nan=False, allow_infinity=False, places=3)


def both(kind, pattern, locale):
    field, formats = FieldSpec("f", "F", kind, format=pattern), Formats.of(locale)
    return KINDS[kind].formatter(field, formats), lambda text: KINDS[kind].parse(text, field, formats)


class RoundTrips(unittest.TestCase):
    @settings(max_examples=400, deadline=None)
    @given(st.sampled_from(LOCALES), st.sampled_from(COMMON["decimal"]), NUMBERS)
    def test_numbers(self, locale, pattern, number):
        show, read = both("decimal", pattern, locale)
        back = read(show(number))
        self.assertIsInstance(back, Decimal)
        self.assertEqual(show(back), show(number))
        self.assertLess(abs(back - number), 1)

    @settings(max_examples=200, deadline=None)
    @given(st.sampled_from(LOCALES), st.sampled_from(COMMON["whole"]), st.integers(-(10**15), 10**15))
    def test_whole_numbers(self, locale, pattern, number):
        show, read = both("whole", pattern, locale)
        self.assertEqual(read(show(number)), number)

    @settings(max_examples=300, deadline=None)
    @given(st.sampled_from(LOCALES), st.sampled_from(COMMON["date"]), st.dates())
    def test_dates(self, locale, pattern, day):
        show, read = both("date", pattern, locale)
        self.assertEqual(read(show(day.isoformat())), day.isoformat(), (locale, pattern, show(day.isoformat())))
        self.assertEqual(read(day.isoformat()), day.isoformat())

    @settings(max_examples=200, deadline=None)
    @given(st.sampled_from(LOCALES), st.sampled_from(COMMON["time"] + ("h:mm:ss a",)), st.times())
    def test_times(self, locale, pattern, clock):
        clock = clock.replace(microsecond=0) if "s" in pattern else clock.replace(second=0, microsecond=0)
        show, read = both("time", pattern, locale)
        self.assertEqual(datetime.time.fromisoformat(read(show(clock))), clock)

    @settings(max_examples=200, deadline=None)
    @given(st.sampled_from(LOCALES), st.sampled_from(COMMON["datetime"]), st.datetimes())
    def test_dates_with_times(self, locale, pattern, stamp):
        stamp = stamp.replace(microsecond=0, second=stamp.second if "s" in pattern else 0)
        show, read = both("datetime", pattern, locale)
        self.assertEqual(datetime.datetime.fromisoformat(read(show(stamp))), stamp)


class Options(unittest.TestCase):
    def test_percent_money_units_negative_and_empty_values(self):
        show, read = both("decimal", "#,##0.0%", "en_GB")
        self.assertEqual((show(Decimal("0.125")), read("12.5%"), read("12.5 %"), read("0.125")), ("12.5%", Decimal("0.125"), Decimal("0.125"), Decimal("0.125")))  # fmt: skip
        show, read = both("decimal", "{EUR} #,##0.00 ¤", "pt_PT")
        self.assertEqual((show(Decimal("-1234.5")), read("1 234,50 €")), ("-1\u00a0234,50 €", Decimal("1234.50")))  # fmt: skip
        show, read = both("whole", "#,##0;(#,##0)", "en_GB")
        self.assertEqual((show(-1200), read("(1,200)"), read("-1200")), ("(1,200)", -1200, -1200))
        show, read = both("decimal", "{empty –} #,##0.0 'kn'", "en_GB")
        self.assertEqual((show(None), show(Decimal(7)), read("7 kn"), read("–")), ("–", "7.0 kn", Decimal(7), None))

    def test_what_can_not_be_typed_back_is_refused(self):
        for kind, pattern in [("date", "dd/MM/yy"), ("date", "MMM y"), ("date", "Q y"), ("time", "h:mm"), ("date", "d 'M"), ("whole", "¤#"), ("whole", "{XXQ} 0"), ("decimal", "abc"), ("text", "0"), ("decimal", "0E0")]:  # fmt: skip
            with self.subTest(pattern), self.assertRaises(BadPattern) as told:
                pattern_of(pattern, "en_GB", kind)
            self.assertRegex(str(told.exception), r"^[A-Z{¤a-z].*\.$")


class Pictures(unittest.TestCase):
    def test_pictures(self):
        self.assertEqual(fitted("AA-9(4)", "PS-1207"), "PS-1207")
        self.assertEqual(fitted("AA-9(4)", "PS1207"), "PS-1207")
        self.assertIsNone(fitted("AA-9(4)", "PS-12A7"))
        self.assertEqual(fitted('"X"99', "X12"), "X12")
        with self.assertRaises(BadPicture):
            picture_of("--")
        field = FieldSpec("f", "F", "text", picture="9999-999")
        parse = lambda text: KINDS["text"].parse(text, field, Formats.of("en_GB"))  # noqa: E731
        self.assertEqual(parse("4450123"), "4450-123")
        with self.assertRaisesRegex(Unreadable, "9999-999, where 9 is a digit"):
            parse("pasted text that stays")

    @settings(max_examples=200, deadline=None)
    @given(st.text("9AX-/ .", min_size=1, max_size=12).filter(lambda p: set(p) & set("9AX")), st.data())
    def test_what_fits_is_kept_as_it_is(self, picture, data):
        made = {"9": st.sampled_from("0123456789"), "A": st.sampled_from("abÇé"), "X": st.sampled_from("a1- ")}
        text = "".join(item if literal else data.draw(made[item]) for item, literal in picture_of(picture))
        self.assertEqual(fitted(picture, text), text)

    def test_each_known_kind_takes_its_example_and_no_other_text(self):
        for name, (_label, _check, example) in KNOWN.items():
            with self.subTest(name):
                self.assertEqual(told_by_knowledge(name, example), "")
                self.assertRegex(told_by_knowledge(name, "not this"), r"^This is not a valid .*\.$")
                if name not in ("email", "web", "telephone", "bic"):
                    last = example[-1]
                    wrong = example[:-1] + str((int(last) + 1) % 10)
                    self.assertNotEqual(told_by_knowledge(name, wrong), "")
