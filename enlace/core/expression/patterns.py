"""Patterns of LIKE and GLOB as regular expressions."""

from __future__ import annotations

import re
from functools import lru_cache


@lru_cache(maxsize=512)
def pattern_of(like: str, escape: str | None = None) -> str:
    """A LIKE pattern as a regular expression."""
    parts, i = [], 0
    while i < len(like):
        if escape and like[i] == escape and i + 1 < len(like):
            i += 1
            parts.append(re.escape(like[i]))
        else:
            parts.append({"%": ".*", "_": "."}.get(like[i], re.escape(like[i])))
        i += 1
    return "".join(parts)


def glob_pattern(glob: str) -> str:
    """An SQLite GLOB pattern as a regular expression (SQLite, "SQL Language Expressions", section 5)."""
    parts, i = [], 0
    while i < len(glob):
        c = glob[i]
        end = glob.find("]", i + 2) if c == "[" else -1
        if end > 0:
            inside = glob[i + 1 : end]
            negated = inside.startswith("^")
            parts.append("[" + ("^" if negated else "") + re.sub(r"([\\\[\]^])", r"\\\1", inside[negated:]) + "]")
            i = end
        else:
            parts.append({"*": ".*", "?": "."}.get(c, re.escape(c)))
        i += 1
    return "".join(parts)
