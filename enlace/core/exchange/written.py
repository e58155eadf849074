"""How a file writes its numbers and dates: found by its values, since a decimal comma in the one is a group in the other."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

from ..kinds import Formats
from ..kinds.times import OTHER_DATE

# One locale for each way of writing that there is; people are shown how it looks (CLDR, by way of Babel).
WAYS = ("en_GB", "en_US", "de_DE", "fr_FR")
DIGITS = re.compile(r"[+-]?\d[\d.,'’\u0020\u00a0\u202f\u2009]*", re.ASCII)
SIGNS = frozenset(".,'’\u0020\u00a0\u202f\u2009")


def ways_of(own: str) -> list[tuple[str, str]]:
    """The ways that can be chosen, as (locale, how it looks): one's own first, none that is like another."""
    seen: dict[str, str] = {}
    for locale in (own, *WAYS):
        words = looks(locale)
        if words not in seen.values():
            seen[locale] = words
    return list(seen.items())


def looks(locale: str) -> str:
    """A number and a date in a locale.

    >>> looks("en_US"), looks("de_DE")
    ('1,204.5 · 3/31/2026', '1.204,5 · 31/3/2026')
    """
    formats = Formats.of(locale)
    group = " " if formats.group.isspace() else formats.group
    return f"1{group}204{formats.decimal}5 · {'31/3/2026' if formats.day_first else '3/31/2026'}"


def way_found(rows: Iterable[Sequence[str]], own: str, pointed: bool) -> str:
    """The locale that reads the most of some rows as they were meant; one's own where several do.

    pointed: where nothing tells otherwise, a point is a decimal sign, as files for programs have it.
    """
    texts = {text.strip() for row in rows for text in row}
    told = [text for text in texts if OTHER_DATE.fullmatch(text) or (DIGITS.fullmatch(text) and SIGNS & set(text))]
    likely = [own, *(locale for locale in WAYS if locale != own)]
    if pointed:
        likely.sort(key=lambda locale: Formats.of(locale).decimal != ".")
    return min(likely, key=lambda locale: sum(not _reads(text, Formats.of(locale)) for text in told))


def _reads(text: str, formats: Formats) -> bool:
    if match := OTHER_DATE.fullmatch(text):
        return int(match[2 if formats.day_first else 1]) <= 12
    return bool(_number(formats.decimal, formats.group).fullmatch(text))


@lru_cache(maxsize=64)
def _number(decimal: str, group: str) -> re.Pattern[str]:
    """Numbers that are written with a decimal sign, and with groups or without."""
    sign = r"[\s\u00a0\u202f\u2009]" if group.isspace() else re.escape(group)
    return re.compile(rf"[+-]?(\d+|[1-9]\d{{0,2}}({sign}\d{{3}})+)({re.escape(decimal)}\d+)?", re.ASCII)
