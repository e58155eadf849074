"""A file on its way into a form: kept as it came, read, its rows checked a stretch at a time, then put into the draft.

Nothing reaches the server before the draft is saved. What is found out is kept with the file, so that a page that was
closed goes on where it was.
"""

from __future__ import annotations

import datetime
import hashlib
import shutil
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict
from functools import cached_property
from typing import IO, Any, Literal

from django.db import transaction
from django.utils import timezone

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import listed
from enlace.core.exchange.empties import EMPTY_TEXT, MARK
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.matching import matched
from enlace.core.exchange.readers import BOOKS, begun_so, guessed, looked, rows
from enlace.core.exchange.spool import Spool, in_blocks, spooled
from enlace.core.kinds import Formats
from enlace.core.problem import Problem

from .alone import held_by
from .blocks import Block, put_block
from .bringing_rows import FileRows, fields_for
from .kept_file import KeptFile
from .lists import line_text
from .made_rows import Made, New, Row
from .models import Incoming, KeptMapping
from .stretch import EVERYWHERE, Stretch, stretch_of
from .work import Work

MOST_BYTES = 500 * 1024 * 1024
MOST_WAITING = 10  # files of one person; the oldest goes
KEPT_FOR = datetime.timedelta(days=3)
FORM = "form"  # of what is kept of a spool: how its file is laid out
STRETCH = 20_000  # rows that are checked, or put in, together
A_WHILE = 0.4  # seconds that a request goes on for
SAMPLE = 6
MOST_OFFERED = 200  # lines of a list beside the editor of a faulty row
MOST_FAULTS = 300  # that are kept to be mended; the others are counted
EXISTING = {"update": "Update it", "skip": "Leave the row out", "refuse": "Take the row for faulty"}


class _Taken(Exception):
    """Another window has put these rows in meanwhile."""


