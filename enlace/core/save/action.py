"""Server actions: several statements about one record, run in one transaction under a guard.

A builder writes the statements; `:name` in them stands for the record's field of that name, `:person` for who runs
it. Values are always bound. The record is locked and read anew first, and the guard is asked of what was read then, so
that an action never runs on what a page only believes.
"""

from __future__ import annotations

import random
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, and_, select, true
from sqlalchemy.engine import Connection, CursorResult
from sqlalchemy.exc import DBAPIError

from ..dataset.asked import asked, own_rows
from ..dataset.keys import key_in
from ..dataset.query import called_dataset
from ..dataset.related import related_on
from ..dataset.source import given_values, names_for, source_of
from ..dataset.window import source_table
from ..expression import Expression, Unsupported
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec
from ..model.values import key_of, record_id
from ..problem import Problem
from ..rules.computed import Computed, holds
from ..rules.record import with_values
from ..server.dialects import server_kind
from ..server.engine import reading, use_once, writing
from .action_statements import PERSON, ActionStatement, statements_of
from .current import outside
from .run import TRIES


class _RollBack(Exception):
    """Ends a rehearsal."""


@dataclass(frozen=True)
class ActionSpec:
    """An action: its statements, apart by semicolons, and the guard, a condition over the record's fields.

    unmet: what to say where the guard does not hold; done: what to say afterwards. `{field}` in both stands for that
    field's value.
    """

    title: str
    statements: str
    guard: str = ""
    unmet: str = ""
    done: str = ""


@dataclass(frozen=True)
class ActionOutcome:
    """What came of an action. changed: how many rows each statement changed, None for a call. was, now: the record's fields."""

    done: bool
    sentence: str
    changed: tuple[int | None, ...] = ()
    was: Mapping[str, Any] | None = None
    now: Mapping[str, Any] | None = None


class Action:
    """An action made ready for a dataset on a kind of server. Raises Problem when it can't be understood."""

    def __init__(self, dataset: DatasetSpec, spec: ActionSpec, server: str) -> None:
        self.dataset, self.spec = dataset, spec
        self.guard = _guard(dataset, spec.guard)
        self.computed = Computed(dataset)
        needed = self.computed.needed(self.guard) if self.guard else set()
        # What the guard needs of other tables is asked beside the record, under the record's lock.
        self.related = frozenset(name for name in needed if "." in name)
        self.statements = statements_of(spec.statements, server, {*dataset.by_name, PERSON})

    def allows(self, record: Mapping[str, Any], related: Mapping[str, Any] | None = None) -> bool:
        """Whether the guard holds for a record's stored values: true, not unknown. related: the values of `self.related`."""
        return self.guard is None or holds(self.guard, self.computed.values(record, related))

    def said(self, message: str, record: Mapping[str, Any]) -> str:
        """A message with the record's values in it."""
        return with_values(self.dataset, message, record)


def _guard(dataset: DatasetSpec, condition: str) -> Expression | None:
    if not condition.strip():
        return None
    try:
        return Expression(condition, names_for(dataset))
    except Unsupported as error:
        hint = "Use the names of this form's fields, numbers, texts in single quotes, and SQL's operators."
        raise Problem(f"The guard can't be understood: {str(error).splitlines()[0]}", hint, code="bad") from None


def first_allowed(spec: ConnectionSpec, action: Action) -> str | None:
    """The id of the first record that the guard holds for, as the server tells; None when there is none.

    Raises Problem.
    """
    dataset = called_dataset(spec, action.dataset)
    source = source_of(dataset, spec.kind)
    condition: ColumnElement[bool] = true()
    joins: list[str] = []
    if dataset.row_condition:
        condition, joins = own_rows(dataset, spec.kind)
    if action.guard is not None:
        allowed, more = asked(source, action.guard)
        condition, joins = and_(condition, allowed), [*joins, *more]
    base = source.joined(joins)
    # By key, so that the rehearsal of a builder meets the same record each time.
    keys = [source.base.c[name] for name in dataset.key]
    with reading(spec) as connection:
        statement = select(*keys).select_from(base).where(condition).order_by(*keys).limit(1)
        row = connection.execute(statement, given_values(dataset, spec.kind)).first()
    return None if row is None else record_id(tuple(row))


