"""A save whose outcome nobody told: what of it stands in the database."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import and_, select, true
from sqlalchemy.engine import Connection

from ..dataset.window import source_table
from ..draft.conflicts import exactly
from ..draft.pending import PendingRecord
from ..server.dialects import ServerKind
from .plan import Act


def already_done(kind: ServerKind, record: PendingRecord, theirs: Mapping[str, Any] | None) -> bool:
    """Whether the server holds just what the record wants, as after a save whose answer never arrived.

    Outside of doubt this says nothing: somebody else may have written the same value, and meant another change.
    """
    if record.state == "removed" or theirs is None:
        return record.state == "removed" and theirs is None
    return bool(record.now) and all(exactly(kind.bound(value), theirs.get(name)) for name, value in record.now.items())


def not_there_yet(
    connection: Connection, kind: ServerKind, acts: Sequence[Act], others_saved: bool, others: int, whole: bool
) -> list[tuple[Act, tuple[Any, ...]]]:
    """Of new records whose save is in doubt, those that are there, with their keys.

    A save of all or nothing: where an edit or removal of the same draft was found saved, so were the new records;
    where one was found not saved, they were not. A draft of new records alone was saved when a row with just these
    values is there for each of them. Where each record is saved for itself, each is looked for.
    """
    if whole and others and not others_saved:
        return []
    missing: list[tuple[Act, tuple[Any, ...]]] = []
    taken: set[tuple[Any, ...]] = set()
    for act in acts:
        table = source_table(act.part.dataset)
        key = [table.c[name] for name in act.part.dataset.key]
        conditions = [
            table.c[name].is_(None) if value is None else table.c[name] == kind.bound(value)
            for name, value in act.record.now.items()
        ]
        newest = [c.desc() for c in key]
        statement = select(*key).where(and_(true(), *conditions)).order_by(*newest).limit(len(taken) + 1)
        free = [tuple(row) for row in connection.execute(statement) if tuple(row) not in taken]
        if free:
            taken.add(free[0])
            missing.append((act, free[0]))
    return missing if not whole or len(missing) == len(acts) else []
