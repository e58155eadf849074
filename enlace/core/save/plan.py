"""In which order a draft is written.

What one record leaves has to be free before another takes it, and what one refers to has to be there first:

- a detail is removed, or moved to another master, before its master is removed;
- a master is inserted before the details that were entered under it, in one table as well (a self-reference);
- a record gives up a unique value before another one takes it.

Two records that exchange unique values are in a ring; one of them is parked on a stand-in value first.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from ..dataset.spec import DatasetSpec
from ..draft.pending import PendingRecord
from ..rules.record import RecordRules
from ..server.catalog import Catalog, Reference, Table

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


@dataclass(eq=False, slots=True)
class Act:
    """What is to be done with one record. after: the acts that have to come first. ring: it is in a ring."""

    part: Part
    record: PendingRecord
    kind: str
    after: list[Act] = field(default_factory=list)
    parked: bool = False

    @property
    def columns(self) -> tuple[str, ...]:
        """The columns that its statement fills."""
        return () if self.kind == REMOVE else (*self.record.now, *self.record.under)


@dataclass
class Batch:
    """Acts that one statement serves. columns: those it fills. compared: the fields that must still be as read."""

    part: Part
    kind: str
    columns: tuple[str, ...]
    compared: tuple[str, ...]
    acts: list[Act]


@dataclass
class Plan:
    """batches: in the order in which they are run. rings: records that wait for each other and can't be parked."""

    batches: list[Batch]
    rings: list[Act]


def plan(parts: Sequence[Part], catalog: Catalog) -> Plan:
    """The order for the records of some datasets of one connection."""
    acts = [Act(part, record, ACTS[record.state]) for part in parts for record in part.records]
    acts = [one for one in acts if one.kind != UPDATE or one.columns]
    ranks = _ranks(parts, catalog)
    _tie(acts, {part.dataset.table: catalog.table(part.dataset.table) for part in parts}, ranks)
    levels, rings = _levels(acts)
    batches: list[Batch] = []
    for level in levels:
        batches += sorted(_batches(level), key=lambda b: _rank(b, ranks))
    return Plan(batches, rings)


def _rank(batch: Batch, ranks: Mapping[str, int]) -> tuple[int, int]:
    """Removals first, details before masters; then updates; then inserts, masters before details."""
    rank = ranks[batch.part.dataset.table]
    return (REMOVE, PARK, UPDATE, INSERT).index(batch.kind), -rank if batch.kind == REMOVE else rank


def _ranks(parts: Sequence[Part], catalog: Catalog) -> dict[str, int]:
    """How many tables of the draft a table refers to, directly or through others: masters have the lower rank."""
    names = {part.dataset.table for part in parts}
    up = {name: {r.target for r in catalog.table(name).references if r.target in names} - {name} for name in names}

    def depth(name: str, seen: frozenset[str]) -> int:
        return 1 + max((depth(one, seen | {name}) for one in up[name] if one not in seen), default=0)

    return {name: depth(name, frozenset()) for name in names}


def _batches(acts: Sequence[Act]) -> Iterator[Batch]:
    found: dict[tuple[Any, ...], Batch] = {}
    for act in acts:
        names = tuple(act.record.was) if _by_was(act) else ()
        key = (id(act.part), act.kind, act.columns, names)
        batch = found.get(key)
        if batch is None:
            fields = () if act.kind == INSERT else compared(act.part.dataset, act.record)
            batch = found[key] = Batch(act.part, act.kind, act.columns, fields, [])
        batch.acts.append(act)
    return iter(found.values())


def _by_was(act: Act) -> bool:
    """Whether what is compared depends on what is known of the record, and not only on what is edited."""
    return act.kind != INSERT and (act.kind == REMOVE or act.part.dataset.compare != "edited")


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


def _tie(acts: list[Act], tables: Mapping[str, Table], ranks: Mapping[str, int]) -> None:
    by_table: dict[str, list[Act]] = defaultdict(list)
    for act in acts:
        by_table[act.part.dataset.table].append(act)
    by_id = {(act.part.name, act.record.id): act for act in acts if act.kind == INSERT}
    for act in acts:
        for part, identifier, _ in act.record.under.values():
            master = by_id.get((part, identifier))
            if master is not None and master is not act:
                act.after.append(master)
    for name, table in tables.items():
        for columns in (table.key, *(one.columns for one in table.uniques)):
            _tie_unique(by_table[name], columns)
        for reference in table.references:
            if reference.target in tables:
                _tie_reference(by_table[name], by_table[reference.target], reference)


def _tie_unique(acts: Sequence[Act], columns: tuple[str, ...]) -> None:
    """Who gives a value up goes before who takes it."""
    givers = {v: act for act in acts if (v := _left(act, columns)) is not None}
    if not givers:
        return
    for act in acts:
        taken = _taken(act, columns)
        giver = givers.get(taken) if taken is not None else None
        if giver is not None and giver is not act:
            act.after.append(giver)


def _tie_reference(details: Sequence[Act], masters: Sequence[Act], reference: Reference) -> None:
    here, there = reference.columns, reference.target_columns
    leaving: dict[Any, list[Act]] = defaultdict(list)
    for act in details:
        if (value := _left(act, here)) is not None:
            leaving[value].append(act)
    coming = {v: act for act in masters if (v := _taken(act, there)) is not None}
    for act in masters:
        value = _left(act, there) if leaving else None
        if value is not None:
            act.after += [one for one in leaving.get(value, ()) if one is not act]
    for act in details if coming else ():
        value = _taken(act, here)
        master = coming.get(value) if value is not None else None
        if master is not None and master is not act:
            act.after.append(master)


def _left(act: Act, columns: tuple[str, ...]) -> tuple[Any, ...] | None:
    """The values that a record has and will not have any more; None where that is not so."""
    record = act.record
    if act.kind == INSERT or (act.kind == UPDATE and record.touched.isdisjoint(columns)):
        return None
    key = act.part.dataset.key
    known = {**record.was, **dict(zip(key, record.key, strict=False))}
    return _folded([known.get(name) for name in columns])


def _taken(act: Act, columns: tuple[str, ...]) -> tuple[Any, ...] | None:
    """The values that a record gets; None where it gets none."""
    if act.kind == REMOVE or act.record.now.keys().isdisjoint(columns):
        return None
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
    if not any(act.after for act in acts):
        return [acts], []
    levels: list[list[Act]] = []
    waiting = {id(act): len({id(one) for one in act.after}) for act in acts}
    followers: dict[int, list[Act]] = defaultdict(list)
    for act in acts:
        for first in {id(one): one for one in act.after}.values():
            followers[id(first)].append(act)
    ready = [act for act in acts if not waiting[id(act)]]
    left = {id(act): act for act in acts}
    while left:
        if not ready:
            ringed = next((one for one in left.values() if _can_park(one, followers[id(one)])), None)
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
        ready = _free([one for act in ready for one in followers[id(act)]], waiting)
        ready = [one for one in ready if id(one) in left]
    return levels, []


def _free(acts: Sequence[Act], waiting: dict[int, int]) -> list[Act]:
    found = []
    for act in acts:
        waiting[id(act)] -= 1
        if not waiting[id(act)]:
            found.append(act)
    return found


def _can_park(act: Act, followers: Sequence[Act]) -> bool:
    return act.kind == UPDATE and not act.parked and any(one.kind == UPDATE for one in followers)
