"""Which column of a file goes to which field: by names, by how they begin, then by what the values look like."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

from ..dataset import FieldSpec
from ..kinds import KINDS, Formats, Unreadable

TELLING = ("date", "datetime", "time", "uuid")  # kinds that a text is hardly of by chance


def matched(
    heads: Sequence[str],
    rows: Sequence[Sequence[str]],
    fields: Sequence[FieldSpec],
    formats: Formats,
    kept: Mapping[str, str],
) -> dict[str, str]:
    """By heading, the name of a field, each field at most once. kept: what was chosen for such headings before."""
    known = {field.name: field for field in fields}
    chosen = {head: kept[head] for head in heads if kept.get(head) in known}
    # Names before labels: what was taken out with names has them, and two labels may be alike.
    for reading in (lambda f: f.name, lambda f: f.label):
        by_reading = {folded_name(reading(field)): field.name for field in fields}
        for head in heads:
            name = by_reading.get(folded_name(head))
            if head not in chosen and name and name not in chosen.values():
                chosen[head] = name
    for head in heads:
        # “IMO” is the “IMO no.”, where nothing else begins so.
        begun = {field.name for field in fields if _begins(head, field)} if head not in chosen else set()
        if len(begun) == 1 and not begun & set(chosen.values()):
            chosen[head] = begun.pop()
    for at, head in enumerate(heads):
        if head in chosen:
            continue
        values = [row[at] for row in rows if at < len(row) and row[at].strip()]
        free = [field for field in fields if field.name not in chosen.values() and _tells(field)]
        fitting = [field for field in free if values and all(_reads(field, value, formats) for value in values)]
        # Two dates of a call look alike; which is which only a person knows.
        if len(fitting) == 1:
            chosen[head] = fitting[0].name
    return chosen


def _tells(field: FieldSpec) -> bool:
    """Whether a text is hardly a value of a field by chance."""
    return field.kind in TELLING or bool(field.text_check and not field.lookup)


def _begins(head: str, field: FieldSpec) -> bool:
    words = _words(head)
    return bool(words) and any(_words(text)[: len(words)] == words for text in (field.name, field.label))


def _words(text: str) -> list[str]:
    plain = unicodedata.normalize("NFKD", text).casefold()
    return re.findall(r"[^\W_]+", "".join(c for c in plain if not unicodedata.combining(c)))


def folded_name(text: str) -> str:
    """A name without capitals, accents and signs between its words."""
    return "".join(_words(text))


def _reads(field: FieldSpec, text: str, formats: Formats) -> bool:
    try:
        KINDS[field.kind].parse(text, field, formats)
    except Unreadable:
        return False
    return True
