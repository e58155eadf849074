"""Display formats that a builder chooses: CLDR number and date patterns (UTS #35, parts 3 and 4), written and read back.

In front of a pattern may stand options in braces: `{EUR}` names the currency (ISO 4217) that ¤ stands for, `{empty –}`
what is shown for no value.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation, localcontext
from functools import lru_cache
from typing import Any

from babel import Locale
from babel.dates import format_datetime, get_day_names, get_month_names, get_period_names
from babel.numbers import get_decimal_symbol, get_group_symbol, list_currencies, parse_pattern

from ..exact import WIDE
from .formats import Formats

MOST = 80
KEPT = 400  # values that a pattern remembers how it wrote: the rows of a few windows
DIGITS = re.compile(r"\d(?:.*\d)?", re.DOTALL)
MARKS = dict.fromkeys(map(ord, "\u200e\u200f\u061c"))  # bidirectional marks, which nobody types
BLANKS = str.maketrans({"\u00a0": " ", "\u202f": " ", "\u2212": "-"})
LETTERS = re.compile(r"'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']+")
# The fields of a date pattern that can be read back, with the widths that can.
READABLE = {
    "y": (1, 3, 4, 5),
    "M": (1, 2, 3, 4),
    "L": (1, 2, 3, 4),
    "d": (1, 2),
    "E": (1, 2, 3, 4),
    "H": (1, 2),
    "h": (1, 2),
    "m": (1, 2),
    "s": (1, 2),
    "S": (1, 2, 3, 4, 5, 6),
    "a": (1, 2, 3),
}
PARTS = {"date": "yMLdE", "time": "HhmsSa", "datetime": "yMLdEHhmsSa"}
NEEDED = {"date": ("y", "ML", "d"), "time": ("Hh", "m"), "datetime": ("y", "ML", "d", "Hh", "m")}
COMMON = {
    "whole": ("#,##0", "0", "0000", "#,##0;(#,##0)", "{EUR} ¤#,##0", "#,##0 'kg'"),
    "decimal": (
        "#,##0.00",
        "0.00",
        "#,##0.###",
        "#,##0.00;(#,##0.00)",
        "#,##0.0%",
        "{EUR} #,##0.00 ¤",
        "{EUR} ¤¤ #,##0.00",
        "{empty –} #,##0.0",
        "#,##0.0 'm'",
    ),
    "date": ("d MMM y", "dd/MM/yyyy", "yyyy-MM-dd", "EEEE, d MMMM y", "EEE d.M.y"),
    "time": ("HH:mm", "HH:mm:ss", "h:mm a"),
    "datetime": ("d MMM y, HH:mm", "yyyy-MM-dd HH:mm:ss", "EEE d MMM y, h:mm a"),
}


class BadPattern(ValueError):
    """A pattern that can't be used; its message is a sentence."""


@dataclass(frozen=True)
class Options:
    """What stands in braces in front of a pattern."""

    pattern: str
    currency: str = ""
    empty: str = ""


def options_of(written: str) -> Options:
    """The options and the pattern. Raises BadPattern."""
    if len(written) > MOST:
        raise BadPattern(f"A format has at most {MOST} characters.")
    currency = empty = ""
    rest = written
    while match := re.match(r"\s*\{([^{}]*)\}\s*", rest):
        word = match[1].strip()
        if word.startswith("empty"):
            empty = word[5:].strip()
        elif word in list_currencies():
            currency = word
        else:
            raise BadPattern(f"{{{word}}} is not known: write a currency's code, such as {{EUR}}, or {{empty –}}.")
        rest = rest[match.end() :]
    if "¤" in rest and not currency:
        raise BadPattern("¤ stands for a currency: name it in front, such as {EUR} #,##0.00 ¤.")
    return Options(rest, currency, empty)


