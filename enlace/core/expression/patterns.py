"""Patterns of LIKE and GLOB as regular expressions."""

from __future__ import annotations

from functools import lru_cache

import re2


def _literal(c: str) -> str:
    # LIKE takes the capitals of the 26 ASCII letters for the same, as SQLite has it; other letters differ from theirs.
    return f"[{c.lower()}{c.upper()}]" if c.isascii() and c.isalpha() else re2.escape(c)


@lru_cache(maxsize=512)
def pattern_of(like: str, escape: str | None = None) -> str:
    """A LIKE pattern as a regular expression."""
    parts, i = ["(?s)"], 0
    while i < len(like):
        if escape and like[i] == escape and i + 1 < len(like):
            i += 1
            parts.append(_literal(like[i]))
        else:
            parts.append({"%": ".*", "_": "."}.get(like[i]) or _literal(like[i]))
        i += 1
    return "".join(parts)


@lru_cache(maxsize=512)
def glob_pattern(glob: str) -> str:
    """An SQLite GLOB pattern as a regular expression (SQLite, "SQL Language Expressions", section 5)."""
    parts, i = ["(?s)"], 0
    while i < len(glob):
        c = glob[i]
        end = glob.find("]", i + 2) if c == "[" else -1
        if end > 0:
            inside = glob[i + 1 : end]
            negated = inside.startswith("^")
            body = "".join("\\" + name if name in "\\[]^&~" else name for name in inside[negated:])
            parts.append("[" + ("^" if negated else "") + body + "]")
            i = end
        else:
            parts.append({"*": ".*", "?": "."}.get(c) or re2.escape(c))
        i += 1
    return "".join(parts)
