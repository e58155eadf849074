"""Field kinds: what is shown can be typed back, what is no value is said in a sentence."""

import datetime
import struct
import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.dataset import FieldSpec
from enlace.core.kinds import KINDS, Formats, Nonconforming, Unreadable
from enlace.core.kinds.quick import column_reader, same_over_any, text_reader
from tests.core.test_patterns import LOCALES as ALL_LOCALES

LOCALES = ["en_GB", "en_US", "pt_PT", "de_DE", "de_CH", "fr_FR", "sv_SE", "pl_PL", "es_ES", "nl_NL"]
formats = st.sampled_from(LOCALES).map(Formats.of)
EACH_LOCALE = st.sampled_from(ALL_LOCALES).map(Formats.of)
ENGLISH = Formats.of("en_GB")


def field(kind, **more):
    return FieldSpec(name="f", label="F", kind=kind, **more)


def typed(kind, text, formats=ENGLISH, **more):
    return KINDS[kind].parse(text, field(kind, **more), formats)


def told(kind, text, **more):
    try:
        return f"accepted {typed(kind, text, **more)!r}"
    except Unreadable as error:
        return str(error)


SPECS = [
    *(("text", {"length": n, "nullable": null, "storage": st}) for n in (None, 3) for null in (True, False) for st in ("", "any", "json")),
    ("longtext", {}),
    *(("whole", {"storage": storage}) for storage in ("", "int1", "uint1", "int2", "uint8")),
    *(("decimal", {"precision": p, "scale": s, "storage": k})
      for p, s in ((None, None), (3, 3), (6, 2), (40, 20)) for k in ("", "numeric15", "float", "float32", "float nan")),
    *(("date", {"storage": storage}) for storage in ("", "text", "native", "julian day")),
    ("decimal", {"format": "0.00 t"}), ("date", {"format": "d. MMMM y"}), ("yesno", {}), ("datetime", {}),
]  # fmt: skip
# Near what is read at once: signs, points and commas among digits, ends of months, line ends.
NEAR = st.one_of(
    st.text(),
    st.text("0123456789.,-+ '\u00a0eE", max_size=20),
    st.from_regex(r"[0-9]{4}-[01][0-9]-[0-3][0-9]", fullmatch=True),
    st.text("ab\r\n\0", max_size=5),
    st.decimals(allow_nan=False, allow_infinity=False).map(str),
)


class ReadByTheThousand(unittest.TestCase):
    @given(NEAR, st.sampled_from(SPECS), formats)
    def test_a_column_is_read_as_its_kind_reads_it(self, text, spec, formats):
        kind, more = spec
        one = field(kind, **more)

        def told(read):
            try:
                value = read(text)
                return type(value), str(value)
            except Unreadable as error:
                return str(error)

        slow = told(lambda text: KINDS[kind].typed_over(text, None, one, formats))
        self.assertEqual(told(text_reader(one, formats)), slow)
        if same_over_any(one):
            self.assertEqual(told(lambda text: KINDS[kind].typed_over(text, "x", one, formats)), slow)

    @given(st.sampled_from(SPECS), formats, st.data())
    def test_what_is_read_together_is_read_as_one_by_one(self, spec, formats, data):
        kind, more = spec
        one = field(kind, **more)
        plain = st.sampled_from(["7", "120", "-3", "0.25", "2026-02-28", "2026-02-31", "oak", "a\nb"])
        texts = data.draw(st.one_of(st.lists(plain, max_size=6), st.lists(plain.map(str) | NEAR, max_size=6)))
        together = column_reader(one, formats)(texts)
        if together is not None:
            self.assertEqual(list(map(repr, together)), list(map(repr, map(text_reader(one, formats), texts))))
        elif kind in ("text", "longtext") and one.storage == "":
            self.assertFalse(
                all(texts) and all(len(t) <= (one.length or 9e9) and not {"\r", "\0"} & {*t} for t in texts)
            )


