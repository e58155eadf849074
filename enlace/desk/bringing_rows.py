"""Rows of a file as records: what their texts stand for, whether they are there already, what rules say of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from itertools import compress
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import WholeList, whole_list
from enlace.core.draft import PendingRecord
from enlace.core.exchange.empties import EMPTY_TEXT
from enlace.core.exchange.outgoing import CUT_OFF
from enlace.core.kinds import KINDS, TEXTS, Unreadable
from enlace.core.kinds.quick import text_reader
from enlace.core.kinds.times import AS_NUMBERS
from enlace.core.model.values import record_id
from enlace.core.model.whole_column import WholeColumn, whole
from enlace.core.problem import Problem

from . import editing
from .alone import Alone
from .block_texts import MOST_LINES
from .blocks import Block, filled, take_in, typed_so
from .entering import Entering
from .made_rows import Faults, Made, New, Row
from .stretch import Stretch
from .typed import Typed, typed_from
from .work import Work

NUMBER = re.compile(r"-?[0-9]{6,18}(\.[0-9]+)?")  # fewer digits are a date as somebody writes it
MOST_MET = 5_000  # texts of lists that are remembered: what repeats itself repeats itself soon
Known = dict[tuple[str, str], Typed | Problem]
Columns = Sequence[tuple[str, FieldSpec]]  # headings, and the fields that they go to


def fields_for(work: Work) -> list[FieldSpec]:
    """The fields that a column may go to: those that can be entered, and the key by which a row is known."""
    dataset = work.dataset
    shown = [f for f in dataset.fields if not f.hidden or f.name in dataset.key]
    free = [f for f in shown if f.kind not in ("picture", "binary") and not (f.read_only and f.name not in dataset.key)]
    return [f for f in free if f.name in dataset.key or not f.generated]


class FileRows:
    """Makes records of rows, a stretch at a time.

    columns: where the file's go. existing: what becomes of rows whose key is there already ("update", "skip", "refuse").
    """

    def __init__(self, work: Work, columns: Columns, existing: str) -> None:
        self.work, self.columns, self.existing = work, columns, existing
        self._lists: dict[str, WholeList | None] = {}
        self._met: Known = {}  # what texts stand for in these lists

    def made(self, several: Stretch, ruled: bool = True) -> Made:
        """Rows as they would go in: values, lists and rules are looked at, nothing is changed.

        ruled: whether rules are asked; they need not be where a check did so already, and then each row is told.
        """
        several = self._without_empty_texts(several)
        known = self._found_in_lists(several) | self._as_they_stand(several) | self._empty_texts()
        ids = self._identified(several, known)
        asked = [identifier for identifier in ids if identifier]
        stored, there = self.work.stored_of(asked), self.work.store.some(asked)
        beside = self._elsewhere(several, known)
        fresh: Sequence[int] = range(len(ids))
        if stored or any(beside):
            fresh = [at for at, named in enumerate(ids) if not beside[at] and (not named or named not in stored)]
        entering = Entering(self.work, editing.fresh(self.work), self._entered(), known)
        rest, new = self._plainly(several.some(fresh), [ids[at] for at in fresh], entering) if ruled else (None, New())
        if len(new.numbers) == len(ids):
            return Made({}, new)
        told = set(new.numbers)
        left = several.some(fresh) if rest is None else rest
        entered = iter(entering.entered(left) if left.numbers else ())
        made, named_so = [], []
        for at, (number, named, faults) in enumerate(zip(several.numbers, ids, beside, strict=True)):
            if number in told:
                continue
            row = several.texts(at)
            named_so.append(named)
            if faults:
                made.append(Row(number, row, "", (), faults))
            elif named and named in stored:
                made.append(self._again(number, row, named, stored[named], there.get(named), known))
            else:
                record, unfit = next(entered)
                made.append(Row(number, row, "", (), tuple(unfit), record=record))
        made = self._ruled(made, named_so, stored) if ruled and made else made
        return Made({row.number: row for row in made}, new)

    def _plainly(self, rows: Stretch, ids: Sequence[str], entering: Entering) -> tuple[Stretch, New]:
        """New records that are surely sound, found column by column; and the rows that are left. ids: that rows name."""
        first, part, checks = entering.first, self.work.part, self.work.checks
        told = None
        if not (first.texts or first.waits_for) and checks.at_first_sight(part):
            told = entering.columns(rows)
        if told is None:
            return rows, New()
        columns, odd = told
        fine = checks.sound_columns(part, columns, len(ids))
        for at in odd:
            fine[at] = False
        rest = rows.some([at for at, so in enumerate(fine) if not so]) if not all(fine) else rows.some(())
        if rest.numbers:
            ids, rows = list(compress(ids, fine)), rows.some([at for at, so in enumerate(fine) if so])
            columns = {name: WholeColumn(compress(column, fine)) for name, column in columns.items()}
        return rest, New(rows.numbers, columns, list(self._alone.of_columns(ids, columns)))

    def _again(self, number: int, row: dict[str, str], identifier: str, stored: Any, before: Any, known: Known) -> Row:
        """A row whose key is there already."""
        if self.existing == "update":
            cells, unfit = self._cells(row, identifier, stored, before, known)
            changed = filled(self.work, cells, stored, before, identifier)
            return Row(number, row, identifier, tuple(cells), tuple(unfit), record=changed)
        refused = self.existing == "refuse"
        there_already = (("", "There is a record with this key already."),) if refused else ()
        return Row(number, row, identifier, (), there_already, not refused)

    def _ruled(self, rows: Sequence[Row], ids: Sequence[str], stored: Mapping[str, Any]) -> list[Row]:
        """The rows with what rules say of them, and what no other may have."""
        # Rules are asked of rows whose texts could be read: on others they would complain of what is missing for that
        # reason alone.
        asked = [row for row in rows if row.sound]
        if self.work.part.rules.related:
            self.work.checks.prefetch_all(self.work.part, [row.record for row in asked if row.record])
        records = [row.record for row in asked if row.record]
        told_sound = self.work.checks.sound(self.work.part, records)
        fine = {record.id for record, sound in zip(records, told_sound, strict=True) if sound}
        ruled = []
        for row, identifier in zip(rows, ids, strict=True):
            if row.skipped or (row.faults and row.record is None):
                ruled.append(row)
                continue
            read, faults = stored.get(row.identifier), row.faults
            if not faults and not (row.record and row.record.id in fine):
                faults = tuple(self._told(row.record, read))
            held = row.record.values(read) if row.record and not row.faults else {}
            ruled.append(Row(*row[:4], faults, row.skipped, row.record, self._alone.of(identifier, held)))
        return ruled

    def _entered(self) -> list[tuple[str, FieldSpec]]:
        """The columns that a new record takes: what the database makes is not among them."""
        key = self.work.dataset.key
        return [(head, field) for head, field in self.columns if not (field.name in key and field.generated)]

    @cached_property
    def _alone(self) -> Alone:
        return Alone(self.work.dataset)

    def _without_empty_texts(self, several: Stretch) -> Stretch:
        """Where no text can be, an empty one is no value."""
        others = [head for head, field in self.columns if not _is_text(field)]
        columns = {
            head: whole([text.removeprefix(EMPTY_TEXT) for text in several.columns[head]])
            for head in others
            if several.columns[head].has_between
        }
        return replace(several, columns={**several.columns, **columns}) if columns else several

    def _found_in_lists(self, rows: Stretch) -> Known:
        """What texts of fields with lists stand for: a list is read once, as long as it is not too long."""
        known: Known = {}
        for head, field in self.columns:
            if field.lookup is None:
                continue
            if field.name not in self._lists:
                whole = whole_list(self.work.spec, self.work.dataset, field, self.work.formats, MOST_LINES)
                self._lists[field.name] = whole
            if (lines := self._lists[field.name]) is not None:
                said = {(field.name, text) for text in rows.columns[head].distinct}
                known |= {place: self._met[place] for place in said & self._met.keys()}
                fresh = {place: typed_from(self.work, field, place[1], lines) for place in said - known.keys()}
                known |= fresh
                if len(self._met) < MOST_MET:
                    self._met |= fresh
        return known

    def _as_they_stand(self, rows: Stretch) -> Known:
        """Texts of a file that would stand for something else if a person typed them: blanks alone, the ends of lines, those
        that a format cut off, and numbers as which a column keeps its dates."""
        known: Known = {}
        for head, field in self.columns:
            if field.storage in AS_NUMBERS:
                for text in rows.columns[head].distinct:
                    if NUMBER.fullmatch(text):
                        number = float(text) if "." in text else int(text)
                        known[field.name, text] = Typed(
                            self.work.dataset, field, self.work.formats, text, {field.name: number}
                        )
            if not _is_text(field) or field.picture or field.pattern or field.text_check:
                continue
            for text in _odd(rows.columns[head]):
                known[field.name, text] = self._as_it_stands(field, text)
        return known

    def _as_it_stands(self, field: FieldSpec, text: str) -> Typed | Problem:
        if text.endswith(CUT_OFF):
            hint = "Take it out in another format, such as CSV, and bring that in."
            return Problem("The text was cut off, since a cell of a workbook holds no more.", hint, code="bad")
        fits = len(text) <= (field.length or len(text))
        return Typed(self.work.dataset, field, self.work.formats, text, {field.name: text} if fits else None, not fits)

    def _empty_texts(self) -> Known:
        """What an empty text stands for, which is no value when it is typed."""
        own = (field for _, field in self.columns if _is_text(field))
        return {(f.name, EMPTY_TEXT): Typed(self.work.dataset, f, self.work.formats, "", {f.name: ""}) for f in own}

    @cached_property
    def _linked(self) -> dict[str, Any]:
        """In a detail the columns that lead to its master, which no file has to say; those of a new master are not known."""
        within = dict(self.work.rows.within or ()) if self.work.part.name else {}
        return {name: value for name, value in within.items() if value is not None}

    def _identified(self, rows: Stretch, known: Known) -> list[str]:
        """The ids of the records with the keys that rows name; "" where one names none."""
        dataset, heads = self.work.dataset, {field.name: head for head, field in self.columns}
        linked, count = self._linked, len(rows.numbers)
        if not dataset.key or not set(dataset.key) <= heads.keys() | linked.keys():
            return [""] * count
        whole = set(dataset.key) == dataset.by_name.keys()
        columns = [rows.columns[heads[name]] if name in heads else [""] * count for name in dataset.key]
        readers = [(self._reader(dataset.by_name[name], known), linked.get(name)) for name in dataset.key]

        def identifier(texts: tuple[str, ...]) -> str:
            try:
                key = tuple(
                    ("" if text == EMPTY_TEXT else read(text)) if text else master
                    for text, (read, master) in zip(texts, readers, strict=True)
                )
            except Unreadable:
                return ""
            # No value in a key: the database makes it, so the row is a new record. Not where all columns are the key.
            return "" if None in key and not whole else record_id(key)

        return list(map(identifier, zip(*columns, strict=True)))

    def _elsewhere(self, rows: Stretch, known: Known) -> list[Faults]:
        """What is wrong with rows that belong to another master than the one whose details are brought in."""
        ties = [(h, self._reader(f, known), self._linked[f.name]) for h, f in self.columns if f.name in self._linked]
        if not ties:
            return [()] * len(rows.numbers)
        sentence = (
            f"It belongs to another record than the one that these rows of {self.work.part.title} are brought into."
        )

        def faults(texts: tuple[str, ...]) -> Faults:
            try:
                beside = [
                    head
                    for text, (head, read, master) in zip(texts, ties, strict=True)
                    if text and not _same(read(text), master)
                ]
            except Unreadable:
                return ()  # told with its field
            return tuple((head, sentence) for head in beside)

        return list(map(faults, zip(*(rows.columns[head] for head, _, _ in ties), strict=True)))

    def _reader(self, field: FieldSpec, known: Known) -> Callable[[str], Any]:
        """What a text of a key stands for, what a list shows for it too. It raises Unreadable."""
        plain = text_reader(replace(field, required=False), self.work.formats)
        if field.lookup is None:
            return plain
        met: dict[str, Any] = {}

        def read(text: str) -> Any:
            if text not in met:
                typed = typed_so(self.work, field, text, {}, known)
                found = isinstance(typed, Typed) and typed.values is not None
                met[text] = typed.values[field.name] if found else plain(text)  # type: ignore[union-attr, index]
            return met[text]

        return read

    def _cells(
        self,
        row: dict[str, str],
        identifier: str,
        stored: Any,
        there: Any,
        known: Known,
    ) -> tuple[list[tuple[FieldSpec, Typed]], list[tuple[str, str]]]:
        """What a row's texts stand for, and what can't be put where it would go."""
        cells: list[tuple[FieldSpec, Typed]] = []
        faults: list[tuple[str, str]] = []
        for head, field in self.columns:
            if field.name in self.work.dataset.key and (identifier or field.generated):
                continue  # what it is known by, or what the database makes
            if self._stands_so(row[head], field, stored, there):
                continue
            block = Block()
            take_in(self.work, block, identifier, there, stored, [(field, row[head])], known)
            typed = [cell for _, several in block.lines for cell in several]
            unfit = block.refused or any(one.values is None for _, one in typed)
            if unfit and self._written_so(row[head], field, stored, there):
                continue
            faults += [(head, sentence) for sentence in block.refused]
            cells += typed
        return cells, faults

    def _stands_so(self, text: str, field: FieldSpec, stored: Any, there: Any) -> bool:
        """Whether a file's text is what is stored: not looked at again then, however little it would fit the field by now.
        Where values are taken out as they are shown, an empty text is told from no value by nothing."""
        if field.lookup:
            # A line of the list may show what is the value of another, or fill columns that the file says themselves.
            return self._written_so(text, field, stored, there)
        was = stored.get(field.name)
        return _is_text(field) and isinstance(was, str) and text == was and not (there and field.name in there.touched)

    def _written_so(self, text: str, field: FieldSpec, stored: Any, there: Any) -> bool:
        """Whether a text is how a stored value is taken out that nobody could type, such as a word in a column of numbers."""
        was = stored.get(field.name)
        if was is None or (there and field.name in there.touched):
            return False
        kind, formats = KINDS[field.kind], self.work.formats
        return text in (kind.text(was, field), kind.as_typed(was, field, formats), kind.formatter(field, formats)(was))

    def _told(self, record: PendingRecord | None, stored: Any) -> list[tuple[str, str]]:
        """What holds a record back, by the headings of its fields."""
        if record is None:
            return [("", "The record is marked for removal.")]
        told = [complaint for complaint in self.work.checks.complaints(record, stored) if complaint.holds_back]
        if not told:
            return []
        heads = {field.name: head for head, field in self.columns}
        return [
            (next((heads[name] for name in complaint.fields if name in heads), ""), complaint.sentence)
            for complaint in told
        ]


def _same(a: Any, b: Any) -> bool:
    return bool(a == b) or str(a) == str(b)  # what keeps no types may have the one as a number and the other as a text


def _odd(texts: WholeColumn[str]) -> set[str]:
    # Looked at as a whole first: most columns have none.
    if "\r" not in texts.joined and CUT_OFF not in texts.joined and not texts.has_blanks:
        return set()
    return {text for text in texts if "\r" in text or text.isspace() or text.endswith(CUT_OFF)}


def _is_text(field: FieldSpec) -> bool:
    return field.kind in TEXTS and field.lookup is None
