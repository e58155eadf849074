"""Run a save.

The order of one save: lock and read the records it touches, compare them with what was read, remove, update,
insert, commit. Conflicts and refusals are gathered for all records before anything is given up, so that a
person sees all of them at once; then the transaction is rolled back.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Any

from sqlalchemy import ColumnElement, Delete, Insert, Update, and_, bindparam, delete, insert, select, true, update
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DBAPIError

from ..dataset.spec import DatasetSpec
from ..dataset.values import key_of, record_id
from ..dataset.window import KEYS_A_STATEMENT, in_parts, key_in, source_table
from ..draft.conflicts import exactly
from ..draft.pending import Conflict, PendingRecord
from ..problem import Problem
from ..rules.record import Complaint, RecordRules
from ..server.catalog import Catalog
from ..server.dialects import server_kind
from ..server.engine import ConnectionSpec, writing
from .outcome import SaveOutcome
from .refusals import explain


class _GiveUp(Exception):
    """Ends the transaction without a commit."""


def save(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    records: Sequence[PendingRecord],
    rules: RecordRules | None = None,
    in_doubt: bool = False,
) -> SaveOutcome:
    """Save the pending records of one dataset, all or none.

    in_doubt: an earlier save of these records was begun and its outcome never known. Then records that already
    are as wanted count as saved. Otherwise they don't: somebody else wrote the same value, and may have meant
    it as another change.

    Raises Problem when the server can't be reached, is locked, or the dataset can't be edited; nothing was
    written then.
    """
    outcome = _attempt(spec, dataset, records, rules, in_doubt, rehearsal=False)
    if not outcome.committed:
        outcome.ids.clear()
    return outcome


def rehearse(
    spec: ConnectionSpec, dataset: DatasetSpec, records: Sequence[PendingRecord], rules: RecordRules | None = None
) -> SaveOutcome:
    """Do all that `save` does, and roll it back: what would be saved, refused or in conflict, and the rows as they
    would stand, with what the server generates.

    What it can't show: checks that the server leaves to COMMIT. Raises Problem like `save`.
    """
    return _attempt(spec, dataset, records, rules, False, rehearsal=True)


def _attempt(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    records: Sequence[PendingRecord],
    rules: RecordRules | None,
    in_doubt: bool,
    rehearsal: bool,
) -> SaveOutcome:
    if not dataset.editable:
        raise Problem("Nothing was saved.", dataset.read_only_because, code="read-only")
    run = _Run(spec, dataset, rules or RecordRules(dataset), in_doubt)
    outcome = run.outcome
    try:
        with writing(spec) as connection:
            run.compare(connection, [r for r in records if r.state != "new"])
            run.write(connection, records)
            if rehearsal:
                run.read_back(connection)
            if rehearsal or outcome.conflicts or outcome.refusals:
                raise _GiveUp
    except _GiveUp:
        return outcome
    except Problem as problem:
        if problem.code in ("reference", "unique", "check", "not null", "trigger"):
            # The server refused at COMMIT (a deferred constraint): no single record can be named.
            complaint = Complaint("server", f"The database refused the save as a whole: {problem.words}.", ())
            outcome.refusals = {r.id: [complaint] for r in records}
            return outcome
        raise
    outcome.committed = True
    return outcome


class _Run:
    """The state of one save."""

    def __init__(self, spec: ConnectionSpec, dataset: DatasetSpec, rules: RecordRules, in_doubt: bool) -> None:
        self.spec, self.dataset, self.rules, self.in_doubt = spec, dataset, rules, in_doubt
        self.kind = server_kind(spec.kind)
        self.table = source_table(dataset)
        self.outcome = SaveOutcome()
        self.done: set[str] = set()  # already as wanted on the server: nothing to write

    # -- compare ------------------------------------------------------------------------------------

    def compare(self, connection: Connection, records: Sequence[PendingRecord]) -> None:
        """Find the records that are no longer what was read."""
        suspects: list[PendingRecord] = []
        for names, group in _grouped(records, self._compared).items():
            current = self._current(connection, names, [record.key for record in group])
            for record in group:
                values = current.get(record.key)
                if values is None or not all(map(exactly, values, (record.was.get(n) for n in names))):
                    suspects.append(record)
        whole = [f.name for f in self.dataset.fields]
        current = self._current(connection, whole, [record.key for record in suspects])
        for record in suspects:
            found = current.get(record.key)
            theirs = None if found is None else dict(zip(whole, found, strict=True))
            if self.in_doubt and self._already(record, theirs):
                self.done.add(record.id)
                self.outcome.ids[record.id] = "" if record.state == "removed" else record.id
            else:
                self.outcome.conflicts[record.id] = Conflict(theirs)

    def _compared(self, record: PendingRecord) -> tuple[str, ...]:
        # A removal overwrites the whole record, so all of it that is known must be as read.
        names = record.was if record.state == "removed" else record.now
        return tuple(f.name for f in self.dataset.fields if f.name in names)

    def _already(self, record: PendingRecord, theirs: Mapping[str, Any] | None) -> bool:
        """Whether the server holds just what the record wants, as after a save whose answer never arrived."""
        if record.state == "removed" or theirs is None:
            return record.state == "removed" and theirs is None
        return all(exactly(self.kind.bound(value), theirs.get(name)) for name, value in record.now.items())

    def _current(
        self, connection: Connection, names: Sequence[str], keys: Sequence[tuple[Any, ...]]
    ) -> dict[tuple[Any, ...], tuple[Any, ...]]:
        key = [self.table.c[name] for name in self.dataset.key]
        columns = [self.table.c[n].label(f"f{i}") for i, n in enumerate(names)]
        found = {}
        for part in in_parts(list(keys), KEYS_A_STATEMENT):
            statement = select(*(c.label(f"k{i}") for i, c in enumerate(key)), *columns).where(key_in(key, part))
            for row in connection.execute(statement.with_for_update()):
                found[tuple(row[: len(key)])] = tuple(row[len(key) :])
        return found

    def read_back(self, connection: Connection) -> None:
        """The written records as they stand now, with defaults, generated keys and what triggers did."""
        whole = [f.name for f in self.dataset.fields]
        written = {key_of(after): before for before, after in self.outcome.ids.items() if after}
        for key, values in self._current(connection, whole, list(written)).items():
            if key in written:
                self.outcome.rows[written[key]] = dict(zip(whole, values, strict=True))

    # -- write --------------------------------------------------------------------------------------

    def write(self, connection: Connection, records: Sequence[PendingRecord]) -> None:
        """Removals, then updates, then inserts; conflicting records are left out."""
        todo = [r for r in records if r.id not in self.outcome.conflicts and r.id not in self.done]
        self._batch(connection, delete(self.table).where(self._by_key()), [r for r in todo if r.state == "removed"])
        for names, group in _grouped((r for r in todo if r.state == "edited"), lambda r: tuple(r.now)).items():
            if names:
                values: dict[Any, Any] = {self.table.c[n]: bindparam(f"v{i}") for i, n in enumerate(names)}
                self._batch(connection, update(self.table).where(self._by_key()).values(values), group)
        new = [r for r in todo if r.state == "new"]
        if self.in_doubt:
            new = self._not_there_yet(connection, new, bool(self.done), len(new) == len(records))
        for record in new:
            self._insert(connection, record)

    def _not_there_yet(
        self, connection: Connection, records: list[PendingRecord], others_saved: bool, alone: bool
    ) -> list[PendingRecord]:
        """Of new records whose save is in doubt, those to insert.

        A save is all or nothing: where an edit or removal of the same draft was found saved, so were the new
        records; where one was found not saved, they were not. A draft of new records alone was saved when a row
        with just these values is there for each of them.
        """
        key = [self.table.c[name] for name in self.dataset.key]
        found = {}
        for record in records if others_saved or alone else ():
            same = and_(true(), *(self._is(name, value) for name, value in record.now.items()))
            row = connection.execute(select(*key).where(same).order_by(*(c.desc() for c in key)).limit(1)).first()
            if row is not None:
                found[record.id] = record_id(tuple(row))
        if len(found) < len(records):
            return records
        self.outcome.ids.update(found)
        return []

    def _is(self, name: str, value: Any) -> ColumnElement[bool]:
        return self.table.c[name].is_(None) if value is None else self.table.c[name] == self.kind.bound(value)

    def _by_key(self) -> ColumnElement[bool]:
        return and_(*(self.table.c[name] == bindparam(f"k{i}") for i, name in enumerate(self.dataset.key)))

    def _parameters(self, record: PendingRecord) -> dict[str, Any]:
        found = {f"k{i}": value for i, value in enumerate(record.key)}
        return found | {f"v{i}": self.kind.bound(value) for i, value in enumerate(record.now.values())}

    def _batch(self, connection: Connection, statement: Update | Delete, records: list[PendingRecord]) -> None:
        """Many records in one go; where the server refuses, one by one, to learn which."""
        if not records:
            return
        try:
            with connection.begin_nested():
                result = connection.execute(statement, [self._parameters(r) for r in records])
                if result.rowcount not in (len(records), -1):
                    raise _Short
        except (DBAPIError, _Short) as error:
            self._need_transaction(connection, error)
            for record in records:
                self._one(connection, record, partial(connection.execute, statement, [self._parameters(record)]))
        for record in records:
            if record.id not in self.outcome.refusals:
                self.outcome.ids[record.id] = "" if record.state == "removed" else self._id_after(record)

    def _one(self, connection: Connection, record: PendingRecord, run: Callable[[], Any]) -> Any:
        """One record in its own savepoint; a refusal becomes sentences."""
        try:
            with connection.begin_nested():
                result = run()
                if result.rowcount == 0:
                    raise _Short
                return result
        except _Short:
            words = "The database took the statement but changed nothing; a trigger may prevent it."
            self.outcome.refusals[record.id] = [Complaint("server", words, ())]
        except DBAPIError as error:
            self._need_transaction(connection, error)
            refusal = self.kind.refusal(error.orig)
            if refusal.code in ("locked", "missing", "read-only", "slow"):
                raise
            table = Catalog.of(self.spec).table(self.dataset.table)
            self.outcome.refusals[record.id] = [explain(connection, self.rules, table, record, refusal)]
        return None

    def _need_transaction(self, connection: Connection, error: BaseException) -> None:
        """Stop when the server itself rolled everything back: what came after would no longer be one transaction."""
        if not self.kind.in_transaction(connection):
            # Going back to the savepoint failed too; the refusal itself is the oldest error of the chain.
            chain = [error]
            while chain[-1].__context__ is not None:
                chain.append(chain[-1].__context__)
            first = [one for one in chain if isinstance(one, DBAPIError)][-1:] or chain[:1]
            words = self.kind.refusal(getattr(first[0], "orig", first[0])).words
            raise Problem("The database gave up the whole save.", "Nothing was written.", words, "trigger") from None

    def _id_after(self, record: PendingRecord) -> str:
        if record.now.keys().isdisjoint(self.dataset.key):
            return record.id
        changed = [record.now.get(name, old) for name, old in zip(self.dataset.key, record.key, strict=True)]
        return record_id(tuple(self.kind.bound(v) for v in changed))

    def _insert(self, connection: Connection, record: PendingRecord) -> None:
        values = {self.table.c[name]: self.kind.bound(value) for name, value in record.now.items()}
        key = [self.table.c[name] for name in self.dataset.key]
        statement: Insert = insert(self.table).values(values) if values else insert(self.table)
        result = self._one(connection, record, lambda: _Returned(connection.execute(statement.returning(*key)).first()))
        if result is not None:
            self.outcome.ids[record.id] = record_id(tuple(result.row))


class _Short(Exception):
    """Fewer rows were changed than there are records."""


class _Returned:
    """The row that an INSERT gave back, looking like a result with a row count."""

    def __init__(self, row: Any) -> None:
        self.row = row
        self.rowcount = 0 if row is None else 1


def _grouped(
    records: Iterable[PendingRecord], by: Callable[[PendingRecord], tuple[str, ...]]
) -> dict[tuple[str, ...], list[PendingRecord]]:
    """Records by the names that one statement serves, so that each group is one batch."""
    found: dict[tuple[str, ...], list[PendingRecord]] = defaultdict(list)
    for record in records:
        found[by(record)].append(record)
    return found
