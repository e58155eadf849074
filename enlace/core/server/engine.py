"""Engines: one SQLAlchemy engine for each connection in use, and short transactions on them."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Hashable, Iterator
from contextlib import AbstractContextManager, ExitStack, contextmanager, nullcontext, suppress

from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DBAPIError, SQLAlchemyError, StatementError

from ..model.connection import ConnectionSpec
from ..problem import Problem
from .dialects import server_kind
from .dialects.base import driver_error

ADVICE_SECONDS = 1.0  # what nobody has to wait for
MOST_ENGINES = 64


_engines: OrderedDict[ConnectionSpec, Engine] = OrderedDict()
_lock = threading.Lock()


def engine_for(spec: ConnectionSpec) -> Engine:
    """The engine of a connection; made at first use, the least used ones are closed."""
    with _lock:
        engine = _engines.get(spec)
        if engine is None:
            engine = server_kind(spec.kind).make_engine(spec)
            _engines[spec] = engine
        _engines.move_to_end(spec)
        while len(_engines) > MOST_ENGINES:
            _engines.popitem(last=False)[1].dispose()
        return engine


def forget_engine(spec: ConnectionSpec) -> None:
    """Close a connection's engine; the next use opens it anew (its file was replaced)."""
    with _lock:
        engine = _engines.pop(spec, None)
    if engine is not None:
        engine.dispose()


def forget_engines() -> None:
    """Close every engine (a file was replaced, a test ends)."""
    with _lock:
        for engine in _engines.values():
            engine.dispose()
        _engines.clear()


# When this thread last waited for a lock in vain: what the same page asks next does not wait that long again.
_waited = threading.local()
PATIENCE = 2.0  # seconds


@contextmanager
def _transaction(spec: ConnectionSpec, write: bool) -> Iterator[Connection]:
    kind = server_kind(spec.kind)
    if missing := kind.missing():
        raise Problem("This kind of server can't be reached yet.", missing, code="driver")
    engine = engine_for(spec)
    in_vain = getattr(_waited, "last", None)
    hurried = not write and in_vain is not None and in_vain[0] == spec and time.monotonic() - in_vain[1] < PATIENCE
    done, unknown = False, None
    if write:
        _end_snapshot(spec)  # a reader of a file keeps writers out, this one too
    try:
        with engine.connect() as connection, kind.hurried(connection) if hurried else nullcontext():
            kind.begin(connection, write)
            try:
                try:
                    yield connection
                except BaseException:
                    connection.rollback()
                    raise
                if write:
                    _commit(spec, connection)
                done = True
                if not write:
                    connection.rollback()
            except UnknownOutcome as told:
                unknown = told
                raise
            finally:
                if not connection.invalidated and connection.info.pop(NOT_AGAIN, False):
                    connection.invalidate()
    except (OverflowError, UnicodeError) as error:
        raise _not_sent(error) from error
    except (SQLAlchemyError, driver_error(engine)) as error:
        # A connection is talked to once more as it goes back to its pool. A server that goes away in that moment takes
        # nothing back: what was committed is committed, what was read is read, and what is not known stays so.
        if done:
            forget_engine(spec)
            return
        if unknown is not None:
            raise unknown from error
        problem = explained(spec, error)
        if problem.code == "locked" and not write:
            _waited.last = (spec, time.monotonic())
        raise problem from error


NOT_AGAIN = "not again"


def use_once(connection: Connection) -> None:
    """Whatever the statements of this transaction leave in their session, locks or settings, goes with it."""
    connection.info[NOT_AGAIN] = True


# What a server says when it has looked at a COMMIT and rolled back instead. Whatever else comes in its place, a broken
# connection, a packet that makes no sense, an error of the driver's own, leaves open which of the two was done.
ROLLED_BACK = frozenset(
    {
        "reference",
        "unique",
        "check",
        "not null",
        "trigger",
        "deadlock",
        "serialization",
        "locked",
        "read-only",
        "too big",
    }
)


def _commit(spec: ConnectionSpec, connection: Connection) -> None:
    kind = server_kind(spec.kind)
    session = kind.session_of(connection)
    try:
        connection.commit()
    except Exception as error:
        told = error if isinstance(error, (SQLAlchemyError, driver_error(connection.engine))) else None
        problem = explained(spec, told) if told else Problem("The connection broke off.", words=str(error), code="away")
        # A database in this process whose transaction is still open has not committed it, whatever it says.
        if problem.code in ROLLED_BACK or (kind.in_process and kind.in_transaction(connection)):
            kind.after_refused_commit(connection)
            if told is None:
                raise problem from error
            raise
        connection.invalidate()  # nobody knows in which state it is: it must not go back to the pool
        raise UnknownOutcome(problem, session) from error


