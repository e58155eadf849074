"""A block of texts put into a grid, as from a spreadsheet: many records, one step to undo."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction

from enlace.core.dataset import FieldSpec
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import Edit, as_read, give_new
from enlace.core.kinds import KINDS
from enlace.core.model.values import key_of
from enlace.core.problem import Problem

from . import editing
from .block_texts import texts_known
from .contexts import on_grid
from .draft_new import New
from .typed import Typed, typed_in
from .work import Work

MOST_LINES, MOST_CELLS = 20_000, 100_000
AT_ONCE = 500  # records that are read together
MOST_TOLD = 6  # sentences


@dataclass
class Block:
    """What a block comes to. lines: by record id, what is typed into it ("" for the id of one to be made). refused: the
    sentences about cells that nothing can be put into, with how many cells each is about. read: by id, what is stored, as
    far as it was read for this.
    """

    lines: list[tuple[str, list[tuple[FieldSpec, Typed]]]] = field(default_factory=list)
    refused: Counter[str] = field(default_factory=Counter)
    read: dict[str, dict[str, Any]] = field(default_factory=dict)
    edited: int = 0
    made: int = 0

    def take(self, identifier: str, cells: list[tuple[FieldSpec, Typed]]) -> None:
        """Take in what is typed into one record."""
        self.lines.append((identifier, cells))
        self.made += not identifier
        self.edited += bool(identifier)

    def told(self) -> list[str]:
        """What is refused, in sentences, the most frequent first."""
        several = [
            f"{sentence} ({count} cell{'s' * (count != 1)})" for sentence, count in self.refused.most_common(MOST_TOLD)
        ]
        rest = len(self.refused) - len(several)
        return several + ([f"And {rest} more such sentences."] if rest > 0 else [])

    def marked(self) -> str:
        """A sentence about the texts that are no values of their fields: they go in as they are; "" where there are none."""
        parsed: dict[tuple[str, str], bool] = {}  # texts come again and again

        def readable(made: Typed) -> bool:
            if made.unread or made.values is not None:
                return made.readable
            place = (made.field.name, made.text)
            if place not in parsed:
                parsed[place] = made.readable
            return parsed[place]

        odd = [made for _, cells in self.lines for _, made in cells if not readable(made)]
        if not odd:
            return ""
        return (
            f"{len(odd):,} cell{'s' * (len(odd) != 1)} would hold what the field can't take, such as “{odd[0].text[:40]}” in "
            f"{odd[0].field.label}: marked until somebody puts it right."
        )


def read_block(work: Work, position: int, column: int, lines: Sequence[Sequence[str]], key: str = "") -> Block:
    """What putting lines of texts into a grid from a cell on would do; lists are asked, nothing is changed.

    column: of the first text, counted from 0. Lines beyond the last record become new ones. Raises Problem.
    """
    work.require_editable()
    check_size(len(lines), sum(map(len, lines)))
    fields = on_grid(work, key).shown[column:]
    wide = max((len(line) for line in lines), default=0)
    block = Block()
    if wide > len(fields):
        block.refused["There is no column for what stands further right."] += sum(
            max(0, len(line) - len(fields)) for line in lines
        )
    known = texts_known(
        work, [(spec, column) for spec, column in zip(fields, _columns(lines), strict=False) if not shut(spec)]
    )
    for start in range(0, len(lines), AT_ONCE):
        part = lines[start : start + AT_ONCE]
        put_lines(work, block, [row.id for row in work.window(position + start, len(part))[0]], fields, part, known)
    return block


def check_size(lines: int, cells: int) -> None:
    """Raises Problem where a block is too large to be put in at once."""
    if lines > MOST_LINES or cells > MOST_CELLS:
        said = f"At most {MOST_LINES:,} lines and {MOST_CELLS:,} cells can be put in at once."
        raise Problem(said, "Put in a part of it.", code="bad")


def _columns(lines: Sequence[Sequence[str]]) -> list[set[str]]:
    """The texts of each column of a block."""
    several: list[set[str]] = [set() for _ in range(max(map(len, lines), default=0))]
    for line in lines:
        for column, text in zip(several, line, strict=False):
            column.add(text)
    return several


def put_lines(
    work: Work, block: Block, ids: list[str], fields: Sequence[FieldSpec], lines: Sequence[Sequence[str]],
    known: dict[tuple[str, str], Typed | Problem],
) -> None:  # fmt: skip
    """Take lines of texts into a block, each for the record with the id at its place; a new one where there is none."""
    stored, there = work.stored_of(ids), work.store.some(ids)
    block.read |= stored
    met = fields[: max(map(len, lines), default=0)]
    # Where no record decides what a text stands for, what is known of it is all that there is to find out.
    plain = not _may_lock(met) and not any(shut(f) or (f.lookup and f.lookup.narrowed) for f in met)
    names = [field.name for field in met]
    for i, line in enumerate(lines):
        identifier = ids[i] if i < len(ids) else ""
        read = stored.get(identifier)
        if plain and (not identifier or (read is not None and identifier not in there)):
            cells = [(f, known.get(place)) for f, place in zip(met, zip(names, line, strict=False), strict=False)]
            if (
                cells
                and all(typed.__class__ is Typed for _, typed in cells)
                and (identifier or any(map(str.strip, line)))
            ):
                block.take(identifier, cells)  # type: ignore[arg-type]
                continue
        texts = list(zip(fields, line, strict=False))
        take_in(work, block, identifier, there.get(identifier), read, texts, known)


def take_in(
    work: Work, block: Block, identifier: str, before: PendingRecord | None, read: dict[str, Any] | None,
    texts: Sequence[tuple[FieldSpec, str]], known: dict[tuple[str, str], Typed | Problem],
) -> None:  # fmt: skip
    """Take the texts for some fields of one record into a block. before, read: what is pending of it, and stored; an id of
    "" stands for a record to be made. known: what texts stand for, as far as it was found out already."""
    if identifier and before is not None and before.state == "removed":
        block.refused["A record is marked for removal."] += len(texts)
        return
    if identifier and before is None and read is None:
        block.refused["A record is not there any more, or can't be told apart from others."] += len(texts)
        return
    values = before.values(read) if before else read or {}
    # A record's view asks rules and lists; without a condition on these fields nothing in it matters here.
    may_lock = identifier and _may_lock([spec for spec, _ in texts])
    locked = work.view(identifier, None, read, before).locked if may_lock else frozenset()
    cells = []
    for spec, text in texts:
        made = _typed(work, spec, text, values, locked, known)
        if isinstance(made, Typed):
            cells.append((spec, made))
        elif made:
            block.refused[made] += 1
    # A line of blanks below the last record, as spreadsheets copy them, makes no record.
    if cells and (identifier or any(text.strip() for _, text in texts)):
        block.take(identifier, cells)


def _may_lock(fields: Sequence[FieldSpec]) -> bool:
    return any(spec.read_only_when for spec in fields)


def _typed(
    work: Work,
    spec: FieldSpec,
    text: str,
    values: object,
    locked: frozenset[str],
    known: dict[tuple[str, str], Typed | Problem],
) -> Typed | str:
    """What a text stands for in a field, or a sentence why it can't be put there."""
    if sentence := shut(spec):
        return sentence
    if spec.name in locked:
        return f"{spec.label} can't be edited while the record is as it is."
    return typed_so(work, spec, text, values, known)


