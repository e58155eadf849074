"""New records of a draft that are kept together, a row for many: a file brings in a hundred thousand, of which nobody looks at
most one by one. They stand among the others by the numbers that they take; one that is changed has its bundle opened."""

from __future__ import annotations

import json
import math
import re
from bisect import bisect_left
from collections.abc import Collection, Iterator, Mapping, Sequence
from itertools import repeat
from typing import Any, NamedTuple

from django.db import connection, models

from enlace.core.dataset.keys import in_parts
from enlace.core.draft import PendingRecord
from enlace.core.draft.pending import dump_entered, new_id
from enlace.core.model.values import as_json, column_of, column_text, packed, packed_column
from enlace.core.rules.together import MISSING, has_signs, records_of

from .draft_rows import DraftRow
from .many import insert
from .models import Draft, DraftBundle, DraftRecord

LEAST = 200  # fewer are kept one by one; more than a draft has that is read as a whole
MOST = 1_000  # so that opening one takes no longer than a moment
LACKING, COLUMN = "lacking", "column"  # of a column where some records have no value: their places, and the others
OF_ONE = re.compile(r"(n[0-9a-f]{16})([0-9a-f]{6})")


class Bundle(NamedTuple):
    """New records of a form's own part that need no attention. code: what their ids begin with. size: how many they are. body: their
    values, a column for each field."""

    code: str
    size: int
    body: str

    @property
    def ids(self) -> list[str]:
        """Of its records, in their order."""
        return ids_of(self.code, self.size)

    @property
    def records(self) -> Iterator[PendingRecord]:
        """Its records, in their order."""
        columns = {name: _read(column) for name, column in self._kept.items()}
        return map(PendingRecord.entered, self.ids, records_of(columns, self.size), repeat({}))

    @property
    def rows(self) -> Iterator[DraftRow]:
        """Its records as they are kept one by one."""
        columns = {name: packed_values(_read(column)) for name, column in self._kept.items()}
        for identifier, body in zip(self.ids, dump_entered(records_of(columns, self.size), {}), strict=True):
            yield DraftRow("", identifier, "", None, None, "new", False, False, body)

    def some(self, places: Sequence[int]) -> Iterator[PendingRecord]:
        """Those of its records that stand at some places."""
        ids = [id_of(self.code, at) for at in places]
        columns = {name: _read(column, places) for name, column in self._kept.items()}
        return map(PendingRecord.entered, ids, records_of(columns, len(places)), repeat({}))

    @property
    def _kept(self) -> dict[str, Any]:
        columns: dict[str, Any] = json.loads(self.body)  # numbers of any size
        return columns


def _read(kept: Any, places: Sequence[int] | None = None) -> Sequence[Any]:
    """The values of a column of a body, at some places."""
    lacking: Sequence[int] = ()
    if isinstance(kept, dict) and LACKING in kept:
        kept, lacking = kept[COLUMN], kept[LACKING]
    if places is not None:
        gone = set(lacking)
        lacking = [i for i, at in enumerate(places) if at in gone]
        kept = (
            {**kept, "v": [kept["v"][at] for at in places]} if isinstance(kept, dict) else [kept[at] for at in places]
        )
    column = column_of(kept)
    if lacking:
        column = list(column)
        for at in lacking:
            column[at] = MISSING
    return column


def ids_of(code: str, count: int) -> list[str]:
    """The ids of as many records of a bundle."""
    return [id_of(code, at) for at in range(count)]


def id_of(code: str, at: int) -> str:
    """The id of the record at a place of a bundle."""
    return f"{code}{at:06x}"


def place_of(identifier: str) -> tuple[str, int] | None:
    """The code of the bundle that an id may be of, and the record's place in it."""
    parts = OF_ONE.fullmatch(identifier)
    return (parts[1], int(parts[2], 16)) if parts else None


def places_of(identifiers: Collection[str]) -> dict[str, list[int]]:
    """The places that ids have in bundles, by the code of these."""
    places: dict[str, list[int]] = {}
    for identifier in identifiers:
        if place := place_of(identifier):
            places.setdefault(place[0], []).append(place[1])
    return places


