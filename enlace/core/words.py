"""Words inside the names of tables and columns."""

from __future__ import annotations

import re
from collections.abc import Iterable

NAME = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")  # where a name of code has its next word
SHORTEST_WORD = 4  # letters: shorter ones are found inside too many others


def words_of(names: Iterable[str]) -> frozenset[str]:
    """The words that names show where they have separators, or stand alone: by them words that run together are told."""
    words: set[str] = set()
    for name in names:
        parts = [part.lower() for part in re.split(r"[\s_\-.]+", NAME.sub(" ", name)) if part]
        if len(parts) > 1:
            words.update(part for part in parts if len(part) >= SHORTEST_WORD and part.isalpha())
    return frozenset(words)


def within_sentence(words: str) -> str:
    """Words as they stand within a sentence: without the capital that begins one, unless it is one of an abbreviation.

    >>> within_sentence("Length over all"), within_sentence("IMO number"), within_sentence("ID")
    ('length over all', 'IMO number', 'ID')
    """
    return words if words[1:2].isupper() else words[:1].lower() + words[1:]