def shut(spec: FieldSpec) -> str:
    """Why nothing can be put into a field of any record, else ""."""
    held = spec.read_only or spec.generated or spec.formula or spec.outside or spec.kind in ("picture", "binary")
    return f"{spec.label} can't be edited here." if held else ""


def typed_so(
    work: Work, spec: FieldSpec, text: str, values: object, known: dict[tuple[str, str], Typed | Problem]
) -> Typed | str:
    """What a text stands for in a field of a record with some values, or a sentence why it stands for nothing."""
    # What a text stands for in a narrowed list depends on its record, so it can't be known from another one.
    narrowed = spec.lookup is not None and bool(spec.lookup.narrowed)
    place = (spec.name, text)
    if narrowed or place not in known:
        try:
            known[place] = typed_in(work, spec, text, "", values)  # type: ignore[arg-type]
        except Problem as problem:
            known[place] = problem
    made = known[place]
    return made if isinstance(made, Typed) else str(made)


def put_block(
    work: Work,
    block: Block,
    label: str,
    beside: Sequence[PendingRecord] = (),
    sound: bool = False,
    ready: Sequence[New] = (),
    claim: Callable[[], None] = lambda: None,
) -> list[str]:
    """Put a block into the draft as one step; the ids of the records that it changed, in order.

    beside: new records that are put in with it. sound: these are known to need no attention. ready: others, as they are to
    be kept, whose ids are not among these. claim: called within the transaction, before anything is put in; what it raises ends it.
    """
    ids = [identifier for identifier, _ in block.lines if identifier]
    stored = dict(block.read)
    # Read before the transaction on Enlace's own database begins: a slow server must not hold its lock.
    lacking = [identifier for identifier in ids if identifier not in stored]
    for start in range(0, len(lacking), AT_ONCE):
        stored |= work.stored_of(lacking[start : start + AT_ONCE])
    fresh = editing.several_fresh(work, sum(not identifier for identifier, _ in block.lines))
    before: dict[str, PendingRecord | None] = {}
    after: dict[str, PendingRecord | None] = {}
    with transaction.atomic():
        claim()
        there = work.store.some(ids)
        new = iter(fresh)
        for identifier, cells in block.lines:
            was = there.get(identifier)
            record = filled(work, cells, stored.get(identifier), was if identifier else next(new), identifier)
            if record is None:
                continue
            # A record that is as it is stored again is nothing pending.
            result = None if record.idle else record
            if was != result:
                before[record.id], after[record.id] = was, result
        before |= dict.fromkeys(record.id for record in beside)
        after |= {record.id: record for record in beside}
        if after or ready:
            work.store.put(label, before, after, {record.id for record in beside} if sound else (), ready)
    work.forget_new()
    return list(after)