def bundles_of(columns: Mapping[str, Sequence[Any]], count: int) -> list[Bundle]:
    """New records in bundles of about the same size. columns: of each field's values, MISSING where a record has none."""
    if not count:
        return []
    size = -(-count // -(-count // MOST))
    several = []
    texts = {name: None if has_signs(column) else column_text(column) for name, column in columns.items()}
    for start in range(0, count, size):
        inside = slice(start, start + size)
        body = as_json(
            {n: _text(column[inside]) if texts[n] is None else _part(texts[n], inside) for n, column in columns.items()}
        )
        several.append(Bundle(new_id(), min(size, count - start), body))
    return several


def _part(text: Any, inside: slice) -> Any:
    """A part of what `column_text` made."""
    return {**text, "v": text["v"][inside]} if isinstance(text, dict) else text[inside]


def _text(column: Sequence[Any]) -> Any:
    """A column where some records lack a value."""
    lacking = [at for at, value in enumerate(column) if value is MISSING]
    return {LACKING: lacking, COLUMN: column_text([None if value is MISSING else value for value in column])}


def packed_values(column: Sequence[Any]) -> Sequence[Any]:
    """A column `packed`, MISSING where it is."""
    if not has_signs(column):
        return packed_column(column)
    return [value if value is MISSING else packed(value) for value in column]


# -- in the database ------------------------------------------------------------------------------------------


def write(draft: Draft, several: Sequence[Bundle], step: int) -> None:
    """Keep bundles, behind all records that are there. step: the number of the one that brings them."""
    if not several:
        return
    first = _numbers(sum(bundle.size for bundle in several))
    rows = []
    for bundle in several:
        rows.append((draft.pk, first, step, True, *bundle))
        first += bundle.size
    insert(DraftBundle, ("draft", "first", "step", "standing", *Bundle._fields), rows)


def write_again(draft: Draft, codes: Collection[str]) -> list[Bundle]:
    """Bundles are pending once more, behind all records that are there; these."""
    several = list(draft.bundles.filter(code__in=codes)) if codes else []
    first = _numbers(sum(kept.size for kept in several)) if several else 0
    for kept in several:
        kept.first, kept.standing = first, True
        kept.save(update_fields=["first", "standing"])
        first += kept.size
    return list(map(bundle_of, several))


def standing(draft: Draft) -> models.QuerySet[DraftBundle]:
    """The bundles whose records are pending, and kept nowhere else."""
    return draft.bundles.filter(standing=True)


def kept_of(draft: Draft | None, code: str) -> Bundle | None:
    """A bundle, whether its records are pending or kept for a step alone."""
    kept = draft.bundles.filter(code=code).first() if draft else None
    return kept and bundle_of(kept)


def drop(draft: Draft, **of_steps: int) -> None:
    """What is kept for steps alone that are gone, such as `step__lt`."""
    draft.bundles.filter(standing=False, **of_steps).delete()


def _numbers(count: int) -> int:
    """Take numbers of pending records; the first of them. To be called in a transaction.

    SQLite's manual, "SQLite Autoincrement" (sqlite.org/autoinc.html): the table of the last numbers may be changed as any other.
    """
    table = DraftRecord._meta.db_table
    with connection.cursor() as cursor:
        cursor.execute("UPDATE sqlite_sequence SET seq = seq + %s WHERE name = %s", [count, table])
        if not cursor.rowcount:
            cursor.execute("INSERT INTO sqlite_sequence (name, seq) VALUES (%s, %s)", [table, count])
        cursor.execute("SELECT seq FROM sqlite_sequence WHERE name = %s", [table])
        return int(cursor.fetchone()[0]) - count + 1


def open_up(draft: Draft, several: Sequence[DraftBundle]) -> list[DraftRow]:
    """Keep the records of some bundles one by one, where they stand; these."""
    rows: list[DraftRow] = []
    for kept in several:
        own = list(bundle_of(kept).rows)
        insert(
            DraftRecord,
            ("id", "draft", *DraftRow._fields),
            ((number, draft.pk, *row) for number, row in enumerate(own, kept.first)),
        )
        rows += own
    draft.bundles.filter(pk__in=[kept.pk for kept in several]).update(standing=False)
    return rows


def bundle_of(kept: DraftBundle) -> Bundle:
    """A bundle behind its row."""
    return Bundle(kept.code, kept.size, kept.body)


def some(draft: Draft, identifiers: Collection[str]) -> dict[str, PendingRecord]:
    """Those of the records that are kept in bundles."""
    found: dict[str, PendingRecord] = {}
    places = places_of(identifiers)
    for kept in standing(draft).filter(code__in=places):
        wanted = [at for at in places[kept.code] if at < kept.size]
        found |= {record.id: record for record in bundle_of(kept).some(wanted)}
    return found


def numbered(draft: Draft) -> Iterator[tuple[int, PendingRecord]]:
    """All records that are kept in bundles, with their numbers."""
    for kept in standing(draft):
        yield from enumerate(bundle_of(kept).records, kept.first)


class Order:
    """The order of a draft's new records: those kept one by one (`alone`, each of their numbers) and those in bundles."""

    def __init__(self, draft: Draft, alone: models.QuerySet[DraftRecord]) -> None:
        self.alone = alone
        self._numbers = list(alone.values_list("pk", flat=True))
        self._bundles = list(standing(draft).values_list("code", "first", "size"))

    def slice(self, start: int, size: int) -> list[str]:
        """The ids of some of them by their places, from 0."""
        found: list[int | str] = []

        def clip(begins: int, count: int) -> range:
            return range(max(start - begins, 0), max(0, min(start + size - begins, count)))

        passed = bundled = 0  # of those that are kept one by one, and of the others
        for code, first, count in [*self._bundles, ("", math.inf, 0)]:
            until = bisect_left(self._numbers, first)
            found += [self._numbers[passed + at] for at in clip(passed + bundled, until - passed)]
            found += [id_of(code, at) for at in clip(until + bundled, count)]
            passed, bundled = until, bundled + count
        names: dict[int, str] = {}
        for some in in_parts([one for one in found if isinstance(one, int)], 500):
            names |= self.alone.filter(pk__in=some).values_list("pk", "record")
        return [names[one] if isinstance(one, int) else one for one in found]

    def place(self, number: int) -> int:
        """The place of the one with a number, from 0."""
        inside = (min(number - first, count) for _, first, count in self._bundles if first < number)
        return bisect_left(self._numbers, number) + sum(inside)

    def number(self, identifier: str) -> int | None:
        """The number of one that is kept in a bundle."""
        code, at = place_of(identifier) or ("", 0)
        return next((first + at for its, first, count in self._bundles if its == code and at < count), None)
