"""How numbers, dates and times are written in a locale: CLDR data by way of Babel, compiled for speed."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from babel import Locale, UnknownLocaleError
from babel.dates import get_date_format, get_month_names, get_time_format
from babel.numbers import get_decimal_symbol, get_group_symbol

# A CLDR date pattern is letters, quoted text and other characters (UTS #35, part 4, "Date Format Patterns").
_PATTERN_PART = re.compile(r"'([^']*)'|([A-Za-z])\2*|([^A-Za-z']+)")


@dataclass(frozen=True)
class Formats:
    """The written forms of one locale. Make it with `Formats.of("pt_PT")`."""

    locale: str
    decimal: str
    group: str
    date_pattern: str
    time_pattern: str
    day_first: bool
    months: tuple[str, ...]

    def __hash__(self) -> int:
        return hash(self.locale)  # of which the rest follows

    @classmethod
    @lru_cache(maxsize=64)
    def of(cls, locale: str) -> Formats:
        """The formats of a locale such as "en_GB"; those of en_GB when it is not known."""
        try:
            known = Locale.parse(locale)
        except (UnknownLocaleError, ValueError):
            known = Locale.parse("en_GB")
        short = get_date_format("short", known).pattern
        abbreviated = get_month_names("abbreviated", locale=known)
        return cls(
            locale=str(known),
            decimal=get_decimal_symbol(known),
            group=get_group_symbol(known),
            date_pattern=_medium(get_date_format("medium", known).pattern),
            time_pattern=get_time_format("short", known).pattern,
            day_first=short.find("d") < short.find("M"),
            months=tuple(abbreviated[m] for m in range(1, 13)),
        )

    def number(self, scale: int | None = None) -> Callable[[object], str]:
        """A function that writes a number with groups, and with `scale` digits after the point where given."""
        pattern = "{:,}" if scale is None else "{:,." + str(scale) + "f}"
        if self.decimal == "." and self.group == ",":
            return pattern.format
        swap = str.maketrans({",": self.group, ".": self.decimal})
        write = pattern.format
        return lambda value: write(value).translate(swap)

    def general(self) -> Callable[[float], str]:
        """A function that writes a float with groups and the digits that are right in binary fractions; below 1e12 plainly."""
        swap = str.maketrans({",": self.group, ".": self.decimal})
        write = "{:,.15g}".format
        return write if (self.decimal, self.group) == (".", ",") else lambda value: write(value).translate(swap)

    def date(self) -> Callable[[datetime.date], str]:
        """A function that writes a date in the locale's medium form."""
        return _compiled(self.date_pattern, self.months)

    def time(self, value: datetime.time | datetime.datetime) -> str:
        """A time of day; seconds only where there are some."""
        write = _compiled(self.time_pattern, self.months)(value)
        if value.second or value.microsecond:
            tail = f":{value.second:02}" + (f".{value.microsecond:06}".rstrip("0") if value.microsecond else "")
            clock = f"{value.hour:02}:{value.minute:02}"
            return write.replace(clock, clock + tail) if clock in write else clock + tail
        return write


def _medium(pattern: str) -> str:
    # Two digits of a year hide the century, and fewer than four can't be typed back: always four.
    return re.sub(r"y+", "yyyy", pattern)


@lru_cache(maxsize=256)
def _compiled(pattern: str, months: tuple[str, ...]) -> Callable[..., str]:
    """A function that writes dates or times by a CLDR pattern of numeric fields and month names."""
    parts: list[Callable[..., str]] = []
    for match in _PATTERN_PART.finditer(pattern):
        quoted, letter, other = match.group(1), match.group(2), match.group(3)
        if letter is None:
            parts.append(lambda v, literal=quoted if other is None else other: literal or "'")
        else:
            parts.append(_field(letter, len(match.group(0)), months))
    return lambda value: "".join(part(value) for part in parts)


def _field(letter: str, size: int, months: tuple[str, ...]) -> Callable[..., str]:
    if letter in "ML" and size >= 3:
        return lambda v: months[v.month - 1]
    attribute = {"y": "year", "M": "month", "L": "month", "d": "day", "H": "hour", "m": "minute", "s": "second"}
    if letter in attribute:
        name = attribute[letter]
        return lambda v: f"{getattr(v, name):0{size}}"
    if letter == "h":
        return lambda v: f"{(v.hour - 1) % 12 + 1:0{size}}"
    if letter in "ab":
        return lambda v: "am" if v.hour < 12 else "pm"
    return lambda v: ""
