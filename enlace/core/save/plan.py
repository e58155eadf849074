"""In which order a draft is written.

What one record leaves has to be free before another takes it, and what one refers to has to be there first:

- a detail is removed, or moved to another master, before its master is removed;
- a master is inserted before the details that were entered under it, in one table as well (a self-reference);
- a record gives up a unique value before another one takes it.

Two records that exchange unique values are in a ring; one of them is parked on a stand-in value first.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..draft.pending import PendingRecord
from ..model.catalog import Reference, Table
from ..model.dataset import DatasetSpec
from ..rules.record import RecordRules
from ..server.catalog import Catalog

REMOVE, UPDATE, INSERT, PARK = "remove", "update", "insert", "park"
ACTS = {"removed": REMOVE, "edited": UPDATE, "new": INSERT}


@dataclass(frozen=True, eq=False)
class Part:
    """The pending records of one dataset. name: what tells several datasets of a form apart."""

    dataset: DatasetSpec
    records: Sequence[PendingRecord]
    given_rules: RecordRules | None = None
    name: str = ""

    @cached_property
    def rules(self) -> RecordRules:
        return self.given_rules or RecordRules(self.dataset)


class Act:
    """What is to be done with one record. after: the acts that have to come first. parked: it waits on a stand-in."""

    __slots__ = ("after", "kind", "parked", "part", "record")

    def __init__(self, part: Part, record: PendingRecord, kind: str) -> None:
        self.part, self.record, self.kind = part, record, kind
        # Most acts wait for nothing: a list for each of 100 000 would be most of a plan's memory.
        self.after: list[Act] | None = None
        self.parked = False

    def wait_for(self, other: Act) -> None:
        if other is not self:
            self.after = [other] if self.after is None else [*self.after, other]


@dataclass
class Batch:
    """Acts that one statement serves. columns: those it fills, `waits_for` of them from other new records. compared: the
    fields that must still be as read."""

    part: Part
    kind: str
    columns: tuple[str, ...]
    waits_for: tuple[str, ...]
    compared: tuple[str, ...]
    acts: list[Act]


@dataclass
class Plan:
    """batches: in the order in which they are run. rings: records that wait for each other and can't be parked."""

    batches: list[Batch]
    rings: list[Act]


def plan(parts: Sequence[Part], catalog: Catalog) -> Plan:
    """The order for the records of some datasets of one connection."""
    batches = [batch for part in parts for batch in grouped(part, part.records)]
    ranks = _ranks(parts, catalog)
    # The common draft ties nothing to anything: ranks alone put it in order, without looking at each act.
    if not _tie(batches, {part.dataset.table: catalog.table(part.dataset.table) for part in parts}):
        return Plan(sorted(batches, key=lambda b: _rank(b, ranks)), [])
    levels, rings = _levels([act for batch in batches for act in batch.acts])
    return Plan([b for level in levels for b in sorted(_batches(level), key=lambda b: _rank(b, ranks))], rings)


def _rank(batch: Batch, ranks: Mapping[str, int]) -> tuple[int, int]:
    """Removals first, details before masters; then updates; then inserts, masters before details."""
    rank = ranks[batch.part.dataset.table]
    return (REMOVE, PARK, UPDATE, INSERT).index(batch.kind), -rank if batch.kind == REMOVE else rank


def _ranks(parts: Sequence[Part], catalog: Catalog) -> dict[str, int]:
    """How many tables of the draft a table refers to, directly or through others: masters have the lower rank."""
    names = {part.dataset.table for part in parts}
    up = {name: {r.target for r in catalog.table(name).references if r.target in names} - {name} for name in names}

    def depth(name: str, seen: frozenset[str]) -> int:
        # Tables that refer to each other in a ring: each counts once on the way, so that this ends.
        return 1 + max((depth(text, seen | {name}) for text in up[name] if text not in seen), default=0)

    return {name: depth(name, frozenset()) for name in names}


def _batches(acts: Sequence[Act]) -> list[Batch]:
    """Acts of one level in batches."""
    by_part: dict[int, list[Act]] = defaultdict(list)
    for act in acts:
        by_part[id(act.part)].append(act)
    batches = []
    for several in by_part.values():
        # `grouped` makes new acts; what the old ones wait for has been settled, and they stay who they are.
        of_record = {id(act.record): act for act in several}
        kinds = {act.kind for act in several}
        for batch in grouped(several[0].part, [act.record for act in several]):
            batch.acts = [of_record[id(act.record)] for act in batch.acts]
            if PARK in kinds:  # a parked record stands in a level of its own
                batch.kind = PARK
            batches.append(batch)
    return batches


