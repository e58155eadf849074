"""The rows of a grid as they go out: the draft laid over them, values as stored or as shown, alone or with their details."""

from __future__ import annotations

import pickle
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import IO, Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import Among
from enlace.core.dataset.window import CUT, Row
from enlace.core.draft import PendingRecord
from enlace.core.exchange.outgoing import Inside, Sheet, value_out
from enlace.core.exchange.package_out import schema_of
from enlace.core.model.catalog import Table
from enlace.core.problem import Problem
from enlace.core.server.catalog import Catalog

from .contexts import on_grid
from .controls.base import records_of
from .links import links_of, links_to
from .work import Work

AT_ONCE = 1_000  # rows that are read together
Record = Mapping[str, Any]


def fields_out(work: Work, key: str = "") -> list[FieldSpec]:
    """The fields of a grid that go out: what it shows, but for pictures and bytes."""
    return [field for field in on_grid(work, key).shown if field.kind not in ("picture", "binary")]


def cut_of(rows: Iterable[Row]) -> list[str]:
    """The ids of rows that may hold only the start of a text: those have to be read whole."""
    cut = []
    for row in rows:
        for value in row.values:
            if value.__class__ is str and len(value) >= CUT:
                if not row.id.startswith("p"):
                    cut.append(row.id)
                break
    return cut


def records(work: Work, shown: bool) -> Iterator[tuple[str, dict[str, Any]]]:
    """All rows as (id, record), read as they are sent. shown: what lists show of them will be asked for."""
    for rows, pending in stretches(work):
        several = records_of(work, rows, pending, work.stored_of(cut_of(rows)))
        if shown:
            work.words.prefetch(work.dataset, several)
        yield from zip((row.id for row in rows), several, strict=True)


def stretches(work: Work) -> Iterator[tuple[list[Row], Mapping[str, PendingRecord]]]:
    """All rows, some at a time, with what is pending of them."""
    start = 0
    while True:
        rows, pending = work.window(start, AT_ONCE)
        if rows:
            yield rows, pending
        start += len(rows)
        if len(rows) < AT_ONCE:
            return


def value_of(work: Work, field: FieldSpec, values: Record, stored: bool) -> Any:
    """A value as one of its kind: a number, a date, a text. stored: of a list the key, not what it shows."""
    raw = values.get(field.name)
    if raw is None and stored:
        return None
    if raw is None or (field.lookup and not stored):
        return work.words.of(work.dataset, field, values) or None
    return value_out(field, raw)


def table_of(work: Work) -> Table | None:
    """What the catalog knows of the table behind the rows; nothing where they are a query's, or the server is away."""
    if work.dataset.query or not work.dataset.table:
        return None
    try:
        return Catalog.of(work.spec).table(work.dataset.table)
    except Problem:
        return None


@dataclass
class Taken:
    """One part of a form on its way out. link: of a detail's table, the columns that lead to its master, in front of what its
    grid shows; a record inside its master needs none."""

    work: Work
    stored: bool
    fields: Sequence[FieldSpec]
    link: Sequence[FieldSpec] = ()

    @cached_property
    def details(self) -> list[Taken]:
        """The parts whose records belong to a record of this one. A query that asks for values of its master is none: it would
        have to be asked once for each."""
        parts = [
            part for part in self.work.parts.values() if part.name and part.of == self.work.part.name and part.columns
        ]
        shown = {field.name for field in self.fields}
        made = []
        for part in parts:
            work = self.work.for_part(part.name)
            own = fields_out(work)
            there = {field.name for field in own}
            # What the master does not show of itself its details don't tell either.
            link = [
                work.dataset.by_name[column]
                for column, above in zip(part.columns, part.master_columns, strict=True)
                if above in shown and column not in there
            ]
            made.append(Taken(work, self.stored, own, link))
        return made

    @property
    def columns(self) -> list[FieldSpec]:
        return [*self.link, *self.fields]

    @property
    def heads(self) -> list[str]:
        return [field.name if self.stored else field.label for field in self.columns]

    def values(self, record: Record) -> list[Any]:
        return [value_of(self.work, field, record, self.stored) for field in self.columns]

    def beneath(self, masters: Sequence[tuple[str, Record]]) -> list[list[tuple[str, Record]]]:
        """Of each of some masters, the records of this part that belong to it: stored ones in their order, then new ones."""
        work, part = self.work, self.work.part
        places: dict[str, list[int]] = {}
        for i, (identifier, values) in enumerate(masters):
            for link in links_to(identifier, values, part.master_columns):
                places.setdefault(link, []).append(i)
        keys = {tuple(values.get(name) for name in part.master_columns) for _, values in masters}
        several: list[list[tuple[str, Record]]] = [[] for _ in masters]
        there = self._stored([key for key in keys if None not in key])
        for link, identifier, record in (*there, *self._new(list(places))):
            for i in places.get(link, ()):
                several[i].append((identifier, record))
        if not self.stored:
            work.words.prefetch(work.dataset, [record for each in several for _, record in each])
        return several

    def _stored(self, keys: Sequence[tuple[Any, ...]]) -> Iterator[tuple[str, str, Record]]:
        """The records below some keys of masters, as (link to the master, id, record)."""
        work, columns = self.work, self.work.part.columns
        for first in range(0, len(keys), AT_ONCE):
            some = Among(columns, tuple(keys[first : first + AT_ONCE]))
            rows = replace(work.rows, within=None, filters=(*work.rows.filters, some))
            start = 0
            while window := rows.window(start, AT_ONCE):
                ids = [row.id for row in window]
                several = records_of(work, window, work.store.some(ids), work.stored_of(cut_of(window)))
                for identifier, record in zip(ids, several, strict=True):
                    master = {name: record.get(name) for name in columns}
                    yield next(iter(links_to("", master, columns)), ""), identifier, record
                start += len(window)

    def _new(self, links: Sequence[str]) -> Iterator[tuple[str, str, Record]]:
        part = self.work.part
        for pending in self.work.store.linked(part.name, links):
            if pending.state == "new":
                yield links_of(pending, part.columns, part.of)[1], pending.id, pending.values()