class NumberPattern:
    """Writes numbers by a pattern in a locale, and reads what it wrote."""

    def __init__(self, written: str, locale: str) -> None:
        """Raises BadPattern."""
        self.options = options_of(written)
        self.locale = Locale.parse(locale)
        try:
            self._pattern = parse_pattern(self.options.pattern)
            plus, minus = self._write(Decimal(1)), self._write(Decimal(-1))
        except (ValueError, TypeError, AttributeError, IndexError):
            raise BadPattern("This is not a pattern of a number, such as #,##0.00.") from None
        digits, negative = DIGITS.search(plus), DIGITS.search(minus)
        if not digits or not negative or plus == minus or self._pattern.exp_prec:
            raise BadPattern("This is not a pattern of a number, such as #,##0.00.")
        # What stands around the digits, negative numbers first: their sign may be part of either.
        self._around = [
            (True, _flat(minus[: negative.start()]), _flat(minus[negative.end() :])),
            (False, _flat(plus[: digits.start()]), _flat(plus[digits.end() :])),
        ]
        self._shift = self._pattern.scale
        # By the digits as they stand: 1.5 and 1.50 are one number, and need not be written as one.
        self._written = lru_cache(maxsize=KEPT)(self._made)

    def _write(self, value: Decimal) -> str:
        with localcontext(WIDE):  # Babel rounds in the context at hand, and a number of more digits is refused there
            return str(self._pattern.apply(value, self.locale, currency=self.options.currency or None))

    def write(self, value: Decimal | int | float) -> str:
        """A number as the pattern shows it."""
        exact = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
        return self._written(str(exact)) if exact.is_finite() else str(exact)

    def _made(self, digits: str) -> str:
        exact = Decimal(digits)
        made = self._write(exact)
        # A negative number that rounds to nothing is shown as nothing, not as less than that.
        return self._write(-exact) if exact < 0 and not re.search("[1-9]", made) else made

    def read(self, text: str) -> str | None:
        """The number in a text that the pattern might have written, in plain notation; None when it is not one."""
        flat = _flat(text)
        for negative, before, after in self._around:
            if not (before or after) or not (flat.startswith(before) and flat.endswith(after)):
                continue
            inner = flat[len(before) : len(flat) - len(after)].strip()
            number = self._plain(inner)
            if number is not None:
                scaled = number.scaleb(-self._shift)
                return f"{-scaled if negative else scaled:f}"
        return None

    def _plain(self, inner: str) -> Decimal | None:
        group, point = (_flat(item(self.locale)) for item in (get_group_symbol, get_decimal_symbol))
        digits = inner.replace(group or " ", "").replace(" ", "").replace(point, ".")
        try:
            return Decimal(digits) if re.fullmatch(r"\d+(\.\d*)?|\.\d+", digits, re.ASCII) else None
        except InvalidOperation:
            return None


def _flat(text: str) -> str:
    """A text with plain blanks and signs, without marks that nobody types."""
    return text.translate(MARKS).translate(BLANKS).strip()


