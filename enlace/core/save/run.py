"""Run a save: one transaction, tried again where the whole of it can be, and looked into where nobody told its outcome."""

from __future__ import annotations

import random
import time
from collections.abc import Sequence

from .. import hooks
from ..draft.pending import PendingRecord
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec
from ..problem import Problem
from ..rules.record import RecordRules
from ..server.engine import UnknownOutcome, reading, session_ended, writing
from . import receipts
from .attempt import Attempt, NeedsCare
from .outcome import SaveOutcome, SavePolicy
from .plan import Part
from .receipts import Receipt

# How often a save is tried in all, by what ended the try before. Waiting for a lock has taken seconds by then.
TRIES = {"deadlock": 6, "serialization": 6, "locked": 2, "away": 2}
MOST_LOST = 3  # tries whose COMMIT nobody answered; then the person is told
SECONDS_TO_FIND_OUT = 12.0
AS_A_WHOLE = ("reference", "unique", "check", "not null", "trigger")
WHOLE = SavePolicy()
Outcomes = dict[str, SaveOutcome]


class _GiveUp(Exception):
    """Ends the transaction without a commit."""


def save(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    records: Sequence[PendingRecord],
    rules: RecordRules | None = None,
    in_doubt: bool = False,
    policy: SavePolicy = WHOLE,
) -> SaveOutcome:
    """Save the pending records of one dataset; `save_parts` says how."""
    return save_parts(spec, [Part(dataset, records, rules)], policy, in_doubt)[""]


def rehearse(
    spec: ConnectionSpec, dataset: DatasetSpec, records: Sequence[PendingRecord], rules: RecordRules | None = None
) -> SaveOutcome:
    """Rehearse the save of one dataset; `rehearse_parts` says how."""
    return rehearse_parts(spec, [Part(dataset, records, rules)])[""]


def save_parts(
    spec: ConnectionSpec,
    parts: Sequence[Part],
    policy: SavePolicy = WHOLE,
    in_doubt: bool = False,
    receipt: Receipt | None = None,
    last: Receipt | None = None,
) -> Outcomes:
    """Save the pending records of some datasets in one transaction; the outcomes by the names of the parts.

    in_doubt: an earlier save of these records was begun and its outcome never known; `last` is the receipt that it
    would have left. Without a receipt, records that already are as wanted count as saved then. Otherwise they don't:
    somebody else wrote the same value, and may have meant it as another change. receipt: what this save leaves.

    Raises Problem when the server can't be reached, is locked, or a dataset can't be edited; nothing was written
    then. Raises UnknownOutcome when that can't be known yet: the next save of the records is in doubt.
    """
    hooks.tell(hooks.BEFORE_SAVE, parts=parts)
    outcomes = _saved(spec, parts, policy, in_doubt, receipt, last)
    if any(outcome.committed for outcome in outcomes.values()):
        hooks.tell(hooks.AFTER_SAVE, parts=parts, outcomes=outcomes)
    if any(outcome.refusals or outcome.conflicts for outcome in outcomes.values()):
        hooks.tell(hooks.REFUSED, parts=parts, outcomes=outcomes)
    return outcomes


def _saved(
    spec: ConnectionSpec,
    parts: Sequence[Part],
    policy: SavePolicy,
    in_doubt: bool,
    receipt: Receipt | None,
    last: Receipt | None,
) -> Outcomes:
    """What `save_parts` does between the events that it tells."""
    tries, optimistic = 0, not in_doubt
    doubt: UnknownOutcome | None = None  # a COMMIT of this call whose outcome nobody has looked for yet
    while True:
        tries += 1
        attempt = None
        try:
            if in_doubt and spec.receipts and last is not None:
                known = _from_receipt(spec, parts, last)
                if known is not None:
                    return known
                in_doubt, doubt = False, None
            attempt = _prepared(spec, parts, policy, in_doubt, optimistic and not in_doubt)
            return _commit(spec, attempt, receipt if spec.receipts else None)
        except NeedsCare:
            tries, optimistic = tries - 1, False
        except UnknownOutcome as unknown:
            if tries >= MOST_LOST:
                raise
            _wait_for_the_end(spec, unknown)
            in_doubt, last, doubt = True, receipt, unknown
        except Problem as problem:
            if tries >= TRIES.get(problem.code, 1) or (attempt is None and doubt is None):
                if doubt is not None and attempt is not None and attempt.done:
                    return _found_saved(attempt)
                if doubt is None or (attempt is not None and attempt.looked):
                    raise
                # Whatever keeps the look from being taken, what the COMMIT did stays open until it is.
                raise doubt from problem
            time.sleep(random.uniform(0.02, 0.1) * 2 ** min(tries, 4))


def _found_saved(attempt: Attempt) -> Outcomes:
    """What the look at an earlier COMMIT found saved, where nothing more could be done after it."""
    attempt.keep_only_done()
    for part in attempt.parts:
        outcome = attempt.outcomes[part.name]
        lacking = (r.id for r in part.records if r.id not in outcome.ids)
        outcome.not_tried = dict.fromkeys(lacking, "The connection was lost before the save came to this record.")
    return attempt.outcomes