class RoundTrips(unittest.TestCase):
    """An editor's text always gives the same value again, and so does what a grid shows of numbers and dates."""

    def back(self, kind, value, formats, **more):
        spec = field(kind, **more)
        again = KINDS[kind].parse(KINDS[kind].as_typed(value, spec, formats), spec, formats)
        self.assertTrue(KINDS[kind].same(value, again, spec), (value, again))
        shown = KINDS[kind].formatter(spec, formats)(value)
        return shown, KINDS[kind].parse(shown, spec, formats)

    @given(st.integers(-(2**63), 2**63 - 1), formats)
    def test_whole_numbers(self, value, formats):
        self.assertEqual(self.back("whole", value, formats)[1], value)

    @given(st.integers(0, 4), st.integers(-(10**10), 10**10), formats)
    def test_decimals(self, scale, digits, formats):
        value = Decimal(digits).scaleb(-scale)  # three digits after the point look like a group in some locales
        self.assertEqual(self.back("decimal", value, formats, precision=14, scale=scale)[1], value)
        self.back("decimal", value, formats)

    @given(st.floats(allow_nan=False, allow_infinity=False), formats)
    def test_floats(self, value, formats):
        spec = field("decimal", storage="float")
        again = KINDS["decimal"].parse(KINDS["decimal"].as_typed(value, spec, formats), spec, formats)
        self.assertEqual(again, value)

    @given(st.dates(), formats)
    def test_dates(self, value, formats):
        text = value.isoformat()
        self.assertEqual(self.back("date", text, formats)[1], text)

    @given(EACH_LOCALE, st.datetimes(datetime.datetime(1000, 1, 1)))
    def test_moments_as_they_are_shown(self, formats, moment):
        for kind, value in (("datetime", moment), ("date", moment.date()), ("time", moment.time())):
            spec = field(kind, storage="native")
            self.assertEqual(KINDS[kind].parse(KINDS[kind].formatter(spec, formats)(value), spec, formats), value)

    @given(st.datetimes(), st.sampled_from(["text", "text T"]))
    def test_stamps_as_text(self, value, storage):
        spec = field("datetime", storage=storage)
        stored = value.isoformat(sep="T" if storage == "text T" else " ")
        self.assertEqual(KINDS["datetime"].parse(KINDS["datetime"].text(stored, spec), spec, ENGLISH), stored)

    @given(st.integers(0, 4_000_000_000), st.sampled_from(["unix seconds", "unix milliseconds"]))
    def test_stamps_as_numbers(self, value, storage):
        spec = field("datetime", storage=storage)
        self.assertEqual(KINDS["datetime"].parse(KINDS["datetime"].text(value, spec), spec, ENGLISH), value)

    @given(st.times())
    def test_times(self, value):
        spec = field("time", storage="native")
        self.assertEqual(KINDS["time"].parse(KINDS["time"].text(value, spec), spec, ENGLISH), value)


class Calculated(unittest.TestCase):
    def test_large_amounts_keep_their_cents(self):
        show = KINDS["decimal"].formatter(FieldSpec("c", "C", "decimal", formula="a * b"), Formats.of("en_GB"))
        for value, shown in (
            (Decimal("121481481495.1401"), "121,481,481,495.1401"),
            (98765432109.87 * 1.23, "121,481,481,495.14"),
            (0.1 + 0.2, "0.3"),
            (Decimal(1) / 3, "0.3333"),
            (Decimal("0.00012345678901234567"), "0.000123456789012"),
        ):
            self.assertEqual(show(value), shown)