class DatePattern:
    """Writes dates and times by a pattern in a locale, and reads what it wrote."""

    def __init__(self, written: str, locale: str, kind: str) -> None:
        """kind: "date", "time" or "datetime". Raises BadPattern."""
        self.options, self.kind = options_of(written), kind
        self.locale = Locale.parse(locale)
        self._names: dict[str, dict[str, int]] = {}
        used = list(LETTERS.finditer(self.options.pattern))
        if "".join(match[0] for match in used) != self.options.pattern:
            raise BadPattern("A quote in the pattern is not closed.")
        letters = [(match[2], len(match[0])) for match in used if match[2]]
        for letter, width in letters:
            self._check(letter, width)
        for some in NEEDED[kind]:
            if not any(letter in some for letter, _ in letters):
                raise BadPattern(f"The pattern lacks {some[0]}: what it shows could not be typed back.")
        if any(letter == "h" for letter, _ in letters) != any(letter == "a" for letter, _ in letters):
            raise BadPattern("h needs a beside it: before or after noon.")
        self._expression = re.compile("".join(self._part(match) for match in used), re.IGNORECASE)
        self._written = lru_cache(maxsize=KEPT)(self._made)

    def _check(self, letter: str, width: int) -> None:
        if letter == "y" and width == 2:
            raise BadPattern("Two digits of a year can't be typed back without guessing the century: write y or yyyy.")
        if letter not in READABLE or letter not in PARTS[self.kind] or width not in READABLE[letter]:
            raise BadPattern(f"{letter * width} can't be used here: what it shows could not be typed back.")

    def _part(self, match: re.Match[str]) -> str:
        letter, width = match[2], len(match[0])
        if not letter:
            literal = match[0] if match[1] is None else match[1].replace("''", "'") or "'"
            return r"\s*".join(re.escape(word) for word in re.split(r"\s+", literal.translate(BLANKS)))
        if letter == "E" or (letter in "ML" and width > 2) or letter == "a":
            self._names[letter] = self._known(letter, width)
            several = sorted(map(re.escape, self._names[letter]), key=len, reverse=True)
            return f"(?P<{letter}>{'|'.join(several)})"
        size = r"\d{1,4}" if letter == "y" else rf"\d{{{width}}}" if letter == "S" else r"\d{1,2}"
        return f"(?P<{letter}>{size})"

    def _known(self, letter: str, width: int) -> dict[str, int]:
        form: Any = "abbreviated" if width <= 3 else "wide"
        if letter == "E":
            return {_folded(name): i for i, name in get_day_names(form, "format", self.locale).items()}
        if letter == "a":
            names = get_period_names(form, "format", self.locale)
            return {_folded(names["am"]): 0, _folded(names["pm"]): 12}
        context: Any = "stand-alone" if letter == "L" else "format"
        return {_folded(name): i for i, name in get_month_names(form, context, self.locale).items()}

    def write(self, value: Any) -> str:
        """A date, a time or both as the pattern shows it."""
        whole = value
        if not isinstance(value, datetime.datetime):
            day = value if isinstance(value, datetime.date) else datetime.date(2000, 1, 1)
            whole = datetime.datetime.combine(day, value if isinstance(value, datetime.time) else datetime.time())
        return self._written(whole.replace(tzinfo=None))

    def _made(self, whole: datetime.datetime) -> str:
        return format_datetime(whole, self.options.pattern, locale=self.locale)

    def read(self, text: str) -> str | None:
        """The date or time in a text that the pattern might have written, as ISO 8601; None when it is not one."""
        match = self._expression.fullmatch(_folded(text))
        if not match:
            return None
        parts: dict[str, int] = {}
        for letter, given in match.groupdict().items():
            parts[letter] = (
                self._names[letter][given]
                if letter in self._names
                else int(given.ljust(6, "0")[:6] if letter == "S" else given)
            )
        hour = parts.get("H", parts.get("h", 0) % 12 + parts.get("a", 0))
        try:
            day = datetime.date(parts.get("y", 2000), parts.get("M", parts.get("L", 1)), parts.get("d", 1))
            clock = datetime.time(hour, parts.get("m", 0), parts.get("s", 0), parts.get("S", 0))
        except ValueError:
            return None
        if "E" in parts and day.weekday() != parts["E"]:
            return None
        if self.kind == "time":
            return clock.isoformat()
        return day.isoformat() if self.kind == "date" else f"{day.isoformat()} {clock.isoformat()}"


def _folded(text: str) -> str:
    return re.sub(r"\s+", " ", text.translate(MARKS).translate(BLANKS)).strip().lower()


Pattern = NumberPattern | DatePattern


@lru_cache(maxsize=512)
def pattern_of(written: str, locale: str, kind: str) -> Pattern:
    """The pattern of a field of a kind, made once. Raises BadPattern."""
    if kind in ("whole", "decimal"):
        return NumberPattern(written, locale)
    if kind in PARTS:
        return DatePattern(written, locale, kind)
    raise BadPattern("Fields of this kind have no display format.")


def shown_by(written: str, locale: str, kind: str) -> Callable[[Any], str] | None:
    """A function that writes values by a field's format; None where it has none that can be used."""
    if not written:
        return None
    try:
        return pattern_of(written, locale, kind).write
    except BadPattern:
        return None


def read_by(written: str, formats: Formats, kind: str, text: str) -> tuple[str, Formats]:
    """A typed text in plain notation where the field's format wrote it, else the text itself; and how to read it."""
    if not written:
        return text, formats
    try:
        pattern = pattern_of(written, formats.locale, kind)
    except BadPattern:
        return text, formats
    if pattern.options.empty and text.strip() == pattern.options.empty:
        return "", formats
    read = pattern.read(text)
    return (text, formats) if read is None else (read, Formats.of("en_GB"))


def empty_by(written: str) -> str:
    """What a format shows for no value."""
    try:
        return options_of(written).empty if written else ""
    except BadPattern:
        return ""
