"""What a save would take with it, before it is made: for the question, the review and nobody's surprise."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec
from ..problem import Problem
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.engine import reading
from .consequences import Consequences, Follower, reaches_others, rows_referred_to, triggers_of
from .plan import INSERT, REMOVE, UPDATE, Batch, Part, grouped

EVENTS = {REMOVE: "DELETE", UPDATE: "UPDATE", INSERT: "INSERT"}


def foreseen(spec: ConnectionSpec, parts: Sequence[Part]) -> Consequences:
    """What else would happen if some records were saved. It is advice: where the server does not tell, it is nothing."""
    try:
        catalog = Catalog.of(spec) if server_kind(spec.kind).in_process else Catalog.lately(spec)
        batches = [batch for part in parts for batch in grouped(part, part.records)]
        consequences = Consequences(triggers=triggers_of(catalog, events_of(batches)))
        if any(concerned(catalog, batch) for batch in batches):
            with reading(spec) as connection:
                follower = Follower(connection, catalog, keys_removed(catalog, batches), keep=False)
                for batch in batches:
                    follow(follower, batch)
                consequences.rows = follower.all()
        return consequences
    except Problem:
        return Consequences()


def each_counts(spec: ConnectionSpec, dataset: DatasetSpec) -> frozenset[str]:
    """The states of pending records of which each may take others along; of the other states one tells as much as all."""
    try:
        rekeys = any(reference.on_update for reference in Catalog.lately(spec).table(dataset.table).referenced_by)
    except Problem:
        rekeys = False  # nothing is foreseen then
    # What the draft itself removes is no surprise beside others, so that all of it has to be known.
    return frozenset({"removed", "edited"} if rekeys else {"removed"})


def events_of(batches: Iterable[Batch]) -> dict[str, set[str]]:
    """By table, what a save does to it as triggers name it."""
    by_table: dict[str, set[str]] = {}
    for batch in batches:
        if batch.kind in EVENTS:
            by_table.setdefault(batch.part.dataset.table, set()).add(EVENTS[batch.kind])
    return by_table


def keys_removed(catalog: Catalog, batches: Iterable[Batch]) -> dict[str, set[tuple[Any, ...]]]:
    """By table, the keys of the rows that the draft itself removes."""
    by_table: dict[str, set[tuple[Any, ...]]] = {}
    for batch in batches:
        dataset = batch.part.dataset
        if batch.kind == REMOVE and catalog.table(dataset.table).identity == dataset.key:
            by_table.setdefault(dataset.table, set()).update(act.record.key for act in batch.acts)
    return by_table


def concerned(catalog: Catalog, batch: Batch) -> bool:
    """Whether a batch may have consequences for rows that it does not name."""
    table = catalog.table(batch.part.dataset.table)
    if batch.kind == REMOVE:
        return reaches_others(table)
    return batch.kind == UPDATE and any(
        r.on_update and not set(batch.columns).isdisjoint(r.target_columns) for r in table.referenced_by
    )


def follow(follower: Follower, batch: Batch) -> None:
    """Find what the acts of a batch would take with them."""
    if not concerned(follower.catalog, batch):
        return
    dataset, connection = batch.part.dataset, follower.connection
    table = follower.catalog.table(dataset.table)
    rows = rows_referred_to(connection, table, dataset.key, [act.record.key for act in batch.acts])
    if batch.kind == REMOVE:
        follower.removed(table, rows)
    else:
        follower.rekeyed(table, batch.columns, rows)