class Sentences(unittest.TestCase):
    def test_the_largest_single_is_typed_as_it_is_shown(self):
        single = field("decimal", storage="float32")
        most = KINDS["decimal"].parse("-3.4028235e38", single, ENGLISH)
        self.assertEqual(most, struct.unpack("f", struct.pack("f", most))[0])
        with self.assertRaises(Unreadable):
            KINDS["decimal"].parse("3.41e38", single, ENGLISH)

    def test_wrong_input_is_told(self):
        self.assertIn("“x” does not belong in a number", told("whole", "12x"))
        self.assertIn("without a fraction", told("whole", "1.5"))
        self.assertIn("at most 19 digits", told("whole", "9" * 30))
        self.assertIn("February 2026 has no day 31; its last day is 28", told("date", "2026-02-31"))
        self.assertIn("February 2024 has no day 30; its last day is 29", told("date", "30/2/2024"))
        self.assertIn("no month 13", told("date", "2026-13-01"))
        self.assertIn("hours go to 23", told("time", "25:00"))
        self.assertIn("The time is missing", told("datetime", "2026-02-03"))
        self.assertIn("this is 2 too long", told("text", "abcde", length=3))
        self.assertIn("At most 2 digits after the point", told("decimal", "1.234", scale=2, precision=6))
        self.assertIn("at most 4 digits before the point", told("decimal", "12345", scale=2, precision=6))
        self.assertIn("15 digits", told("decimal", "12345678901.12345678", storage="numeric15"))
        self.assertIn("Type yes or no", told("yesno", "perhaps"))
        self.assertIn("NUL", told("text", "a\0b"))

    def test_no_text_makes_a_kind_fall_over(self):
        @given(st.text(), st.sampled_from(sorted(KINDS)), formats)
        def check(text, kind, formats):
            try:
                KINDS[kind].parse(text, field(kind), formats)
            except Unreadable as error:
                self.assertTrue(str(error).endswith("."))

        check()

    def test_forgiving_without_guessing(self):
        portuguese = Formats.of("pt_PT")
        self.assertEqual(typed("decimal", "1 234,50", portuguese), Decimal("1234.50"))
        self.assertEqual(typed("decimal", "1234.5", portuguese), Decimal("1234.5"))
        self.assertEqual(typed("decimal", "1.234,5", Formats.of("de_DE")), Decimal("1234.5"))
        self.assertEqual(typed("date", "31/3/2026"), "2026-03-31")
        self.assertEqual(typed("date", "3/31/2026", Formats.of("en_US")), "2026-03-31")
        self.assertEqual(typed("date", "31 Mar 2026"), "2026-03-31")
        self.assertEqual(typed("datetime", "2026-03-31 2:05 pm"), "2026-03-31 14:05:00")
        self.assertIsNone(typed("text", ""))
        self.assertEqual(typed("text", "", nullable=False), "")


class LooseTyping(unittest.TestCase):
    """SQLite keeps what it was given: a column's type is a wish."""

    def test_values_of_another_type_are_shown_as_they_are(self):
        for kind, raw, shown in [
            ("whole", "twelve", "twelve"),
            ("decimal", "n/a", "n/a"),
            ("date", "yesterday", "yesterday"),
            ("date", "2026-02-31", "2026-02-31"),
            ("text", 12, "12"),
            ("text", b"\xff\x00", "binary, 2 bytes"),
            ("yesno", 7, "7"),
            ("time", 99.5, "99.5"),
        ]:
            spec = field(kind)
            self.assertIsInstance(KINDS[kind].read(raw, spec), Nonconforming, (kind, raw))
            self.assertEqual(KINDS[kind].formatter(spec, ENGLISH)(raw), shown)

    def test_dates_as_numbers(self):
        # 2000-01-01 12:00 is Julian day 2451545.0 (the epoch J2000.0 of astronomy, IAU 1976).
        spec = field("datetime", storage="julian day")
        self.assertEqual(KINDS["datetime"].read(2451545.0, spec), datetime.datetime(2000, 1, 1, 12))
        self.assertEqual(KINDS["datetime"].parse("2000-01-01 12:00", spec, ENGLISH), 2451545.0)
        seconds = field("date", storage="unix seconds")
        self.assertEqual(KINDS["date"].text(86_400, seconds), "1970-01-02")