def find_saved(
    spec: ConnectionSpec,
    parts: Sequence[Part],
    policy: SavePolicy = WHOLE,
    last: Receipt | None = None,
) -> Outcomes:
    """What of some records an earlier save of unknown outcome has saved; nothing is written.

    last: the receipt that it would have left. Raises Problem while the server is away.
    """
    if spec.receipts and last is not None:
        known = _from_receipt(spec, parts, last)
        return known if known is not None else {part.name: SaveOutcome() for part in parts}
    attempt = _prepared(spec, parts, policy, in_doubt=True)
    try:
        with writing(spec) as connection:
            attempt.look_for_done(connection)
            raise _GiveUp
    except _GiveUp:
        for outcome in attempt.outcomes.values():
            outcome.committed = bool(outcome.ids)
        return attempt.outcomes


def rehearse_parts(spec: ConnectionSpec, parts: Sequence[Part], policy: SavePolicy = WHOLE) -> Outcomes:
    """Do all that `save_parts` does, and roll it back: what would be saved, refused or in conflict, and the rows as
    they would stand, with what the server generates.

    What it can't show: numbers that the server gave out are not given again. Raises Problem like `save_parts`.
    """
    # Who would refuse the save refuses its rehearsal: a rehearsal that promises more than the save keeps is none.
    hooks.tell(hooks.BEFORE_SAVE, parts=parts)
    return _rehearsed(spec, parts, policy)


def _rehearsed(spec: ConnectionSpec, parts: Sequence[Part], policy: SavePolicy) -> Outcomes:
    attempt = _prepared(spec, parts, policy, in_doubt=False)
    try:
        with writing(spec) as connection:
            deferred = attempt.deferred()
            before = attempt.kind.loose_references(connection, deferred)
            attempt.write(connection)
            attempt.kind.check_deferred(connection)
            attempt.read_back(connection, everything=True)
            if loose := attempt.kind.loose_references(connection, deferred) - before:
                attempt.refuse_loose(connection, loose)
            raise _GiveUp
    except _GiveUp:
        return attempt.outcomes
    except Problem as problem:
        _refused_as_a_whole(attempt, problem)
        return attempt.outcomes


def _prepared(
    spec: ConnectionSpec, parts: Sequence[Part], policy: SavePolicy, in_doubt: bool, optimistic: bool = False
) -> Attempt:
    for part in parts:
        if not part.dataset.editable:
            raise Problem("Nothing was saved.", part.dataset.read_only_because, code="read-only")
    return Attempt(spec, parts, policy, in_doubt, optimistic)


def _commit(spec: ConnectionSpec, attempt: Attempt, receipt: Receipt | None) -> Outcomes:
    try:
        with writing(spec) as connection:
            if receipt:
                receipts.sign(connection, spec, receipt)
            attempt.write(connection)
            if attempt.failed and (attempt.policy.whole or not attempt.saved):
                raise _GiveUp
            attempt.kind.check_deferred(connection)
            attempt.read_back(connection, everything=False)
            if receipt:
                receipts.seal(
                    connection, spec, receipt, {name: outcome.ids for name, outcome in attempt.outcomes.items()}
                )
    except _GiveUp:
        attempt.keep_only_done()
        return attempt.outcomes
    except UnknownOutcome:
        raise
    except Problem as problem:
        _refused_as_a_whole(attempt, problem)
        return _told_apart(spec, attempt)
    for outcome in attempt.outcomes.values():
        outcome.committed = True
    return attempt.outcomes


def _refused_as_a_whole(attempt: Attempt, problem: Problem) -> None:
    """The server refused at COMMIT (a deferred constraint); any other problem is raised on."""
    if problem.code not in AS_A_WHOLE:
        raise problem
    attempt.refuse_all(f"The database refused the save as a whole: {problem.words}.")


def _told_apart(spec: ConnectionSpec, attempt: Attempt) -> Outcomes:
    """The server refused at COMMIT and named no record: a rehearsal of the same tells which it was, where it can."""
    if not attempt.deferred():
        return attempt.outcomes
    again = _rehearsed(spec, attempt.parts, attempt.policy)
    if not any(outcome.failed for outcome in again.values()):
        return attempt.outcomes
    for outcome in again.values():
        outcome.ids.clear()
        outcome.rows.clear()
    return again


def _from_receipt(spec: ConnectionSpec, parts: Sequence[Part], last: Receipt) -> Outcomes | None:
    with reading(spec) as connection:
        ids = receipts.found(connection, spec, last)
    if ids is None:
        return None
    outcomes = {}
    for part in parts:
        given = ids.get(part.name, {})
        missing = {r.id: "The earlier save did not hold this record." for r in part.records if r.id not in given}
        outcomes[part.name] = SaveOutcome(True, dict(given), not_tried=missing)
    return outcomes


def _wait_for_the_end(spec: ConnectionSpec, unknown: UnknownOutcome) -> None:
    """Return once the server has ended the lost connection, so that what it did can be seen. Raises UnknownOutcome."""
    limit = time.monotonic() + SECONDS_TO_FIND_OUT
    while time.monotonic() < limit:
        try:
            if session_ended(spec, unknown.session):
                return
        except Problem:
            pass  # The server is still away.
        time.sleep(0.3)
    raise unknown
