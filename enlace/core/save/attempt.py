"""One attempt at a save, inside one transaction.

Each batch is first written under the condition that its records are still as read: one statement locks, compares and
writes. A swift attempt is done when all of them go through. In one with care, a batch of which fewer rows answer than
there are records, or that the server refuses, is rolled back: its records are locked and read, those that somebody
changed become conflicts, and the others are written one by one where they must, so that each refusal can be told.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import replace
from functools import partial
from typing import Any

from sqlalchemy import select
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError

from ..dataset.keys import KEYS_A_STATEMENT, in_parts, key_in
from ..dataset.window import source_table
from ..draft.conflicts import exactly
from ..draft.pending import Conflict
from ..model.connection import ConnectionSpec
from ..model.values import key_of, record_id, record_ids
from ..problem import Problem
from ..rules.record import Complaint
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from .consequences import Consequences, Follower, triggers_of
from .current import current_rows, outside, what_became_of
from .doubt import already_done, not_there_yet
from .foresee import concerned, events_of, follow, keys_removed
from .outcome import SaveOutcome, SavePolicy
from .plan import INSERT, PARK, REMOVE, UPDATE, Act, Batch, Part, Plan, plan
from .refusals import broken_reference, explain
from .standin import stand_ins
from .statements import Bound, Statements

# What ends the whole transaction, whatever record it came up with.
FINAL = frozenset(
    {"locked", "deadlock", "serialization", "missing", "read-only", "slow", "away", "table gone", "too big"}
)
ALIKE = (
    "Several rows of the table are alike in all that could tell them apart, so more than this one would be changed. "
    "Nothing was. A key on the table would tell them apart."
)
OUTSIDE = "This record is not among the rows of this form any more. Drop it under Review."
TOOK_NOTHING = "The database took the statement but changed nothing; a trigger may prevent it."


class NeedsCare(Exception):
    """A swift attempt met a conflict or a refusal: the save is to be tried again with care."""


class _Short(Exception):
    """Fewer rows were written than there are records; more: more of them."""

    def __init__(self, more: bool = False) -> None:
        super().__init__()
        self.more = more


class Attempt:
    """The state of one attempt. outcomes: by the names of the parts.

    swift: without the savepoints that tell a failure from what went before it; raises NotSwift at the first one.
    """

    def __init__(
        self, spec: ConnectionSpec, parts: Sequence[Part], policy: SavePolicy, in_doubt: bool, optimistic: bool = False
    ) -> None:
        self.spec, self.parts, self.policy, self.in_doubt, self.optimistic = spec, parts, policy, in_doubt, optimistic
        self.kind = server_kind(spec.kind)
        self.catalog = Catalog.of(spec) if self.kind.in_process else Catalog.lately(spec)
        self.outcomes = {part.name: SaveOutcome() for part in parts}
        self.made = made = dict[tuple[str, str], Mapping[str, Any]]()
        # Of the values alone: an attempt that held itself would keep a hundred thousand records until Python looks for such.
        of = lambda part, identifier, column: made[part, identifier].get(column)  # noqa: E731
        self.statements = {part.name: Statements(self.kind, part.dataset, of) for part in parts}
        self.done: set[int] = set()  # acts that an earlier save of unknown outcome did
        self.looked = False  # whether that was looked for
        self.planned: list[Batch] = []
        self.follower: Follower | None = None
        self.handing_down = False
        self.failures = 0

    @property
    def failed(self) -> bool:
        return any(outcome.failed for outcome in self.outcomes.values())

    @property
    def saved(self) -> bool:
        return any(outcome.ids for outcome in self.outcomes.values())

    def write(self, connection: Connection) -> None:
        """Write all parts, in the order of the plan."""
        planned = self._plan()
        if not self.kind.in_process:
            self._lock(connection)
        if self.in_doubt:
            self._look_for_done(connection)
        self._refuse_outside(connection)
        for batch in planned.batches:
            self._run(connection, batch)
        for act in planned.rings:
            self._refuse(act, "This record and another one wait for each other. Save one of them without it first.", ())
        self._note_consequences()

    def _refuse_outside(self, connection: Connection) -> None:
        """Records that the condition of their dataset does not let in can't be written, however somebody got at them."""
        for part in self.parts:
            if not part.dataset.row_condition:
                continue
            acts = [act for b in self.planned if b.part is part and b.kind in (UPDATE, REMOVE) for act in b.acts]
            keys = {act.record.key: act for act in acts if id(act) not in self.done}
            for act in outside(connection, part.dataset, keys):
                self._refuse(keys[act], OUTSIDE, ())

    def _foresee(self, connection: Connection, batch: Batch) -> None:
        """Before it is written: what the database will do beside to rows that the draft does not name."""
        if not concerned(self.catalog, batch):
            return
        if self.follower is None:
            known = keys_removed(self.catalog, self.planned)
            self.follower = Follower(connection, self.catalog, known, keep=True)
        follow(self.follower, batch)

    def _note_consequences(self) -> None:
        triggers = triggers_of(self.catalog, events_of(self.planned))
        rows = self.follower.all() if self.follower else []
        first = next(iter(self.outcomes.values()), None)
        if first is not None and (rows or triggers):
            first.consequences = Consequences(rows, triggers, up_to=bool(rows) and self.failed)

    def deferred(self) -> list[str]:
        """The tables with references that are checked at COMMIT only, and that this save may have to do with."""
        if not self.kind.in_process:
            return []  # the others are asked to check before it
        tables = {part.dataset.table for part in self.parts}
        everywhere = any(self.catalog.table(name).triggers for name in tables)
        reached, left = set(tables), list(tables)
        while left:  # what a removal takes with it may break references further on
            name = left.pop()
            for reference in self.catalog.references:
                if reference.target == name and reference.table not in reached:
                    reached.add(reference.table)
                    if reference.on_delete or reference.on_update:
                        left.append(reference.table)
        checked_late = (r.table for r in self.catalog.references if r.deferred and (everywhere or r.table in reached))
        return list(dict.fromkeys(checked_late))

    def _plan(self) -> Plan:
        planned = plan(self.parts, self.catalog)
        self.planned = planned.batches
        self.handing_down = any(batch.waits_for for batch in planned.batches)
        return planned

    def look_for_done(self, connection: Connection) -> None:
        """Find what an earlier save of unknown outcome has done; writes nothing."""
        self._plan()
        self._look_for_done(connection)

    def _lock(self, connection: Connection) -> None:
        """Where several statements write to one table, lock its records first, in the order of their keys: two saves
        that touch the same records then wait for each other in turn and not in a ring."""
        for part in self.parts:
            mine = [b for b in self.planned if b.part is part and b.kind in (UPDATE, REMOVE)]
            if len(mine) < 2:
                continue
            keys = [act.record.key for act in _in_order([act for batch in mine for act in batch.acts])]
            key = [source_table(part.dataset).c[name] for name in part.dataset.key]
            for some in in_parts(keys, KEYS_A_STATEMENT):
                connection.execute(select(*key).where(key_in(key, some)).order_by(*key).with_for_update()).all()

    def read_back(self, connection: Connection, everything: bool) -> None:
        """The saved records as they stand now, where the server made or changed values; or all of them."""
        for batch in self.planned:
            if batch.kind in (REMOVE, PARK) or not (everything or self._changes(batch)):
                continue
            outcome, part = self.outcomes[batch.part.name], batch.part
            whole = [f.name for f in part.dataset.fields]
            ids = {key_of(after): act.record.id for act in batch.acts if (after := outcome.ids.get(act.record.id))}
            for key, values in current_rows(connection, part.dataset, whole, list(ids), lock=False).items():
                if key in ids:
                    outcome.rows[ids[key]] = dict(zip(whole, values, strict=True))

    def _changes(self, batch: Batch) -> bool:
        """Whether the server may make or change values of the records of a batch when it writes them."""
        dataset = batch.part.dataset
        if self.catalog.table(dataset.table).has_triggers or any(f.computed for f in dataset.fields) or batch.waits_for:
            return True
        if batch.kind == INSERT:
            return any(f.default is not None and f.name not in batch.columns for f in dataset.fields if not f.numbered)
        return dataset.compare == "version"

    # -- a batch --------------------------------------------------------------------------------------

    def _run(self, connection: Connection, batch: Batch) -> None:
        acts = batch.acts
        if self.done or self.handing_down or self.failures:
            acts = [act for act in acts if id(act) not in self.done and self._may_try(act)]
        if not acts:
            return
        # In the order of keys: two saves that lock the same records then don't wait for each other in a ring.
        batch = replace(batch, acts=acts if self.kind.in_process else _in_order(acts))
        self._foresee(connection, batch)
        if batch.kind == INSERT:
            self._insert(connection, batch)
        elif batch.kind == PARK:
            self._park(connection, batch)
        else:
            self._change(connection, batch)

    def _may_try(self, act: Act) -> bool:
        """Whether an act's turn has come; says of the record why not."""
        outcome = self.outcomes[act.part.name]
        if any(act.record.id in told for told in (outcome.conflicts, outcome.refusals, outcome.not_tried)):
            return False
        if self._stopped:
            outcome.not_tried[act.record.id] = "The save had stopped before it came to this record."
            return False
        for part, identifier, _ in act.record.waits_for.values():
            if (part, identifier) not in self.made:
                outcome.not_tried[act.record.id] = "The record that it belongs to was not saved."
                return False
        return True

    @property
    def _stopped(self) -> bool:
        most = self.policy.most_failures
        return not self.policy.whole and most is not None and self.failures >= most

    def _change(self, connection: Connection, batch: Batch) -> None:
        """Updates or removals."""
        statements = self.statements[batch.part.name]
        parked = any(act.parked for act in batch.acts)
        try:
            # A record that was parked was compared then.
            self._many(connection, statements.of(batch, check=not parked), batch.acts)
        except (DBAPIError, _Short) as error:
            if self.optimistic:
                raise NeedsCare from error
            self._need_transaction(connection, error)
            fresh = batch.acts if parked else self._still_as_read(connection, batch)
            self._each(connection, batch, statements.of(batch, check=False), fresh)
            return
        self._all_saved(batch, batch.acts)

    def _each(self, connection: Connection, batch: Batch, bound: Bound, acts: Sequence[Act]) -> None:
        """Acts on records that are locked and as read: in one go, or one by one to learn which is refused."""
        if len(acts) > 1 and self.policy.most_failures is None:
            try:
                self._many(connection, bound, acts)
            except (DBAPIError, _Short) as error:
                self._need_transaction(connection, error)
            else:
                return self._all_saved(batch, acts)
        for act in acts:
            if self._may_try(act) and self._one(connection, act, partial(self._many, connection, bound, [act])):
                self._saved(act)

    def _many(self, connection: Connection, bound: Bound, acts: Sequence[Act]) -> None:
        with nullcontext() if self.optimistic else connection.begin_nested():
            count = self.kind.write_many(connection, bound.statement, bound.columns(acts))
            if count != len(acts):
                raise _Short(count > len(acts))

    def _one(self, connection: Connection, act: Act, run: Callable[[], Any]) -> bool:
        """Run the statement of one act; a refusal becomes sentences on its record."""
        try:
            run()
            return True
        except _Short as short:
            self._refuse(act, ALIKE if short.more else TOOK_NOTHING, ())
        except DBAPIError as error:
            self._need_transaction(connection, error)
            table = self.catalog.table(act.part.dataset.table)
            refusal = self.kind.refusal(_cause(error))
            told = explain(connection, act.part.rules, table, act.record, refusal)
            self._refuse(act, told.sentence, told.fields)
        return False

    def _park(self, connection: Connection, batch: Batch) -> None:
        if self.optimistic:
            raise NeedsCare
        for act in batch.acts:
            standing = stand_ins(batch.part.dataset, act)
            bound = self.statements[batch.part.name].parking(batch, standing)
            names = " and ".join(batch.part.dataset.by_name[n].label for n in standing) or "a value"
            told = f"It exchanges {names} with another record, which can't be done in one save. Give one of them another value first and save it."
            if not standing:
                self._refuse(act, told, ())
                continue
            try:
                self._many(connection, bound, [act])
            except _Short:
                if self._still_as_read(connection, batch):
                    self._refuse(act, TOOK_NOTHING, ())
            except DBAPIError as error:
                self._need_transaction(connection, error)
                self._refuse(act, told, tuple(standing))

    # -- inserts ----------------------------------------------------------------------------------------

    def _insert(self, connection: Connection, batch: Batch) -> None:
        part = batch.part
        acts = batch.acts if self.optimistic else self._not_entered_twice(connection, batch)
        bound = self.statements[part.name].of(batch, check=False)
        table = source_table(part.dataset)
        key = [table.c[name] for name in part.dataset.key]

        def run(several: Sequence[Act]) -> None:
            # Records that say nothing at all have no values by which they could go in together.
            together = [several] if batch.columns else [[act] for act in several]
            keys: list[tuple[Any, ...]] = []
            with nullcontext() if self.optimistic else connection.begin_nested():
                for acts in together:
                    values, statement = bound.columns(acts), bound.statement
                    keys += self.kind.inserted_keys(connection, statement, values, key, batch.columns)  # type: ignore[arg-type]
            self._inserted(part, several, keys)

        if self.optimistic or (len(acts) > 1 and self.policy.most_failures is None):
            try:
                return run(acts)
            except DBAPIError as error:
                if self.optimistic:
                    raise NeedsCare from error
                self._need_transaction(connection, error)
        for act in acts:
            if self._may_try(act):
                self._one(connection, act, partial(run, [act]))

    def _inserted(self, part: Part, acts: Sequence[Act], keys: Sequence[tuple[Any, ...]]) -> None:
        names = [act.record.id for act in acts]
        self.outcomes[part.name].ids.update(zip(names, record_ids(keys), strict=True))
        if self.handing_down:
            for act, key in zip(acts, keys, strict=True):
                values = {**act.record.now, **dict(zip(part.dataset.key, key, strict=True))}
                self.made[part.name, act.record.id] = values

    def _not_entered_twice(self, connection: Connection, batch: Batch) -> list[Act]:
        """The acts whose key nobody else has used meanwhile; the others become conflicts."""
        part, names = batch.part, batch.part.dataset.key
        if not set(names) <= set(batch.columns):
            return batch.acts
        whole = [f.name for f in part.dataset.fields]
        value = self.statements[part.name].value
        keys = {tuple(value(act, name) for name in names): act for act in batch.acts}
        taken = current_rows(connection, part.dataset, whole, list(keys), lock=False)
        twice = set()
        for key, values in taken.items():
            act = keys.get(key)
            if act is not None:
                self._conflict(act, Conflict(dict(zip(whole, values, strict=True)), "inserted", record_id(key)))
                twice.add(id(act))
        return [act for act in batch.acts if id(act) not in twice]

    # -- comparing --------------------------------------------------------------------------------------

    def _still_as_read(self, connection: Connection, batch: Batch) -> list[Act]:
        """Lock and read the records of a batch; those that are not as read any more become conflicts."""
        part, whole = batch.part, [f.name for f in batch.part.dataset.fields]
        current = current_rows(connection, part.dataset, whole, [act.record.key for act in batch.acts])
        places = [whole.index(name) for name in batch.compared]
        fresh = []
        for act in batch.acts:
            values = current.get(act.record.key)
            if values is None:
                self._conflict(act, what_became_of(connection, part.dataset, act.record))
            elif all(exactly(values[i], act.record.was.get(whole[i])) for i in places):
                fresh.append(act)
            else:
                self._conflict(act, Conflict(dict(zip(whole, values, strict=True))))
        return fresh

    # -- an earlier save of unknown outcome ---------------------------------------------------------------

    def keep_only_done(self) -> None:
        """The transaction was given up: only what an earlier save of unknown outcome had committed is saved."""
        done = {(act.part.name, act.record.id) for b in self.planned for act in b.acts if id(act) in self.done}
        for name, outcome in self.outcomes.items():
            outcome.ids = {was: now for was, now in outcome.ids.items() if (name, was) in done}
            outcome.committed = bool(outcome.ids)

    def _look_for_done(self, connection: Connection) -> None:
        """Find the records that are already as wanted: the save before this one may have gone through."""
        acts = [act for batch in self.planned for act in batch.acts if batch.kind not in (INSERT, PARK)]
        for part in self.parts:
            mine = [act for act in acts if act.part is part]
            whole = [f.name for f in part.dataset.fields]
            now_keys = [self._key_after(act) for act in mine]
            current = current_rows(connection, part.dataset, whole, list(dict.fromkeys(now_keys)))
            for act, key in zip(mine, now_keys, strict=True):
                values = current.get(key)
                theirs = None if values is None else dict(zip(whole, values, strict=True))
                if already_done(self.kind, act.record, theirs):
                    self.done.add(id(act))
                    self._saved(act)
        new = [act for batch in self.planned if batch.kind == INSERT for act in batch.acts]
        for act, key in not_there_yet(connection, self.kind, new, bool(self.done), len(acts), self.policy.whole):
            self.done.add(id(act))
            self._inserted(act.part, [act], [key])
        self.looked = True

    # -- what is told -------------------------------------------------------------------------------------

    def _saved(self, act: Act) -> None:
        after = "" if act.kind == REMOVE else record_id(self._key_after(act))
        self.outcomes[act.part.name].ids[act.record.id] = after

    def _all_saved(self, batch: Batch, acts: Sequence[Act]) -> None:
        if batch.kind != REMOVE and not set(batch.part.dataset.key).isdisjoint(batch.columns):
            for act in acts:
                self._saved(act)
            return
        names = [act.record.id for act in acts]
        after = [""] * len(names) if batch.kind == REMOVE else names
        self.outcomes[batch.part.name].ids.update(zip(names, after, strict=True))

    def _key_after(self, act: Act) -> tuple[Any, ...]:
        names, record = act.part.dataset.key, act.record
        if record.touched.isdisjoint(names):
            return record.key
        value = self.statements[act.part.name].value
        return tuple(value(act, n) if n in record.touched else old for n, old in zip(names, record.key, strict=True))

    def _conflict(self, act: Act, conflict: Conflict) -> None:
        self.outcomes[act.part.name].conflicts[act.record.id] = conflict
        self.failures += 1

    def _refuse(self, act: Act, sentence: str, fields: tuple[str, ...]) -> None:
        self.outcomes[act.part.name].refusals[act.record.id] = [Complaint("server", sentence, fields)]
        self.failures += 1

    def refuse_all(self, sentence: str) -> None:
        """No single record can be named: all of them are refused."""
        for part in self.parts:
            outcome = self.outcomes[part.name] = SaveOutcome()
            outcome.refusals = {r.id: [Complaint("server", sentence, ())] for r in part.records}

    def refuse_loose(self, connection: Connection, loose: Mapping[tuple[str, str], int]) -> None:
        """References that COMMIT would find broken: told on the records that break them, as far as they can be named."""
        for batch in self.planned:
            table = self.catalog.table(batch.part.dataset.table)
            for act in batch.acts if batch.kind != PARK else ():
                told = broken_reference(connection, batch.part.dataset, table, act.record)
                if told is not None:
                    self.outcomes[batch.part.name].ids.pop(act.record.id, None)
                    self._refuse(act, told.sentence, told.fields)
        if not any(outcome.refusals for outcome in self.outcomes.values()):
            parts = [
                f"{n} {'row' if n == 1 else 'rows'} of {t} would refer to {o} that {'is' if n == 1 else 'are'} not there"
                for (t, o), n in loose.items()
            ]
            self.refuse_all(f"The database would refuse the save as a whole: {', '.join(parts)}.")

    def _need_transaction(self, connection: Connection, error: BaseException) -> None:
        """Stop when the transaction is over or can't go on: what came after would no longer be one transaction."""
        refusal = self.kind.refusal(cause) if (cause := _cause(error)) else None
        if refusal is not None and refusal.code in FINAL:
            what, hint = self.kind.sentence(refusal)
            raise Problem(what, hint, refusal.words, refusal.code) from None
        if not self.kind.in_transaction(connection):
            words = refusal.words if refusal else str(error)
            raise Problem("The database gave up the whole save.", "Nothing was written.", words, "trigger") from None


def _cause(error: BaseException) -> BaseException | None:
    """The driver's first error: going back to a savepoint may have failed too, and hides it."""
    chain = [error]
    while chain[-1].__context__ is not None:
        chain.append(chain[-1].__context__)
    told = [cause for cause in chain if isinstance(cause, DBAPIError)]
    return told[-1].orig if told else None


def _in_order(acts: list[Act]) -> list[Act]:
    try:
        return sorted(acts, key=lambda act: act.record.key)
    except TypeError:
        return acts