class UnknownOutcome(Problem):
    """The connection was lost while the server committed: nobody told whether it did.

    session: the server's number of the lost connection.
    """

    def __init__(self, cause: Problem, session: Hashable) -> None:
        super().__init__(
            "The connection to the database was lost while it was saving, so it is not known whether it saved.",
            "Nothing of the draft is lost. Press Save again: Enlace looks first whether the save went through.",
            cause.words,
            "unknown",
        )
        self.session = session


def session_ended(spec: ConnectionSpec, session: Hashable) -> bool:
    """Whether the server has ended a connection that was lost on this side. Raises Problem."""
    if session is None:
        return True
    with reading(spec) as connection:
        return not server_kind(spec.kind).session_alive(connection, session)


def reading(spec: ConnectionSpec) -> AbstractContextManager[Connection]:
    """A transaction that sees one state of the database and is rolled back at the end; within `one_snapshot` its one.

    Raises Problem when the server can't be reached or refuses a statement.
    """
    held = getattr(_snapshots, "held", None)
    return _transaction(spec, write=False) if held is None else _in_snapshot(spec, held)


# By connection, the transaction that this thread reads in, and what ends it.
_snapshots = threading.local()


@contextmanager
def one_snapshot() -> Iterator[None]:
    """What this thread reads of a database in the block, it reads in one transaction: one answer tells of one state, and
    asks a server for twenty statements without twenty transactions around them. Not for what is sent while it is read.
    """
    if getattr(_snapshots, "held", None) is not None:
        yield
        return
    held: dict[ConnectionSpec, tuple[ExitStack, Connection]] = {}
    _snapshots.held = held
    try:
        yield
    finally:
        _snapshots.held = None
        for stack, _ in held.values():
            stack.close()


@contextmanager
def _in_snapshot(
    spec: ConnectionSpec, held: dict[ConnectionSpec, tuple[ExitStack, Connection]]
) -> Iterator[Connection]:
    if spec not in held:
        stack = ExitStack()
        held[spec] = (stack, stack.enter_context(_transaction(spec, write=False)))
    _, connection = held[spec]
    try:
        with server_kind(spec.kind).within(connection):
            yield connection
    except BaseException as error:
        if connection.invalidated:
            _end_snapshot(spec)  # nobody reads on in a connection that broke
        if isinstance(error, (OverflowError, UnicodeError)):
            raise _not_sent(error) from error
        if isinstance(error, (SQLAlchemyError, driver_error(engine_for(spec)))):
            raise explained(spec, error) from error
        raise


def _end_snapshot(spec: ConnectionSpec) -> None:
    held = getattr(_snapshots, "held", None)
    if held and spec in held:
        with suppress(Problem):
            held.pop(spec)[0].close()


def _not_sent(error: Exception) -> Problem:
    """The driver can't even send it: a number of more than 64 bits, half of a character."""
    return Problem("A value can't be sent to the database.", "Type another one.", str(error)[:200], "bad")


@contextmanager
def advising(spec: ConnectionSpec, seconds: float = ADVICE_SECONDS) -> Iterator[Connection]:
    """`reading` for what nothing depends on: its statements are stopped soon, as "slow". Raises Problem."""
    with reading(spec) as connection, server_kind(spec.kind).limited(connection, seconds):
        yield connection


def writing(spec: ConnectionSpec) -> AbstractContextManager[Connection]:
    """A transaction that may write: committed at the end of the block, rolled back on any exception."""
    return _transaction(spec, write=True)


def explained(spec: ConnectionSpec, error: Exception) -> Problem:
    """A server's error, as SQLAlchemy or the driver raised it, as a Problem with the server's words."""
    kind = server_kind(spec.kind)
    if isinstance(error, StatementError) and isinstance(error.orig, Problem):
        return error.orig  # a value that a statement asks for is not there
    if isinstance(error, SQLAlchemyError) and not isinstance(error, DBAPIError):
        return Problem("The statement could not be run.", words=str(error).splitlines()[0], code="other")
    refusal = kind.refusal(error.orig if isinstance(error, DBAPIError) else error)
    what, hint = kind.sentence(refusal)
    return Problem(what, hint, refusal.words, refusal.code)