def run_action(
    spec: ConnectionSpec, action: Action, identifier: str, person: str, rehearsal: bool = False
) -> ActionOutcome:
    """Run an action on a record; all of it or nothing. rehearsal: do all of it, then roll back.

    Raises Problem when the server refuses or can't be reached; nothing was changed then. Raises UnknownOutcome when
    the connection was lost while the server committed.
    """
    tries = 0
    while True:
        tries += 1
        try:
            return _once(spec, action, identifier, person, rehearsal)
        except Problem as problem:
            # A deadlock or a lock that others held: nothing was changed, so all of it is done anew.
            if tries >= TRIES.get(problem.code, 1):
                raise
            # At random, or two that met would meet again; longer each time.
            time.sleep(random.uniform(0.02, 0.1) * 2 ** min(tries, 4))


def _once(spec: ConnectionSpec, action: Action, identifier: str, person: str, rehearsal: bool) -> ActionOutcome:
    outcome = None
    try:
        with writing(spec) as connection:
            # A trigger or a statement may change the session, so it serves nobody after this.
            if not server_kind(spec.kind).in_process:
                use_once(connection)
            record = _locked(connection, action.dataset, identifier)
            if record is None:
                return ActionOutcome(False, "The record is not there any more.")
            related = related_on(connection, action.dataset, action.related, [record])[0]
            if not action.allows(record, related):
                unmet = action.spec.unmet or "This can't be done to the record as it is now."
                return ActionOutcome(False, action.said(unmet, record))
            changed = tuple(_run(connection, statement, record, person) for statement in action.statements)
            # Read again: what is said afterwards is about what the statements made of it, triggers included.
            now = _locked(connection, action.dataset, identifier)
            said = action.said(action.spec.done or f"{action.spec.title}: done.", now or record)
            outcome = ActionOutcome(True, said, changed, record, now)
            if rehearsal:
                raise _RollBack
    except _RollBack:
        assert outcome is not None
    return outcome


def _locked(connection: Connection, dataset: DatasetSpec, identifier: str) -> dict[str, Any] | None:
    """The record as it is now, locked against others until the end of the transaction."""
    table = source_table(dataset)
    try:
        key = key_of(identifier)
        if len(key) != len(dataset.key):
            raise ValueError("not a record of this dataset")
        mine = key_in([table.c[name] for name in dataset.key], [key])
    except ValueError:
        raise Problem("There is no such record.", "Go back to the form and choose one.", code="missing") from None
    wanted = select(*(table.c[f.name] for f in dataset.fields)).where(mine).with_for_update()
    row = connection.execute(wanted).first()
    if row is not None and dataset.row_condition and outside(connection, dataset, [key]):
        return None
    return None if row is None else dict(zip([f.name for f in dataset.fields], row, strict=True))


def _run(connection: Connection, statement: ActionStatement, record: Mapping[str, Any], person: str) -> int | None:
    """Run one statement; how many rows it changed, None where only what it calls knows."""
    kind = server_kind(connection.dialect.name)
    values = {name: person if name == PERSON else kind.bound(record[name]) for name in statement.names}
    if not statement.calls:
        # Drivers give -1 where they can't tell.
        return max(connection.execute(statement.sql, values).rowcount, 0)
    step = connection.begin_nested()
    _to_the_end(connection.execute(statement.sql, values))
    try:
        step.commit()
    except DBAPIError as error:
        # The step is gone together with the transaction that it was a part of.
        if kind.refusal(error.orig).code == "away":
            raise
        hint = "What was done until then stays. A procedure for an action leaves COMMIT, and what defines tables, to others."
        raise Problem("A procedure ended the transaction by itself.", hint, code="committed") from None
    return None


def _to_the_end(result: CursorResult[Any]) -> None:
    """Hear all that a call gives: what it refuses may come after rows that it shows."""
    following = getattr(result.cursor, "nextset", None)
    while following and following():
        pass
    result.close()