def _filled_anew(
    work: Work, cells: Sequence[tuple[FieldSpec, Typed]], read: Mapping[str, Any], record: PendingRecord
) -> PendingRecord:
    """A stored record of which nothing is pending, with values that are all known: as `Edit` makes it, of thousands."""
    was, by_name = dict(record.was), work.dataset.by_name
    now: dict[str, Any] = {}
    for spec, typed in cells:
        was[spec.name] = read.get(spec.name)
        for name, value in (typed.values or {}).items():
            field = by_name[name]
            stored = was[name] if name in was else read.get(name)
            if KINDS[field.kind].same(stored, value, field):
                now.pop(name, None)
            else:
                now[name] = value
                was.setdefault(name, stored)
    return PendingRecord(record.id, record.state, record.key, was, now)


def _entered(cells: Sequence[tuple[FieldSpec, Typed]], record: PendingRecord) -> PendingRecord:
    """A record that is made for these values, which are all known: as `Edit` makes it, of thousands."""
    now, texts, waits_for = dict(record.now), dict(record.texts), dict(record.waits_for)
    for spec, typed in cells:
        if spec.default is not None and typed.left_empty:
            for held in (now, texts, waits_for):
                held.pop(spec.name, None)
            continue
        for name, value in (typed.values or {}).items():
            give_new(now, texts, waits_for, name, value)
    return PendingRecord(record.id, record.state, now=now, texts=texts, waits_for=waits_for)


def filled(
    work: Work,
    cells: Sequence[tuple[FieldSpec, Typed]],
    read: dict[str, Any] | None,
    record: PendingRecord | None,
    identifier: str,
) -> PendingRecord | None:
    """A record with what is typed into it; None where there is none, or it is to be removed. read: as it is stored."""
    known = not [typed for _, typed in cells if typed.values is None or typed.unread]
    if record is None and read:
        record = as_read(work.dataset, identifier, key_of(identifier), read)
        if known:
            return _filled_anew(work, cells, read, record)
    elif record is not None and not identifier and known:
        return _entered(cells, record)
    if record is None or record.state == "removed":
        return None
    edit = Edit(record)
    for spec, typed in cells:
        if read is not None and record.conflict is None and not edit.touched(spec.name):
            edit.was[spec.name] = read.get(spec.name)
        typed.into(edit, read)
    return edit.made()
