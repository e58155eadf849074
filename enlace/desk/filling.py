"""What a record holds, put into those below it: the values themselves, since a cell may show less than there is."""

from __future__ import annotations

from collections.abc import Sequence

from enlace.core.dataset import FieldSpec
from enlace.core.problem import Problem

from .block_texts import Known
from .blocks import AT_ONCE, Block, check_size, put_lines, shut
from .contexts import on_grid
from .typed import Typed
from .work import Work


def read_fill(work: Work, source: int, count: int, column: int, wide: int, key: str = "") -> Block:
    """What putting the cells of the record at a place into the `count` records below it would do; nothing is changed.

    column: of the first cell, counted from 0. wide: how many cells. Raises Problem.
    """
    work.require_editable()
    check_size(count, count * wide)
    fields = on_grid(work, key).shown[column : column + wide]
    texts, known = _held(work, source, fields)
    block = Block()
    for start in range(0, count, AT_ONCE):
        ids = [row.id for row in work.window(source + 1 + start, min(AT_ONCE, count - start))[0]]
        put_lines(work, block, ids, fields, [texts] * len(ids), known)
    return block


def _held(work: Work, source: int, fields: Sequence[FieldSpec]) -> tuple[list[str], Known]:
    """What a record shows in some fields, and what each text stands for. Raises Problem."""
    ids = [row.id for row in work.window(source, 1)[0]]
    stored = work.stored_of(ids).get(ids[0]) if ids else None
    pending = work.store.some(ids).get(ids[0]) if ids else None
    if stored is None and pending is None:
        raise Problem("The record above is not there any more.", "Refresh, and try again.", code="gone")
    values = pending.values(stored) if pending else stored or {}
    typed = pending.texts if pending else {}
    texts, known = [], Known()
    for field in fields:
        if shut(field):
            texts.append("")
            continue
        text = typed.get(field.name) or work.words.of(work.dataset, field, values)
        also = field.lookup.also if field.lookup else ()
        held = {name: values.get(name) for name in (field.name, *(name for name, _ in also))}
        unread = field.name in typed
        known[field.name, text] = Typed(work.dataset, field, work.formats, text, None if unread else held, unread)
        texts.append(text)
    return texts, known