def grouped(part: Part, records: Iterable[PendingRecord]) -> list[Batch]:
    """The records of one part by what their statements have in common. Runs once for each record of a save."""
    batches: dict[tuple[Any, ...], Batch] = {}
    dataset, by_edits = part.dataset, part.dataset.compare == "edited"
    free = _told_nothing(dataset)
    for record in records:
        state = record.state
        # Mostly what is compared follows from what is edited; else from what is known of the record.
        if state == "new":
            key = (state, *[name for name in record.now if name not in free], None, *record.waits_for)
        elif by_edits and state == "edited":
            key = (state, *record.now, None, *record.waits_for)
        else:
            key = (state, *record.now, None, *record.waits_for, None, *record.was)
        batch = batches.get(key)
        if batch is None:
            kind = ACTS[state]
            columns = () if kind == REMOVE else (*record.now, *record.waits_for)
            fields = () if kind == INSERT else compared(dataset, record)
            batch = batches[key] = Batch(part, kind, columns, tuple(record.waits_for), fields, [])
        elif state == "new" and (more := [name for name in record.now if name not in batch.columns]):
            batch.columns = (*batch.columns, *more)
        batch.acts.append(Act(part, record, batch.kind))
    return [batch for batch in batches.values() if batch.columns or batch.kind in (REMOVE, INSERT)]


def _told_nothing(dataset: DatasetSpec) -> frozenset[str]:
    """The columns that hold NULL where an INSERT says nothing of them.

    New records that differ in these alone go in together, and so in the order in which they were entered: the server numbers
    them as people wrote them down.
    """
    free = (
        f for f in dataset.fields if f.nullable and f.default is None and not f.generated and f.name not in dataset.key
    )
    return frozenset(f.name for f in free)


def compared(dataset: DatasetSpec, record: PendingRecord) -> tuple[str, ...]:
    """The fields that must still be as read for a record to be written.

    A removal overwrites the whole record, so all of it that is known must be as read. A version alone would not
    do: one that counts in seconds does not tell two saves of one second apart.
    """
    if record.state == "removed" or dataset.compare == "all":
        return tuple(f.name for f in dataset.fields if f.name in record.was)
    version = dataset.version if dataset.compare == "version" else ""
    return tuple(f.name for f in dataset.fields if f.name in record.touched or (f.name == version in record.was))


# -- what has to come first ---------------------------------------------------------------------------------


def _tie(batches: Sequence[Batch], tables: Mapping[str, Table]) -> bool:
    """Note for each act which others have to come first; tells whether any has to.

    Looks only at batches that may have to do with each other.
    """
    by_table: dict[str, list[Batch]] = defaultdict(list)
    for batch in batches:
        by_table[batch.part.dataset.table].append(batch)
    tied = any(batch.waits_for for batch in batches)
    if tied:
        _tie_under(batches)
    for name, table in tables.items():
        for columns in (table.key, *(unique.columns for unique in table.uniques)):
            tied |= _tie_unique(by_table[name], columns)
        for reference in table.references:
            if reference.target in tables:
                tied |= _tie_reference(by_table[name], by_table[reference.target], reference)
    return tied


def _tie_under(batches: Sequence[Batch]) -> None:
    """A new record goes before those that take its key."""
    by_id = {(b.part.name, act.record.id): act for b in batches if b.kind == INSERT for act in b.acts}
    for batch in batches:
        for act in batch.acts if batch.waits_for else ():
            for part, identifier, _ in act.record.waits_for.values():
                if (part, identifier) in by_id:
                    act.wait_for(by_id[part, identifier])


def _tie_unique(batches: Sequence[Batch], columns: tuple[str, ...]) -> bool:
    """Who gives a value up goes before who takes it."""
    taking = _taking(batches, columns)
    giving = _giving(batches, columns) if taking else []
    if not giving:
        return False
    givers = {value: act for act in giving if (value := _left(act, columns)) is not None}
    for act in taking:
        value = _taken(act, columns)
        if value is not None and value in givers:
            act.wait_for(givers[value])
    return True


