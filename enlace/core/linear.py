"""Regular expressions in time that is linear in the text (RE2), whatever the pattern: they come from builders, and are
matched with every key that is pressed. No look-around, no references back.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import re2

MOST_BYTES = 4 * 1024 * 1024  # of one compiled pattern
LONGEST = 4_000  # characters of a pattern


class BadPattern(ValueError):
    """A pattern that can't be used; its message is a sentence."""


@lru_cache(maxsize=512)
def compiled(pattern: str) -> Any:
    """A pattern made ready. Raises BadPattern."""
    if len(pattern) > LONGEST:
        raise BadPattern(f"A pattern has at most {LONGEST:,} characters.")
    options = re2.Options()
    options.max_mem, options.log_errors = MOST_BYTES, False
    try:
        return re2.compile(pattern, options)
    except (re2.error, UnicodeError) as error:
        told = error.args[0] if error.args else ""
        told = told.decode(errors="replace") if isinstance(told, bytes) else str(told)
        raise BadPattern(f"This is not a regular expression that can be used here: {told}.") from None


def fits(pattern: str, text: str) -> bool:
    """Whether a whole text matches a pattern. Raises BadPattern."""
    try:
        return compiled(pattern).fullmatch(text) is not None
    except UnicodeError:  # half of a character: no text that a database keeps
        return False
