"""A file on its way into a form: kept as it came, read, its rows checked a stretch at a time, then put into the draft.

Nothing reaches the server before the draft is saved. What is found out is kept with the file, so that a page that was
closed goes on where it was.
"""

from __future__ import annotations

import datetime
import shutil
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import IO, Any

from django.conf import settings
from django.utils import timezone

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import whole_list
from enlace.core.draft import PendingRecord
from enlace.core.exchange.csv_out import csv_text
from enlace.core.exchange.empties import EMPTY_TEXT, MARK, unmarked
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.matching import matched
from enlace.core.exchange.readers import guessed, looked, rows
from enlace.core.exchange.spool import Spool, spooled
from enlace.core.kinds import KINDS, TEXTS, Unreadable
from enlace.core.model.values import record_id
from enlace.core.problem import Problem

from . import editing
from .blocks import Block, filled, put_block, take_in
from .entering import Entering
from .firsts import Firsts
from .models import Incoming, KeptMapping
from .typed import Typed, typed_from
from .verdicts import Verdicts
from .work import Work

MOST_BYTES = 500 * 1024 * 1024
MOST_WAITING = 10  # files of one person; the oldest goes
KEPT_FOR = datetime.timedelta(days=3)
STRETCH = 1_000  # rows that are checked, or put in, in one request
SAMPLE = 6
MOST_LINES = 20_000  # of a list that is read as a whole; in a longer one each text is looked for
MOST_FAULTS = 300  # that are kept to be mended; the others are counted
EXISTING = {"update": "Update it", "skip": "Leave the row out", "refuse": "Take the row for faulty"}


@dataclass(frozen=True)
class Row:
    """One row of a file as it would go in. number: counted from 1, without headings. identifier: of the record that is there
    already, else "". faults: by heading ("" for the row as a whole), why not. skipped: it is there already, and stays. record:
    as it would be pending, None where it is to be removed. alone: what no other row may have, each with the fields that it is of in words."""

    number: int
    texts: dict[str, str]
    identifier: str
    cells: tuple[tuple[FieldSpec, Typed], ...]
    faults: tuple[tuple[str, str], ...]
    skipped: bool = False
    record: PendingRecord | None = None
    alone: tuple[tuple[str, str], ...] = ()


def folder() -> Path:
    """Where files that are brought in wait; only Enlace's user may look into it."""
    place: Path = settings.HOME / "incoming"
    place.mkdir(mode=0o700, exist_ok=True)
    return place