def _tie_reference(details: Sequence[Batch], masters: Sequence[Batch], reference: Reference) -> bool:
    """Who leaves a master goes before the master, who comes to one after it."""
    here, there = reference.columns, reference.target_columns
    going = _giving(masters, there)
    # Only where a master goes or changes what it is referred to by; most saves move nobody.
    if going:
        leaving: dict[Any, list[Act]] = defaultdict(list)
        for act in _giving(details, here):
            if (value := _left(act, here)) is not None:
                leaving[value].append(act)
        for act in going if leaving else ():
            value = _left(act, there)
            for other in leaving.get(value, ()) if value is not None else ():
                act.wait_for(other)
    coming = {value: act for act in _taking(masters, there) if (value := _taken(act, there)) is not None}
    for act in _taking(details, here) if coming else ():
        value = _taken(act, here)
        if value is not None and value in coming:
            act.wait_for(coming[value])
    return bool(going or coming)


def _giving(batches: Sequence[Batch], columns: tuple[str, ...]) -> list[Act]:
    """The acts that may give up a value of some columns."""
    return [
        act
        for b in batches
        if b.kind == REMOVE or (b.kind == UPDATE and not set(columns).isdisjoint(b.columns))
        for act in b.acts
    ]


def _taking(batches: Sequence[Batch], columns: tuple[str, ...]) -> list[Act]:
    """The acts that may take a value of some columns."""
    return [act for b in batches if b.kind != REMOVE and not set(columns).isdisjoint(b.columns) for act in b.acts]


def _left(act: Act, columns: tuple[str, ...]) -> tuple[Any, ...] | None:
    """The values that a record has and will not have any more."""
    record = act.record
    key = act.part.dataset.key
    # The key as it was when the record was read; a hidden one is not among its values.
    known = {**record.was, **dict(zip(key, record.key, strict=False))}
    return _folded([known.get(name) for name in columns])


def _taken(act: Act, columns: tuple[str, ...]) -> tuple[Any, ...] | None:
    """The values that a record gets."""
    values = act.record.values()
    return _folded([values.get(name) for name in columns])


def _folded(values: Sequence[Any]) -> tuple[Any, ...] | None:
    """Values as the loosest collation compares them: one order too many does no harm. None where one is NULL."""
    if not values or any(v is None for v in values):
        return None
    return tuple(v.casefold().rstrip() if isinstance(v, str) else v for v in values)


# -- levels -------------------------------------------------------------------------------------------------


def _levels(acts: list[Act]) -> tuple[list[list[Act]], list[Act]]:
    """Acts in levels: each stands in a level above all that it comes after. Rings are opened where they can be."""
    levels: list[list[Act]] = []
    # An act may be waited for twice, by a key and by a reference; it frees its followers once.
    waiting = {id(act): len({id(other) for other in act.after or ()}) for act in acts}
    followers: dict[int, list[Act]] = defaultdict(list)
    for act in acts:
        for first in {id(other): other for other in act.after or ()}.values():
            followers[id(first)].append(act)
    ready = [act for act in acts if not waiting[id(act)]]
    left = {id(act): act for act in acts}
    while left:
        if not ready:
            # Any of the ring will do: with one of them parked, the others go in their order.
            ringed = next((act for act in left.values() if _can_park(act, followers[id(act)])), None)
            if ringed is None:
                return levels, list(left.values())
            # Parked, it has given up its values: those that wait for it need not any more.
            ringed.parked = True
            levels.append([Act(ringed.part, ringed.record, PARK)])
            ready = _free(followers.pop(id(ringed)), waiting)
            continue
        levels.append(ready)
        for act in ready:
            left.pop(id(act))
        ready = _free([follower for act in ready for follower in followers[id(act)]], waiting)
        ready = [act for act in ready if id(act) in left]
    return levels, []


def _free(acts: Sequence[Act], waiting: dict[int, int]) -> list[Act]:
    free = []
    for act in acts:
        waiting[id(act)] -= 1
        if not waiting[id(act)]:
            free.append(act)
    return free


def _can_park(act: Act, followers: Sequence[Act]) -> bool:
    # A new record has nothing that it could stand on, and one that goes gives up its values by going.
    return act.kind == UPDATE and not act.parked and any(follower.kind == UPDATE for follower in followers)
