"""Rows of a file as records: what their texts stand for, whether they are there already, what rules say of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, NamedTuple

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import whole_list
from enlace.core.draft import PendingRecord
from enlace.core.exchange.csv_out import csv_text
from enlace.core.exchange.empties import EMPTY_TEXT, MARK, unmarked
from enlace.core.exchange.outgoing import CUT_OFF
from enlace.core.kinds import KINDS, TEXTS, Unreadable
from enlace.core.kinds.quick import text_reader
from enlace.core.kinds.times import AS_NUMBERS, ISO_DATE
from enlace.core.model.values import record_id
from enlace.core.problem import Problem

from . import editing
from .block_texts import MOST_LINES
from .blocks import Block, filled, take_in, typed_so
from .entering import Entering
from .typed import Typed, typed_from
from .work import Work

NUMBER = re.compile(r"-?[0-9]{6,18}(\.[0-9]+)?")  # fewer digits are a date as somebody writes it
Known = dict[tuple[str, str], Typed | Problem]
Faults = tuple[tuple[str, str], ...]
Columns = Sequence[tuple[str, FieldSpec]]  # headings, and the fields that they go to


class Row(NamedTuple):
    """One row of a file as it would go in. number: counted from 1, without headings. identifier: of the record that is there
    already, else "". faults: by heading ("" for the row as a whole), why not. skipped: it is there already, and stays. record:
    as it would be pending, None where it is to be removed. alone: what no other row may have, each with the fields that it is of in words."""

    number: int
    texts: dict[str, str]
    identifier: str
    cells: tuple[tuple[FieldSpec, Typed], ...]
    faults: Faults
    skipped: bool = False
    record: PendingRecord | None = None
    alone: tuple[tuple[str, str], ...] = ()

    @property
    def sound(self) -> bool:
        """Whether it can go in."""
        return not (self.faults or self.skipped)


def fields_for(work: Work) -> list[FieldSpec]:
    """The fields that a column may go to: those that can be entered, and the key by which a row is known."""
    dataset = work.dataset
    shown = [f for f in dataset.fields if not f.hidden or f.name in dataset.key]
    free = [f for f in shown if f.kind not in ("picture", "binary") and not (f.read_only and f.name not in dataset.key)]
    return [f for f in free if f.name in dataset.key or not f.generated]


def as_texts(
    heads: Sequence[str],
    values: Sequence[str],
    from_csv: bool,
    mended: Mapping[str, str],
    moments: Sequence[str] = (),
) -> dict[str, str]:
    """A row's texts by heading, what was mended in the place of what the file has. moments: headings of dates with a time
    where a date alone is one at midnight, as workbooks keep it."""
    texts = dict(zip(heads, values, strict=False))
    if MARK in "".join(values):
        # What was taken out with an apostrophe before its = comes back without; other formats have typed cells and need
        # none.
        read = csv_text if from_csv else unmarked
        texts = {head: read(value) if value[:1] == MARK else value for head, value in texts.items()}
    for head in moments:
        if ISO_DATE.fullmatch(texts[head]):
            texts[head] += " 00:00"
    for head, text in mended.items():
        texts[head] = EMPTY_TEXT if text == MARK else text
    return texts


class FileRows:
    """Makes records of rows, a stretch at a time.

    columns: where the file's go. existing: what becomes of rows whose key is there already ("update", "skip", "refuse").
    """

    def __init__(self, work: Work, columns: Columns, existing: str) -> None:
        self.work, self.columns, self.existing = work, columns, existing

    def made(self, texts: Mapping[int, dict[str, str]], ruled: bool = True) -> list[Row]:
        """Rows as they would go in, by their numbers: values, lists and rules are looked at, nothing is changed.

        ruled: whether rules are asked; they need not be where a check did so already.
        """
        rows = list(texts.values())
        for head, field in self.columns:
            # Where no text can be, an empty one is no value.
            if not _is_text(field) and EMPTY_TEXT in [row[head] for row in rows]:
                for row in rows:
                    row[head] = row[head].removeprefix(EMPTY_TEXT)
        known = self._found_in_lists(rows) | self._as_they_stand(rows) | self._empty_texts()
        identified = self._identified(known)
        ids = [identified(row) for row in rows]
        asked = [identifier for identifier in ids if identifier]
        stored, there = self.work.stored_of(asked), self.work.store.some(asked)
        elsewhere = self._elsewhere(known)
        beside = [elsewhere(row) for row in rows]
        new = [
            row
            for row, named, faults in zip(rows, ids, beside, strict=True)
            if not faults and (not named or named not in stored)
        ]
        entered = iter(Entering(self.work, editing.fresh(self.work), self._entered(), known).entered(new))
        made = []
        for number, row, named, faults in zip(texts, rows, ids, beside, strict=True):
            if faults:
                made.append(Row(number, row, "", (), faults))
            elif named and named in stored:
                made.append(self._again(number, row, named, stored[named], there.get(named), known))
            else:
                record, unfit = next(entered)
                made.append(Row(number, row, "", (), tuple(unfit), record=record))
        return self._ruled(made, ids, stored) if ruled else made

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
            held = row.record.values(read) if self._uniques and row.record and not row.faults else {}
            ruled.append(Row(*row[:4], faults, row.skipped, row.record, self._alone(identifier, held)))
        return ruled

    def _entered(self) -> list[tuple[str, FieldSpec]]:
        """The columns that a new record takes: what the database makes is not among them."""
        key = self.work.dataset.key
        return [(head, field) for head, field in self.columns if not (field.name in key and field.generated)]

    def _alone(self, identifier: str, values: Mapping[str, Any]) -> tuple[tuple[str, str], ...]:
        """What no other row of the file may have: the key that it names, and what the table keeps unique."""
        alone = [(self._in_words(self.work.dataset.key), identifier)] if identifier else []
        for columns, words in self._uniques:
            taken = [values.get(name) for name in columns]
            # NULL is equal to nothing; what the database makes no file has.
            if _all_there(taken):
                alone.append((words, f"{columns} {taken}"))
        return tuple(alone)

    @cached_property
    def _uniques(self) -> list[tuple[tuple[str, ...], str]]:
        """The columns of each constraint that keeps something unique, and what they are in words."""
        known = self.work.dataset.by_name.keys()
        return [(columns, self._in_words(columns)) for columns in self.work.dataset.uniques if set(columns) <= known]

    def _in_words(self, columns: Sequence[str]) -> str:
        return " and ".join(self.work.dataset.by_name[name].label for name in columns)

    def _found_in_lists(self, rows: Sequence[dict[str, str]]) -> Known:
        """What texts of fields with lists stand for: a list is read once for a stretch, as long as it is not too long."""
        known: Known = {}
        for head, field in self.columns:
            if field.lookup is None:
                continue
            lines = whole_list(self.work.spec, self.work.dataset, field, self.work.formats, MOST_LINES)
            if lines is not None:
                said = {row[head] for row in rows}
                known |= {(field.name, text): typed_from(self.work, field, text, lines) for text in said}
        return known

    def _as_they_stand(self, rows: Sequence[dict[str, str]]) -> Known:
        """Texts of a file that would stand for something else if a person typed them: blanks alone, the ends of lines, those
        that a format cut off, and numbers as which a column keeps its dates."""
        known: Known = {}
        for head, field in self.columns:
            if field.storage in AS_NUMBERS:
                for text in {row[head] for row in rows}:
                    if NUMBER.fullmatch(text):
                        number = float(text) if "." in text else int(text)
                        known[field.name, text] = Typed(
                            self.work.dataset, field, self.work.formats, text, {field.name: number}
                        )
            if not _is_text(field) or field.picture or field.pattern or field.text_check:
                continue
            for text in _odd([row[head] for row in rows]):
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

    def _identified(self, known: Known) -> Callable[[dict[str, str]], str]:
        """A function that gives the id of the record with the key that a row names; "" where it names none."""
        dataset, heads = self.work.dataset, {field.name: head for head, field in self.columns}
        linked = self._linked
        if not dataset.key or not set(dataset.key) <= heads.keys() | linked.keys():
            return lambda row: ""
        readers = [(name, heads.get(name, ""), self._reader(dataset.by_name[name], known)) for name in dataset.key]

        def identifier(row: dict[str, str]) -> str:
            try:
                key = tuple(
                    ("" if row[head] == EMPTY_TEXT else read(row[head])) if head and row[head] else linked.get(name)
                    for name, head, read in readers
                )
            except Unreadable:
                return ""
            # No value in a key: the database makes it, so the row is a new record.
            return "" if None in key else record_id(key)

        return identifier

    def _elsewhere(self, known: Known) -> Callable[[dict[str, str]], Faults]:
        """A function that says of a row that it belongs to another master than the one whose details are brought in."""
        ties = [(h, self._reader(f, known), self._linked[f.name]) for h, f in self.columns if f.name in self._linked]
        if not ties:
            return lambda row: ()
        sentence = (
            f"It belongs to another record than the one that these rows of {self.work.part.title} are brought into."
        )

        def faults(row: dict[str, str]) -> Faults:
            try:
                beside = [head for head, read, master in ties if row[head] and not _same(read(row[head]), master)]
            except Unreadable:
                return ()  # told with its field
            return tuple((head, sentence) for head in beside)

        return faults

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
            if _is_text(field) and self._stands_so(row[head], field.name, stored, there):
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

    def _stands_so(self, text: str, name: str, stored: Any, there: Any) -> bool:
        """Whether a file's text is what is stored: not looked at again then, however little it would fit the field by now.
        Where values are taken out as they are shown, an empty text is told from no value by nothing."""
        was = stored.get(name)
        return isinstance(was, str) and text == was and not (there and name in there.touched)

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


def _all_there(values: Sequence[Any]) -> bool:
    for value in values:  # noqa: SIM110 (asked for each row of a file: a generator takes longer than what it asks)
        if value is None:
            return False
    return True


def _odd(texts: list[str]) -> set[str]:
    joined = "".join(texts)  # looked at as a whole first: most columns have none
    if "\r" not in joined and CUT_OFF not in joined and not any(map(str.isspace, texts)):
        return set()
    return {text for text in texts if "\r" in text or text.isspace() or text.endswith(CUT_OFF)}


def _is_text(field: FieldSpec) -> bool:
    return field.kind in TEXTS and field.lookup is None