class Bringing:
    """A person's file for one part of a form."""

    def __init__(self, work: Work, incoming: Incoming) -> None:
        self.work, self.incoming = work, incoming
        self.look = Look.of(incoming.look)
        spool = incoming.spool
        self.spool = Spool(tuple(spool.get("heads", ())), spool.get("count", 0), tuple(spool.get("places", ())))

    @property
    def file(self) -> Path:
        return folder() / f"{self.incoming.pk}.file"

    @property
    def rows_file(self) -> Path:
        return folder() / f"{self.incoming.pk}.rows"

    @property
    def verdicts(self) -> Verdicts:
        """What the check said of each row."""
        return Verdicts(folder() / f"{self.incoming.pk}.verdicts")

    @property
    def firsts(self) -> Firsts:
        return Firsts(folder() / f"{self.incoming.pk}.firsts")

    # -- reading the file -------------------------------------------------------------------------------------

    def read(self, wanted: Look) -> None:
        """Read the file anew, in a way that somebody wants; what was found out before is gone. Raises Problem."""
        look = looked(self.file, wanted)
        spool = spooled(rows(self.file, look), self.rows_file)
        self.look, self.spool = look, spool
        # What somebody set right for the last file of this form counts more than any guess.
        kept = KeptMapping.objects.filter(form=self.work.form, part=self.work.part.name).first()
        sample = list(spool.stretch(self.rows_file, 0, 50))
        mapping = matched(spool.heads, sample, self.fields, self.work.formats, kept.by_head if kept else {})
        incoming = self.incoming
        incoming.look, incoming.mapping, incoming.mended = asdict(look), mapping, {}
        incoming.spool = {"heads": list(spool.heads), "count": spool.count, "places": list(spool.places)}
        self._begin_anew()

    @property
    def fields(self) -> list[FieldSpec]:
        """The fields that a column may go to: those that can be entered, and the key by which a row is known."""
        dataset = self.work.dataset
        shown = [f for f in dataset.fields if not f.hidden or f.name in dataset.key]
        free = [
            f for f in shown if f.kind not in ("picture", "binary") and not (f.read_only and f.name not in dataset.key)
        ]
        return [f for f in free if f.name in dataset.key or not f.generated]

    @property
    def heads(self) -> list[str]:
        """The headings that go to a field, in the order of the file."""
        return [head for head in self.spool.heads if head in self.incoming.mapping]

    def map(self, mapping: dict[str, str], existing: str) -> None:
        """Say where the columns go, and what becomes of rows whose key is there already. Raises Problem."""
        names = [name for name in mapping.values() if name]
        known = {field.name: field for field in self.fields}
        twice = next((name for name in names if names.count(name) > 1), "")
        if twice:
            label = known[twice].label if twice in known else twice
            raise Problem(f"Two columns go to {label}.", "Leave one of them out.", code="bad")
        if existing not in EXISTING or not set(mapping) <= set(self.spool.heads) or not set(names) <= set(known):
            raise Problem("The request does not fit the file any more.", "Reload the page.", code="bad")
        self.incoming.mapping = {head: name for head, name in mapping.items() if name}
        self.incoming.existing = existing
        KeptMapping.objects.update_or_create(
            form=self.work.form, part=self.work.part.name, defaults={"by_head": self.incoming.mapping}
        )
        self._begin_anew()

    def _begin_anew(self) -> None:
        self.firsts.forget()
        self.incoming.faults, self.incoming.counts, self.incoming.checked, self.incoming.taken = [], {}, 0, 0
        self.incoming.save()

    def sample(self) -> list[list[str]]:
        """The first rows."""
        return list(self.spool.stretch(self.rows_file, 0, SAMPLE))

    # -- rows as records --------------------------------------------------------------------------------------

    def stretch(self, start: int, size: int, sound: Sequence[bool] = ()) -> list[Row]:
        """Some rows as they would go in: values, lists and rules are looked at, nothing is changed.

        sound: of each, whether a check said so: then its rules are not asked again, and others are not looked at.
        """
        by_head = self._mapped()
        texts = [
            self._texts(start + i + 1, values)
            for i, values in enumerate(self.spool.stretch(self.rows_file, start, size))
        ]
        identified = self._identified(by_head)
        ids = [identified(row) for row in texts]
        asked = [identifier for identifier in ids if identifier]
        stored, there = self.work.stored_of(asked), self.work.store.some(asked)
        for head, field in by_head:
            if not _is_text(field):  # where no text can be, an empty one is no value
                for row in texts:
                    row[head] = row[head].removeprefix(EMPTY_TEXT)
        known = self._found_in_lists(by_head, texts) | self._empty_texts(by_head)
        entering = Entering(self.work, editing.fresh(self.work), self._entered(by_head), known)
        made = []
        for i, row in enumerate(texts):
            if sound and not sound[i]:
                continue
            identifier, number = ids[i] if ids[i] in stored else "", start + i + 1
            if not identifier:
                record, faults = entering.entered(row)
                made.append(Row(number, row, "", (), tuple(faults), record=record))
            elif self.incoming.existing == "update":
                before = there.get(identifier)
                cells, faults = self._cells(by_head, row, identifier, stored[identifier], before, known)
                changed = filled(self.work, cells, stored[identifier], before, identifier)
                made.append(Row(number, row, identifier, tuple(cells), tuple(faults), record=changed))
            else:
                refused = self.incoming.existing == "refuse"
                there_already = (("", "There is a record with this key already."),) if refused else ()
                made.append(Row(number, row, identifier, (), there_already, not refused))
        return made if sound else self._ruled(by_head, made, ids, stored)

    def _ruled(
        self,
        by_head: Sequence[tuple[str, FieldSpec]],
        rows: Sequence[Row],
        ids: Sequence[str],
        stored: Mapping[str, Any],
    ) -> list[Row]:
        """The rows with what rules say of them, and what no other may have."""
        # Rules are asked of rows whose texts could be read: on others they would complain of what is missing for that
        # reason alone.
        asked = [row for row in rows if not row.faults and not row.skipped]
        if self.work.part.rules.related:
            self.work.checks.prefetch_all(self.work.part, [row.record for row in asked if row.record])
        ruled = []
        for row, identifier in zip(rows, ids, strict=True):
            if row.skipped or (row.faults and row.record is None):
                ruled.append(row)
                continue
            read = stored.get(row.identifier)
            faults = row.faults or tuple(self._told(by_head, row.record, read))
            held = row.record.values(read) if row.record and not row.faults else {}
            ruled.append(replace(row, faults=faults, alone=self._alone(identifier, held)))
        return ruled

    def _entered(self, by_head: Sequence[tuple[str, FieldSpec]]) -> list[tuple[str, FieldSpec]]:
        """The columns that a new record takes: what the database makes is not among them."""
        key = self.work.dataset.key
        return [(head, field) for head, field in by_head if not (field.name in key and field.generated)]

    def _alone(self, identifier: str, values: Mapping[str, Any]) -> tuple[tuple[str, str], ...]:
        """What no other row of the file may have: the key that it names, and what the table keeps unique."""
        dataset = self.work.dataset
        several = [(dataset.key, identifier)] if identifier else []
        for columns in dataset.uniques:
            taken = tuple(values.get(name) for name in columns)
            # NULL is equal to nothing; what the database makes no file has.
            if None not in taken and set(columns) <= dataset.by_name.keys():
                several.append((columns, f"{','.join(columns)} {record_id(taken)}"))
        return tuple((" and ".join(dataset.by_name[name].label for name in columns), text) for columns, text in several)

    def _told_apart(self, rows: Sequence[Row]) -> list[Row]:
        """The rows, those faulty that have what an earlier one has; what these have is kept for later ones."""
        firsts = self.firsts
        made = []
        for row in rows:
            again = [
                (words, first) for words, text in row.alone if (first := firsts.of(text, row.number)) != row.number
            ]
            told = tuple(("", f"Row {first:,} of the file has the same {words}.") for words, first in again)
            made.append(replace(row, faults=(*row.faults, *told)) if told else row)
        firsts.keep()
        return made

    def _found_in_lists(
        self, by_head: Sequence[tuple[str, FieldSpec]], texts: Sequence[dict[str, str]]
    ) -> dict[tuple[str, str], Typed | Problem]:
        """What texts of fields with lists stand for: a list is read once for a stretch, as long as it is not too long."""
        known: dict[tuple[str, str], Typed | Problem] = {}
        for head, field in by_head:
            if field.lookup is None:
                continue
            lines = whole_list(self.work.spec, self.work.dataset, field, self.work.formats, MOST_LINES)
            if lines is not None:
                known |= {(field.name, row[head]): typed_from(self.work, field, row[head], lines) for row in texts}
        return known

    def _empty_texts(self, by_head: Sequence[tuple[str, FieldSpec]]) -> dict[tuple[str, str], Typed | Problem]:
        """What an empty text stands for, which is no value when it is typed."""
        own = (field for _, field in by_head if _is_text(field))
        return {(f.name, EMPTY_TEXT): Typed(self.work.dataset, f, self.work.formats, "", {f.name: ""}) for f in own}

    def _mapped(self) -> list[tuple[str, FieldSpec]]:
        known = {field.name: field for field in self.fields}
        mapping = self.incoming.mapping
        return [(head, known[mapping[head]]) for head in self.heads if mapping[head] in known]

    def _texts(self, number: int, values: Sequence[str]) -> dict[str, str]:
        """A row's texts by heading, what was mended in the place of what the file has."""
        # What was taken out with an apostrophe before its = comes back without; other formats have typed cells and
        # need none.
        read = csv_text if self.look.format == "csv" else unmarked
        texts = {head: read(value) for head, value in zip(self.spool.heads, values, strict=False)}
        mended = self.incoming.mended.get(str(number), {})
        return {**texts, **{head: EMPTY_TEXT if text == MARK else text for head, text in mended.items()}}

    def _identified(self, by_head: Sequence[tuple[str, FieldSpec]]) -> Callable[[dict[str, str]], str]:
        """A function that gives the id of the record with the key that a row names; "" where it names none."""
        dataset, formats = self.work.dataset, self.work.formats
        heads = {field.name: head for head, field in by_head}
        # In a detail the link to its master is a part of the key that no file has to say; of a new master it is None.
        linked = dict(self.work.rows.within or ()) if self.work.part.name else {}
        if not dataset.key or not set(dataset.key) <= heads.keys() | linked.keys():
            return lambda row: ""
        fields = {name: replace(dataset.by_name[name], required=False) for name in dataset.key}

        def identifier(row: dict[str, str]) -> str:
            try:
                key = tuple(
                    KINDS[field.kind].parse(row[heads[name]], field, formats) if name in heads else linked[name]
                    for name, field in fields.items()
                )
            except Unreadable:
                return ""
            # No value in a key: the database makes it, so the row is a new record.
            return "" if None in key else record_id(key)

        return identifier

    def _cells(
        self, by_head: Sequence[tuple[str, FieldSpec]], row: dict[str, str], identifier: str, stored: Any, there: Any,
        known: dict[tuple[str, str], Typed | Problem],
    ) -> tuple[list[tuple[FieldSpec, Typed]], list[tuple[str, str]]]:  # fmt: skip
        """What a row's texts stand for, and what can't be put where it would go."""
        cells: list[tuple[FieldSpec, Typed]] = []
        faults: list[tuple[str, str]] = []
        for head, field in by_head:
            if field.name in self.work.dataset.key and (identifier or field.generated):
                continue  # what it is known by, or what the database makes
            block = Block()
            take_in(self.work, block, identifier, there, stored, [(field, row[head])], known)
            faults += [(head, sentence) for sentence in block.refused]
            cells += [cell for _, several in block.lines for cell in several]
        return cells, faults

    def _told(self, by_head: Sequence[tuple[str, FieldSpec]], record: Any, stored: Any) -> list[tuple[str, str]]:
        """What holds a record back, by the headings of its fields."""
        if record is None:
            return [("", "The record is marked for removal.")]
        heads = {field.name: head for head, field in by_head}
        told = self.work.checks.complaints(record, stored)
        return [
            (next((heads[name] for name in complaint.fields if name in heads), ""), complaint.sentence)
            for complaint in told
            if complaint.holds_back
        ]

    # -- checking, mending, putting in -------------------------------------------------------------------------

    def check(self) -> None:
        """Look at the next stretch of rows, and keep what was found."""
        incoming = self.incoming
        told = self._told_apart(self.stretch(incoming.checked, STRETCH))
        self.verdicts.note(incoming.checked, [not (row.faults or row.skipped) for row in told])
        for row in told:
            self._count(row, 1)
            # All are counted, some are kept: a file of another table has as many faults as rows.
            if row.faults and len(incoming.faults) < MOST_FAULTS:
                incoming.faults.append(_fault(row))
        incoming.checked = min(incoming.checked + STRETCH, self.spool.count)
        incoming.save(update_fields=["checked", "faults", "counts"])

    def _count(self, row: Row, by: int) -> None:
        what = "faulty" if row.faults else "skipped" if row.skipped else "update" if row.identifier else "new"
        self.incoming.counts[what] = self.incoming.counts.get(what, 0) + by

    def mend(self, number: int, texts: dict[str, str]) -> None:
        """Put other texts into one faulty row, and look at it again. Raises Problem."""
        incoming = self.incoming
        at = next((i for i, fault in enumerate(incoming.faults) if fault["row"] == number), None)
        if at is None:
            raise Problem("This row is not faulty any more.", "Reload the page.", code="bad")
        kept = incoming.mended.get(str(number), {})
        incoming.mended[str(number)] = {
            **kept,
            **{head: text for head, text in texts.items() if head in incoming.mapping},
        }
        # The same way as all others, so that what is mended meets lists and rules again.
        self.firsts.release(number)
        [row] = self._told_apart(self.stretch(number - 1, 1))
        self.verdicts.note(number - 1, [not (row.faults or row.skipped)])
        incoming.counts["faulty"] -= 1
        self._count(row, 1)
        incoming.faults[at : at + 1] = [_fault(row)] if row.faults else []
        incoming.save(update_fields=["mended", "faults", "counts"])

    def put_in(self) -> None:
        """Put the sound rows of the next stretch into the draft. Raises Problem when it would hold too many."""
        incoming = self.incoming
        if incoming.checked < self.spool.count:
            raise Problem("The rows are not checked to the end yet.", "Check them first.", code="bad")
        block, new = Block(), []
        sound = self.verdicts.sound(incoming.taken, STRETCH)
        for row in self.stretch(incoming.taken, STRETCH, sound):
            if row.faults or row.skipped:
                continue
            if row.identifier:
                block.lines.append((row.identifier, list(row.cells)))
            elif row.record is not None:
                new.append(row.record)
        last = min(incoming.taken + STRETCH, self.spool.count)
        # One step of undo for a stretch: a step of a hundred thousand records would be as large as the draft.
        put_block(self.work, block, f"Bring in rows {incoming.taken + 1:,} to {last:,}", new, bool(sound))
        incoming.taken = last
        incoming.save(update_fields=["taken"])

    def faulty_rows(self) -> Iterator[list[str]]:
        """The faulty rows with their sentences, as they are kept."""
        yield [*self.spool.heads, "What is wrong"]
        for fault in self.incoming.faults:
            words = " ".join(sentence for _, sentence in fault["faults"])
            yield [*(fault["texts"].get(head, "") for head in self.spool.heads), words]