def nested(taken: Taken, masters: Iterable[tuple[str, Record]]) -> tuple[list[str], Iterator[list[Any]]]:
    """The heads and rows of a part, in each row its details as records inside, to any depth."""
    heads = [*taken.heads, *_names(taken)]
    return heads, (row for some in _in_stretches(masters) for row in _with_inside(taken, some))


def _names(taken: Taken) -> list[str]:
    """What the records inside are called."""
    return [part.work.part.name if taken.stored else part.work.part.title for part in taken.details]


def _with_inside(taken: Taken, masters: Sequence[tuple[str, Record]]) -> Iterator[list[Any]]:
    inside = []
    for part in taken.details:
        several = part.beneath(masters)
        rows = iter(list(_with_inside(part, [pair for each in several for pair in each])))
        heads = [*part.heads, *_names(part)]
        inside.append([Inside(heads, [next(rows) for _ in each]) for each in several])
    for i, (_, record) in enumerate(masters):
        yield [*taken.values(record), *(each[i] for each in inside)]


def sheets(taken: Taken, masters: Iterable[tuple[str, Record]]) -> Iterator[Sheet]:
    """A table for each part: the master's first; those of its details are filled while that one goes out."""
    with tempfile.TemporaryDirectory() as folder:
        below = list(_all_below(taken))
        files = {id(part): open(f"{folder}/{i}", "w+b") for i, part in enumerate(below)}  # noqa: SIM115 (closed below)
        tables = [part.work.dataset.table for part in (taken, *below)]
        try:
            yield _sheet(taken, _filling(taken, masters, files), tables)
            for part in below:
                yield _sheet(part, _kept(files[id(part)]), tables)
        finally:
            for file in files.values():
                file.close()


def _all_below(taken: Taken) -> Iterator[Taken]:
    for part in taken.details:
        yield part
        yield from _all_below(part)


def _sheet(taken: Taken, rows: Iterable[Sequence[Any]], tables: Sequence[str]) -> Sheet:
    dataset = taken.work.dataset
    schema = schema_of(dataset, taken.columns, table_of(taken.work), tables) if taken.stored else {}
    return Sheet(taken.work.part.title, taken.heads, rows, dataset.table if taken.stored else "", schema)


def _filling(
    taken: Taken, masters: Iterable[tuple[str, Record]], files: Mapping[int, IO[bytes]]
) -> Iterator[list[Any]]:
    for some in _in_stretches(masters):
        _fill(taken, some, files)
        yield from (taken.values(record) for _, record in some)


def _fill(taken: Taken, masters: Sequence[tuple[str, Record]], files: Mapping[int, IO[bytes]]) -> None:
    for part in taken.details:
        own = [pair for each in part.beneath(masters) for pair in each]
        for _, record in own:
            pickle.dump(part.values(record), files[id(part)])
        _fill(part, own, files)


def _kept(file: IO[bytes]) -> Iterator[list[Any]]:
    file.seek(0)
    while True:
        try:
            yield pickle.load(file)
        except EOFError:
            return


def _in_stretches(masters: Iterable[tuple[str, Record]]) -> Iterator[list[tuple[str, Record]]]:
    several: list[tuple[str, Record]] = []
    for pair in masters:
        several.append(pair)
        if len(several) == AT_ONCE:
            yield several
            several = []
    if several:
        yield several
