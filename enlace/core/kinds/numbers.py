"""Whole numbers, decimal numbers and floating-point numbers."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from decimal import Context, Decimal, InvalidOperation
from typing import Any

from .. import exact
from ..exact import WIDE
from ..model.dataset import FieldSpec
from .base import Kind, Nonconforming, Unreadable, raw_text
from .formats import Formats
from .patterns import empty_by, read_by, shown_by

# SQLite's INTEGER and the widest integer of the other servers are 64 bits, signed.
LEAST, GREATEST = -(2**63), 2**63 - 1
LARGEST_SINGLE = (2 - 2**-23) * 2.0**127  # IEEE 754, binary32
FIFTEEN = Context(prec=15)
SHOWN = Context(prec=12)  # digits of a calculated number that has no format
PLACES = 4  # after its point, where it is no tiny one
NOT_FINITE = {"nan": "NaN", "infinity": "Infinity", "inf": "Infinity", "-infinity": "-Infinity", "-inf": "-Infinity"}


def bounds(storage: str) -> tuple[int, int]:
    """The least and the greatest whole number of a storage such as "int2" or "uint8" (bytes), else of 64 bits."""
    match = re.fullmatch(r"(u?)int([1-8])", storage)
    if not match:
        return LEAST, GREATEST
    bits = int(match[2]) * 8
    return (0, 2**bits - 1) if match[1] else (-(2 ** (bits - 1)), 2 ** (bits - 1) - 1)


SPACES = "\u0020\u00a0\u202f\u2009'’"
NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,4})?", re.ASCII)


def plain_number(text: str, formats: Formats) -> str:
    """Typed digits in the programmer's notation: the locale's groups dropped, its decimal sign a point.

    A plain number with a point ("1234.5") is always read as one; in a locale whose group sign is the point,
    "1.234" is three digits in a group and "1234.5" is not, so only well-formed groups count as groups.
    Raises Unreadable.
    """
    text = text.strip().replace("\u2212", "-")
    for space in SPACES:
        if space == formats.group or space in " \u00a0\u202f":
            text = text.replace(space, "")
    sign = text[:1] if text[:1] in "+-" else ""
    body = text[len(sign) :]
    # A zero begins no group: "0.125" is an eighth wherever points group digits.
    grouped = rf"[1-9]\d{{0,2}}({re.escape(formats.group)}\d{{3}})+({re.escape(formats.decimal)}\d*)?"
    if formats.group not in SPACES and re.fullmatch(grouped, body):
        body = body.replace(formats.group, "")
        body = body.replace(formats.decimal, ".")
    elif formats.decimal != "." and formats.decimal in body and "." not in body:
        body = body.replace(formats.decimal, ".")
    if not NUMBER.fullmatch(sign + body):
        wrong = next((c for c in body if c not in "0123456789.,eE+-" + SPACES), None)
        if wrong:
            raise Unreadable(f"“{wrong}” does not belong in a number. Type digits, such as 1204{formats.decimal}5.")
        raise Unreadable(f"This is not a number. Type digits, such as 1204{formats.decimal}5.")
    return sign + body


class Whole(Kind):
    name = "whole"
    label = "Whole number"
    align = "end"
    inputmode = "numeric"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or (isinstance(raw, int) and not isinstance(raw, bool)):
            return raw
        return Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        text, formats = read_by(field.format, formats, self.name, text)
        if not text.strip():
            return None
        plain = plain_number(text, formats)
        number = Decimal(plain)
        if number != number.to_integral_value():
            raise Unreadable("A whole number is needed here, without a fraction.")
        least, greatest = bounds(field.storage)
        if not least <= number <= greatest:
            if (least, greatest) == (LEAST, GREATEST):
                raise Unreadable("The number is too large: at most 19 digits fit here.")
            raise Unreadable(f"Only numbers from {least} to {greatest} fit here.")
        return int(number)

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        # Keys and codes are read digit by digit: no groups in what the server numbers.
        write: Callable[[Any], str] = str if field.numbered else formats.number()
        write, empty = shown_by(field.format, formats.locale, self.name) or write, empty_by(field.format)
        if field.format == "0":  # as keys and references have it: nearly always plain digits
            signed = write
            return lambda raw: (
                (str(raw) if raw >= 0 else signed(raw)) if type(raw) is int else empty if raw is None else raw_text(raw)
            )
        return lambda raw: write(raw) if type(raw) is int else empty if raw is None else raw_text(raw)


class Number(Kind):
    """Decimal numbers with a scale, and numbers without one; held as Decimal, or float where the column is."""

    name = "decimal"
    label = "Decimal number"
    align = "end"
    inputmode = "decimal"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None:
            return None
        if isinstance(raw, Decimal):
            return raw
        if isinstance(raw, int) and not isinstance(raw, bool):
            return Decimal(raw)
        if isinstance(raw, float) and (
            math.isfinite(raw) or (field.storage.startswith("float") and field.storage.endswith(" nan"))
        ):
            return Decimal(repr(raw))
        return Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        text, formats = read_by(field.format, formats, self.name, text)
        if not text.strip():
            return None
        if field.storage.endswith(" nan") and (word := NOT_FINITE.get(text.strip().lower())):
            return float(word) if field.storage.startswith("float") else Decimal(word)
        try:
            number = Decimal(plain_number(text, formats))
        except InvalidOperation:
            raise Unreadable("This is not a number. Type digits.") from None
        self._check_digits(number, field)
        if field.storage.startswith("float"):
            approximate = float(number)
            if math.isinf(approximate) or (
                field.storage.startswith("float32") and abs(approximate) > 1.00001 * LARGEST_SINGLE
            ):
                raise Unreadable("The number is too large for this column.")
            # The fewest digits that tell the largest single are a little more than it, and MariaDB refuses them.
            most = LARGEST_SINGLE if field.storage.startswith("float32") else math.inf
            return max(-most, min(approximate, most))
        return number

    def _check_digits(self, number: Decimal, field: FieldSpec) -> None:
        if field.storage == "numeric15" and number.is_finite() and Decimal(repr(float(number))) == number:
            # As a calculation there leaves it (3 * 1.1 is 3.3000000000000003): it is kept as it is, whatever its end says.
            number = FIFTEEN.plus(number)
        _sign, digits, exponent = WIDE.normalize(number).as_tuple()
        assert isinstance(exponent, int)
        after = max(0, -exponent)
        before = max(0, len(digits) + exponent)
        if field.scale is not None and after > field.scale:
            raise Unreadable(f"At most {field.scale} digits after the point are kept here. Round the number.")
        if field.precision is not None and before > field.precision - (field.scale or 0):
            most = field.precision - (field.scale or 0)
            raise Unreadable(f"The number is too large: at most {most} digits before the point fit here.")
        if field.storage == "numeric15" and len(digits) > 15:
            # SQLite keeps NUMERIC values as 64-bit floats (SQLite, "Datatypes In SQLite", section 2).
            raise Unreadable("This database keeps 15 digits of a decimal number; this one has more. Round it.")
        if field.storage.startswith("float") and abs(exponent) > 400:
            raise Unreadable("The number is too large or too small for this column.")

    def text(self, raw: Any, field: FieldSpec) -> str:
        value = self.read(raw, field)
        if value is None or isinstance(value, Nonconforming):
            return "" if value is None else raw_text(value.raw)
        if not value.is_finite():
            return str(value)
        if field.scale is not None and -int(WIDE.normalize(value).as_tuple().exponent) <= field.scale:
            return f"{value:.{field.scale}f}"
        return f"{value:f}" if -20 < value.adjusted() < 20 else str(value)

    def as_typed(self, raw: Any, field: FieldSpec, formats: Formats) -> str:
        # Where points group digits, a point before three of them would be read as a group.
        text = self.text(raw, field)
        return text if isinstance(self.read(raw, field), Nonconforming) else text.replace(".", formats.decimal)

    def same(self, a: Any, b: Any, field: FieldSpec) -> bool:
        if a is None or b is None:
            return a is None and b is None
        first, second = self.read(a, field), self.read(b, field)
        if isinstance(first, Decimal) and isinstance(second, Decimal) and first.is_nan() and second.is_nan():
            return True
        return bool(first == second)

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        plain, general = formats.number(), formats.general()
        scaled = formats.number(field.scale) if field.scale is not None else plain
        read = self.read
        by_format, empty = shown_by(field.format, formats.locale, self.name), empty_by(field.format)

        rounded = bool(field.formula) and field.scale is None and not by_format

        def show(raw: Any) -> str:
            if raw is None:
                return empty
            if rounded and type(raw) is float and 0.01 <= abs(raw) < 1e12:
                return general(round(raw, PLACES))  # as below, with less ado
            value = read(raw, field)
            if isinstance(value, Nonconforming):
                return raw_text(raw)
            if not value.is_finite():
                return str(value)
            if by_format:
                return by_format(value)
            if field.formula and field.scale is None:
                # Without the digits that binary fractions add, and not all of a third.
                value = Decimal(f"{raw:.15g}") if isinstance(raw, float) else value
                tiny = value.adjusted() < -2
                value = (SHOWN.plus(value) if tiny else exact.rounded(value, PLACES)).normalize(WIDE)
                value = Decimal(f"{value:f}")
            if field.scale is None:
                return plain(value) if -15 < value.adjusted() < 20 else str(raw)
            # More digits than the column declares are shown, not rounded away.
            return scaled(value) if -value.as_tuple().exponent <= field.scale else plain(value)

        return show


class YesNo(Kind):
    name = "yesno"
    label = "Yes or no"
    editor = "tick"
    WORDS = {"yes": True, "true": True, "1": True, "on": True, "no": False, "false": False, "0": False, "off": False}

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or isinstance(raw, bool):
            return raw
        return bool(raw) if type(raw) is int and raw in (0, 1) else Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        word = text.strip().lower()
        if not word:
            return None
        if word not in self.WORDS:
            raise Unreadable("Type yes or no.")
        return int(self.WORDS[word]) if field.storage == "int" else self.WORDS[word]

    def text(self, raw: Any, field: FieldSpec) -> str:
        value = self.read(raw, field)
        if value is None or isinstance(value, Nonconforming):
            return "" if value is None else raw_text(value.raw)
        return "yes" if value else "no"