def _is_text(field: FieldSpec) -> bool:
    return field.kind in TEXTS and field.lookup is None


def _fault(row: Row) -> dict[str, Any]:
    texts = {head: MARK if text == EMPTY_TEXT else text for head, text in row.texts.items()}
    return {"row": row.number, "texts": texts, "faults": [list(fault) for fault in row.faults]}


def begun(work: Work) -> Bringing | None:
    """The file that the person is bringing into this part, if there is one."""
    incoming = Incoming.objects.filter(**_place(work)).last()
    if incoming is None:
        return None
    bringing = Bringing(work, incoming)
    return bringing if bringing.file.exists() else None


def begin(work: Work, name: str, file: IO[bytes], size: int) -> Bringing:
    """Keep a file and read it; a former one for the same part is dropped. Raises Problem."""
    work.require_editable()
    if size > MOST_BYTES:
        raise Problem(f"The file has more than {MOST_BYTES // 2**20} MB.", "Take it apart first.", code="bad")
    forget(work)
    tidy()
    # A disk that is filled by files which nobody brings in would stop the saves of all.
    for former in Incoming.objects.filter(person=work.person).order_by("-pk")[MOST_WAITING - 1 :]:
        _drop(former)
    incoming = Incoming.objects.create(**_place(work), name=name[:200], look={"format": "csv"})
    bringing = Bringing(work, incoming)
    try:
        with bringing.file.open("wb") as kept:
            bringing.file.chmod(0o600)
            shutil.copyfileobj(file, kept, 1 << 20)
        bringing.read(Look(guessed(bringing.file, name)))
    except Problem as problem:
        # What is wrong may be only how it is read: the file stays, so that another encoding or sheet can be tried.
        incoming.look = asdict(Look(guessed(bringing.file, name), notes=(str(problem),)))
        incoming.save()
        raise
    return bringing


def forget(work: Work) -> None:
    """Drop what is kept of files for this part."""
    for incoming in Incoming.objects.filter(**_place(work)):
        _drop(incoming)


def tidy() -> None:
    """Files that nobody went on with for days go."""
    for incoming in Incoming.objects.filter(at__lt=timezone.now() - KEPT_FOR):
        _drop(incoming)


def _drop(incoming: Incoming) -> None:
    for end in ("file", "rows", "new", "firsts", "verdicts"):
        (folder() / f"{incoming.pk}.{end}").unlink(missing_ok=True)
    incoming.delete()


def _place(work: Work) -> dict[str, Any]:
    return {"person": work.person, "form": work.form, "part": work.part.name, "master": work.master}
