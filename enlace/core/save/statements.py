"""The statements of a save: one for each batch, with the values of each record bound to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from sqlalchemy import ColumnElement, Delete, Insert, TableClause, Update, and_, bindparam, delete, insert, update

from ..dataset.window import source_table
from ..kinds import TEXTS
from ..model.dataset import DatasetSpec, FieldSpec
from ..server.dialects import ServerKind
from .plan import INSERT, REMOVE, Act, Batch

Statement = Insert | Update | Delete
Values = Callable[[Sequence[Act]], Sequence[Any]]


@dataclass(frozen=True)
class Bound:
    """A statement, and for each of its parameters the values that some acts give it.

    Values are made a parameter at a time and not a record at a time: most of what a large save costs is here.
    """

    statement: Statement
    values: Mapping[str, Values]

    def columns(self, acts: Sequence[Act]) -> dict[str, Sequence[Any]]:
        """By parameter, the values of the acts in their order."""
        return {name: of(acts) for name, of in self.values.items()}


class Statements:
    """Makes the statements of one dataset. made: looks up what the server made for another record of the draft."""

    def __init__(self, kind: ServerKind, dataset: DatasetSpec, made: Callable[[str, str, str], Any]) -> None:
        self.kind, self.dataset, self.made = kind, dataset, made
        self.table: TableClause = source_table(dataset)

    def of(self, batch: Batch, check: bool) -> Bound:
        """The statement of a batch. check: write a record only where it is still as read."""
        values: dict[str, Values] = {}
        if batch.kind == INSERT:
            return Bound(insert(self.table).values(self._assigned(batch, values)), values)
        condition = self._by_key(values)
        # Left out where this save itself has written the record before: it stands as the save parked it, not as it was read.
        if check:
            condition = and_(condition, self._as_read(batch.compared, values))
        if batch.kind == REMOVE:
            return Bound(delete(self.table).where(condition), values)
        assigned = self._assigned(batch, values)
        if counted := version_to_count(self.dataset, batch.columns):
            assigned[self.table.c[counted]] = self.table.c[counted] + 1
        return Bound(update(self.table).values(assigned).where(condition), values)

    def parking(self, batch: Batch, stand_ins: Mapping[str, Any]) -> Bound:
        """An UPDATE that puts stand-ins into some columns, where the record is still as read."""
        values: dict[str, Values] = {f"v{i}": partial(_same, stand_in) for i, stand_in in enumerate(stand_ins.values())}
        condition = and_(self._by_key(values), self._as_read(batch.compared, values))
        assigned: dict[Any, Any] = {self.table.c[name]: bindparam(f"v{i}") for i, name in enumerate(stand_ins)}
        return Bound(update(self.table).values(assigned).where(condition), values)

    def value(self, act: Act, column: str) -> Any:
        """What an act puts into a column, as the driver wants it."""
        return (self._handed_down if column in act.record.waits_for else self._wanted)(column, [act])[0]

    def _wanted(self, column: str, acts: Sequence[Act]) -> Sequence[Any]:
        # A new record need not say anything of a column that others of its batch fill (see `plan.grouped`).
        return self.kind.bound_all([act.record.now.get(column) for act in acts])

    def _handed_down(self, column: str, acts: Sequence[Act]) -> Sequence[Any]:
        return self.kind.bound_all([self.made(*act.record.waits_for[column]) for act in acts])

    def _assigned(self, batch: Batch, values: dict[str, Values]) -> dict[Any, Any]:
        assigned: dict[Any, Any] = {}
        for i, name in enumerate(batch.columns):
            values[f"v{i}"] = partial(self._handed_down if name in batch.waits_for else self._wanted, name)
            assigned[self.table.c[name]] = bindparam(f"v{i}")
        return assigned

    def _by_key(self, values: dict[str, Values]) -> ColumnElement[bool]:
        for i, _ in enumerate(self.dataset.key):
            values[f"k{i}"] = partial(_key_part, i)
        # A true key is compared as the server compares keys, so that its index serves.
        if not self.dataset.loose_key:
            return and_(*(self.table.c[name] == bindparam(f"k{i}") for i, name in enumerate(self.dataset.key)))
        conditions = []
        for i, name in enumerate(self.dataset.key):
            field = self.dataset.by_name.get(name)
            # The columns that stand in for a key may hold NULL, or texts that the collation takes for one another.
            conditions.append(self._exactly(name, field, f"k{i}"))
        return and_(*conditions)

    def _as_read(self, names: Sequence[str], values: dict[str, Values]) -> ColumnElement[bool]:
        conditions = []
        for i, name in enumerate(names):
            values[f"w{i}"] = partial(_as_it_was, name)
            conditions.append(self._exactly(name, self.dataset.by_name[name], f"w{i}"))
        return and_(True, *conditions)

    def _exactly(self, name: str, field: FieldSpec | None, bound: str) -> ColumnElement[bool]:
        column: ColumnElement[Any] = self.table.c[name]
        if field is None or field.kind not in TEXTS:
            return self.kind.exactly(column, bindparam(bound), False)
        return self.kind.exactly(self.kind.in_words(column, field.storage), bindparam(bound), True)


def _same(value: Any, acts: Sequence[Act]) -> list[Any]:
    return [value] * len(acts)


def _key_part(number: int, acts: Sequence[Act]) -> list[Any]:
    return [act.record.key[number] for act in acts]


def _as_it_was(name: str, acts: Sequence[Act]) -> list[Any]:
    return [act.record.was.get(name) for act in acts]


def version_to_count(dataset: DatasetSpec, columns: Sequence[str]) -> str:
    """The version column that an UPDATE raises by one: a whole number that nobody typed; "" when there is none.

    A trigger that does the same when the number did not change leaves it alone then; versions that are times or
    that the server computes are the server's to set.
    """
    field = dataset.by_name.get(dataset.version) if dataset.compare == "version" else None
    counts = field is not None and field.kind == "whole" and not field.computed and field.name not in columns
    return dataset.version if counts else ""