class Bringing:
    """A person's file for one part of a form."""

    def __init__(self, work: Work, incoming: Incoming) -> None:
        self.incoming, self.kept = incoming, KeptFile(incoming.pk)
        self.look = Look.of(incoming.look)
        self.own = work.formats  # of the person, whatever the file is written in
        self.work = self._written(work)
        self._places: dict[int, int] = {}  # of the rows in hand, where they stand in their file
        spool = incoming.spool
        self.spool = Spool(tuple(spool.get("heads", ())), spool.get("count", 0), tuple(spool.get("places", ())))

    def _written(self, work: Work) -> Work:
        """The work, for texts as the file writes them."""
        return work.reading_as(Formats.of(self.look.written)) if self.look.written else work

    # -- reading the file -------------------------------------------------------------------------------------

    def read(self, wanted: Look) -> None:
        """Read the file anew, in a way that somebody wants; what was found out before is gone. Raises Problem."""
        look = begun_so(self.kept.file, looked(self.kept.file, wanted), self.own.locale)
        spool = spooled(rows(self.kept.file, look), self.kept.rows)
        self.look, self.spool = look, spool
        self.work = self._written(self.work)
        # What somebody set right for the last file of this form counts more than any guess.
        kept = KeptMapping.objects.filter(form=self.work.form, part=self.work.part.name).first()
        sample = [texts for _, texts in spool.stretch(self.kept.rows, 0, 50)]
        mapping = matched(spool.heads, sample, self.fields, self.work.formats, kept.by_head if kept else {})
        incoming = self.incoming
        incoming.look, incoming.mapping, incoming.mended = asdict(look), mapping, {}
        incoming.spool = _kept_so(spool)
        self._begin_anew()

    @property
    def fields(self) -> list[FieldSpec]:
        """The fields that a column may go to."""
        return fields_for(self.work)

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

    def lay_out_anew(self) -> None:
        """What is kept of the file was kept before it was laid out as now: its rows are, and are checked anew."""
        self.spool = in_blocks(self.kept.rows, self.incoming.spool["heads"])
        self.incoming.spool = _kept_so(self.spool)
        self._begin_anew()

    def _begin_anew(self) -> None:
        self.kept.firsts.forget()
        self.kept.ready.forget()
        self.incoming.faults, self.incoming.counts, self.incoming.checked, self.incoming.taken = [], {}, 0, 0
        self.incoming.save()

    def sample(self) -> list[Sequence[str]]:
        """The first rows."""
        return [texts for _, texts in self.spool.stretch(self.kept.rows, 0, SAMPLE)]

    # -- checking, mending, putting in -------------------------------------------------------------------------

    def for_a_while(self, what: Literal["check", "put_in"]) -> int:
        """Do one stretch after the other until a while is over, since each request costs something of its own; how far it
        came. Raises Problem."""
        ends = time.monotonic() + A_WHILE
        while True:
            (self.check if what == "check" else self.put_in)()
            reached = self.incoming.checked if what == "check" else self.incoming.taken
            if reached >= self.spool.count or time.monotonic() > ends:
                return reached

    def check(self) -> None:
        """Look at the next stretch of rows, and keep what was found."""
        incoming, start = self.incoming, self.incoming.checked
        stretch = self._texts(start, STRETCH)
        rows, new = self._told_apart(stretch, self._made(stretch))
        faults = {row.number: self._fault(row) for row in rows.values() if row.faults}
        with self._alone():
            if incoming.checked != start:
                return  # another window was at it, and may have mended some since
            sound = [True] * len(stretch.numbers)
            for number, row in rows.items():
                sound[number - start - 1] = row.sound
            self.kept.verdicts.note(start, sound)
            self._keep_ready(start, rows, new)
            self._count("new", len(new.numbers))
            for row in rows.values():
                self._count(_counted_as(row), 1)
                # All are counted, some are kept: a file of another table has as many faults as rows.
                if row.faults and len(incoming.faults) < MOST_FAULTS:
                    incoming.faults.append(faults[row.number])
            incoming.checked = min(start + STRETCH, self.spool.count)
            incoming.save(update_fields=["checked", "faults", "counts"])

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """Nobody else changes what is kept of the file meanwhile, which is read anew for that; the server is asked before."""
        with transaction.atomic():
            self.incoming.refresh_from_db()
            yield

    def _texts(self, start: int, size: int) -> Stretch:
        """Some rows from one on, counted from 0, what was mended in the place of what the file has."""
        places, columns = self.spool.columns(self.kept.rows, start, size)
        self._places = dict(enumerate(places, start + 1))
        csv, book = self.look.format == "csv", self.look.format in BOOKS
        moments = [head for head, field in self._columns if field.kind == "datetime"] if book else []
        return stretch_of(self.spool.heads, start, columns, csv, self.incoming.mended, moments)

    def _made(self, several: Stretch, ruled: bool = True) -> Made:
        return self._file_rows.made(several, ruled)

    @cached_property
    def _file_rows(self) -> FileRows:
        # One for all stretches of a request, so that it reads each list once.
        return FileRows(self.work, self._columns, self.incoming.existing)

    @property
    def _columns(self) -> list[tuple[str, FieldSpec]]:
        """The headings that go somewhere, each with its field."""
        known, mapping = {field.name: field for field in self.fields}, self.incoming.mapping
        return [(head, known[mapping[head]]) for head in self.heads if mapping[head] in known]

    def _told_apart(self, several: Stretch, made: Made) -> tuple[dict[int, Row], New]:
        """The rows that have to be looked at, by their numbers, and the others. Those that have what an earlier one has are faulty;
        what these have is kept for later ones."""
        rows, new = made.rows, made.new
        again = dict[int, list[tuple[str, str]]]()
        looked_at = ((number, row.alone) for number, row in rows.items())
        for words, numbers, texts in held_by(looked_at, new.numbers, new.alone):
            firsts = self.kept.firsts.of(texts, numbers)
            if firsts is numbers:
                continue
            for first, number in zip(firsts, numbers, strict=True):
                if first != number:
                    sentence = f"{self._place(first)} of the file has the same {words}."
                    again.setdefault(number, []).append(("", sentence))
        self.kept.firsts.keep()
        for number in again.keys() & set(new.numbers):
            rows[number] = Row(number, several.texts_of(number), "", (), ())
        for number, faults in again.items():
            rows[number] = rows[number]._replace(faults=(*rows[number].faults, *faults))
        return dict(sorted(rows.items())), new.without(again.keys())

    def _place(self, number: int) -> str:
        """Where a row stands in its file, in words."""
        place = self._places.get(number) or self.spool.place(self.kept.rows, number) or number
        return f"{self.look.place.capitalize()} {place:,}"

    def _fault(self, row: Row) -> dict[str, Any]:
        texts = {head: MARK if text == EMPTY_TEXT else text for head, text in row.texts.items()}
        faults = [list(fault) for fault in row.faults]
        return {"row": row.number, "place": self._place(row.number), "texts": texts, "faults": faults}

    def _keep_ready(self, start: int, rows: Mapping[int, Row], new: New) -> None:
        """Keep new records as the draft will, so that putting them in need not read their texts a second time."""
        others = {n: row.record for n, row in rows.items() if row.sound and not row.identifier and row.record}
        made = {number: self.work.store.new_row(record) for number, record in others.items()}
        kept = {number: row for number, row in made.items() if row is not None}
        together = self.work.store.new_rows(new.columns, len(new.numbers))
        numbers = [*kept, *(new.numbers if together is not None else ())]
        self.kept.ready.keep(start, self._stamp, numbers, [*kept.values(), *(together or ())])

    @property
    def _stamp(self) -> str:
        """What records that are kept ready depend on, beside the file: of another one they are not the same."""
        defined = repr((self.work.formats.locale, self.work.dataset)).encode("utf-8", "surrogatepass")
        return hashlib.sha256(defined).hexdigest()

    def _count(self, what: str, by: int) -> None:
        if by:
            self.incoming.counts[what] = self.incoming.counts.get(what, 0) + by

    def mend(self, number: int, texts: dict[str, str]) -> None:
        """Put other texts into one faulty row, and look at it again. Raises Problem."""
        incoming = self.incoming
        self._need_fault(number)
        said = {head: text for head, text in texts.items() if head in incoming.mapping}
        mended = {**incoming.mended.get(str(number), {}), **said}
        incoming.mended[str(number)] = mended
        # The same way as all others, so that what is mended meets lists and rules again.
        self.kept.firsts.release(number)
        stretch = self._texts(number - 1, 1)
        row = self._told_apart(stretch, self._made(stretch))[0].get(number)
        fault = [self._fault(row)] if row and row.faults else []
        with self._alone():
            at = self._need_fault(number)
            incoming.mended[str(number)] = mended
            self.kept.verdicts.note(number - 1, [row is None or row.sound])
            self._count("faulty", -1)
            self._count(_counted_as(row) if row else "new", 1)
            incoming.faults[at : at + 1] = fault
            incoming.save(update_fields=["mended", "faults", "counts"])

    def mend_alike(self, number: int, texts: dict[str, str]) -> None:
        """Put other texts in the place of those of one faulty row, wherever the file has them; it is to be checked anew then.

        Raises Problem.
        """
        self._need_fault(number)
        now = self._texts(number - 1, 1).texts(0)
        everywhere = self.incoming.mended.setdefault(EVERYWHERE, {})
        for head, text in texts.items():
            if head in self.incoming.mapping and text != (was := now.get(head, "")):
                instead = everywhere.setdefault(head, {})
                # What was put there before stood for something else in the file.
                instead |= {old: text for old, new in instead.items() if new == was}
                instead[was] = text
        self._begin_anew()

    def offered(self, head: str) -> list[str]:
        """The lines of a column's list, as people read them; none of a list that is narrowed, or longer than MOST_OFFERED."""
        field = dict(self._columns).get(head)
        if field is None or field.lookup is None or field.lookup.narrowed:
            return []
        try:
            page = listed(self.work.spec, self.work.dataset, field, size=MOST_OFFERED)
        except Problem:
            return []  # each row says what is wrong with the list
        return [] if page.more else [line_text(self.work, field, option) for option in page.options]

    def _need_fault(self, number: int) -> int:
        """The place of a row among the faulty ones that are kept. Raises Problem."""
        at = next((i for i, fault in enumerate(self.incoming.faults) if fault["row"] == number), None)
        if at is None:
            raise Problem("This row is not faulty any more.", "Reload the page.", code="bad")
        return at

    def put_in(self) -> None:
        """Put the sound rows of the next stretch into the draft. Raises Problem when it would hold too many."""
        incoming, start = self.incoming, self.incoming.taken
        if incoming.checked < self.spool.count:
            raise Problem("The rows are not checked to the end yet.", "Check them first.", code="bad")
        last = min(start + STRETCH, self.spool.count)
        sound = self.kept.verdicts.sound(start, STRETCH)
        told, ready = self.kept.ready.of(start, self._stamp)
        # Those that are there already, that were mended, or of which something changed since the check.
        left = {n for n in range(start + 1, last + 1) if n not in told and (not sound or sound[n - start - 1])}
        block, new = Block(), []
        made = self._made(self._texts(start, STRETCH).of_numbers(left), not sound) if left else Made({})
        for row in made.rows.values():
            if not row.sound:
                continue
            if row.identifier:
                block.lines.append((row.identifier, list(row.cells)))
            elif row.record is not None:
                new.append(row.record)
        together = self.work.store.new_rows(made.new.columns, len(made.new.numbers))
        if together is None:
            new += made.new.records
        # One step of undo for a stretch: a step of a hundred thousand records would be as large as the draft.
        label = f"Bring in rows {start + 1:,} to {last:,}"

        def claim() -> None:
            # With what goes into the draft or not at all: two windows that press at once put a row in once.
            if not Incoming.objects.filter(pk=incoming.pk, taken=start).update(taken=last):
                raise _Taken

        with suppress(_Taken):
            put_block(self.work, block, label, new, bool(sound), [*ready, *(together or ())], claim)
        incoming.refresh_from_db(fields=["taken"])

    def faulty_rows(self) -> Iterator[list[str]]:
        """All faulty rows with their sentences: those that are not kept to be mended are looked at once more."""
        yield [*self.spool.heads, "Place", "What is wrong"]
        for start in range(0, self.incoming.checked, STRETCH):
            sound = self.kept.verdicts.sound(start, min(STRETCH, self.incoming.checked - start))
            wanted = {number for number, fine in enumerate(sound, start + 1) if not fine}
            texts = self._texts(start, STRETCH).of_numbers(wanted) if wanted else Stretch((), {})
            rows = self._told_apart(texts, self._made(texts))[0] if wanted else {}
            for fault in (self._fault(row) for row in rows.values() if row.faults):
                words = " ".join(sentence for _, sentence in fault["faults"])
                yield [*(fault["texts"].get(head, "") for head in self.spool.heads), fault["place"], words]


