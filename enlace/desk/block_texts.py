"""What the texts of a block stand for, a column at a time: before the record is known that each goes into."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import whole_list
from enlace.core.dataset.narrowing import BrokenList
from enlace.core.kinds import Unreadable
from enlace.core.kinds.quick import column_reader, same_over_any, text_reader
from enlace.core.problem import Problem

from .typed import Typed, typed_from
from .work import Work

MOST_LINES = 20_000  # of a list that is read as a whole; in a longer one each text is looked for
FEW = 20  # texts that are looked for one by one, rather than reading a list for them
Known = dict[tuple[str, str], Typed | Problem]


def texts_known(work: Work, columns: Sequence[tuple[FieldSpec, Collection[str]]]) -> Known:
    """By field and text what it stands for, of those texts of some fields that stand for the same in every record."""
    known: Known = {}
    for field, texts in columns:
        made = _in_list(work, field, texts) if field.lookup else _plain(work, field, texts)
        known |= {(field.name, text): typed for text, typed in made.items()}
    return known


def _in_list(work: Work, field: FieldSpec, texts: Collection[str]) -> dict[str, Typed]:
    try:
        lines = whole_list(work.spec, work.dataset, field, work.formats, MOST_LINES) if len(texts) > FEW else None
    except (Problem, BrokenList):
        lines = None  # each text is told what is wrong with it
    if lines is None:
        return {}
    made = {text: typed_from(work, field, text, lines) for text in texts}
    # How a line begins says more than one, and is asked for the few that are none.
    return {text: typed for text, typed in made.items() if typed.values is not None}


def _plain(work: Work, field: FieldSpec, texts: Collection[str]) -> dict[str, Typed]:
    if not same_over_any(field):
        return {}
    several = [text for text in texts if text.strip()]  # what an empty one stands for depends on the record
    together = column_reader(field, work.formats)(several)
    if together is not None:
        values = zip(several, together, strict=True)
        return {text: Typed(work.dataset, field, work.formats, text, {field.name: value}) for text, value in values}
    read, made = text_reader(field, work.formats), {}
    for text in several:
        try:
            made[text] = Typed(work.dataset, field, work.formats, text, {field.name: read(text)})
        except Unreadable:
            made[text] = Typed(work.dataset, field, work.formats, text, unread=True)
    return made