def _counted_as(row: Row) -> str:
    return "faulty" if row.faults else "skipped" if row.skipped else "update" if row.identifier else "new"


def begun(work: Work) -> Bringing | None:
    """The file that the person is bringing into this part, if there is one."""
    incoming = Incoming.objects.filter(**_place(work)).last()
    if incoming is None:
        return None
    bringing = Bringing(work, incoming)
    if not bringing.kept.file.exists():
        return None
    if incoming.spool and FORM not in incoming.spool:
        bringing.lay_out_anew()
    return bringing


def _kept_so(spool: Spool) -> dict[str, Any]:
    return {FORM: "blocks", "heads": list(spool.heads), "count": spool.count, "places": list(spool.places)}


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
        with bringing.kept.file.open("wb") as kept:
            bringing.kept.file.chmod(0o600)
            shutil.copyfileobj(file, kept, 1 << 20)
        bringing.read(Look(guessed(bringing.kept.file, name)))
    except Problem as problem:
        # What is wrong may be only how it is read: the file stays, so that another encoding or sheet can be tried.
        incoming.look = asdict(Look(guessed(bringing.kept.file, name), notes=(str(problem),)))
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
    KeptFile(incoming.pk).drop()
    incoming.delete()


def _place(work: Work) -> dict[str, Any]:
    return {"person": work.person, "form": work.form, "part": work.part.name, "master": work.master}
