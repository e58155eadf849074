"""One save at a time for a draft, and one answer for a request however often it is sent.

A save is claimed in Enlace's own database before the draft is read. A second request for the draft waits until the
first one has ended, and is answered with what that came to; a request that is repeated, since its answer got lost on the
way, is known by its token and answered with what the first one did. A claim whose owner is gone is a save that was cut
off: it is looked into before anything else is done to the draft.
"""

from __future__ import annotations

import re
import secrets
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from django.db import transaction

from enlace.core.problem import Problem
from enlace.core.server.engine import UnknownOutcome

from .drafts import DraftStore
from .models import Draft, SaveClaim
from .owners import is_there, owner

SECONDS_TO_WAIT = 25.0  # for the request before this one
ANSWERS_KEPT = 20  # of a draft
TOKEN = re.compile(r"[A-Za-z0-9_-]{8,64}")
Open, Ended = SaveClaim.State.OPEN, SaveClaim.State.ENDED


@dataclass
class Claim:
    """A claim that is held. answer: what an earlier request with its token came to; "" when this is the first.
    before: the answer of the request that this one waited for, "" when it waited for none."""

    row: SaveClaim
    answer: str = ""
    before: str = ""

    def sending(self, records: str = "") -> None:
        """From here on the database may have what is sent, whatever becomes of this process. records: as texts."""
        SaveClaim.objects.filter(pk=self.row.pk).update(sent=True, records=records)

    def end(self, answer: str) -> None:
        """Keep what came of it; in the transaction that settles the draft, where there is one."""
        SaveClaim.objects.filter(pk=self.row.pk).update(state=Ended, answer=answer, records="")
        self.row.state = Ended


@contextmanager
def claimed(
    store: DraftStore, token: str, look_into: Callable[[SaveClaim], None], action: bool = False
) -> Iterator[Claim]:
    """Hold the claim of a draft for the length of the block.

    look_into: settles a claim that was cut off. A Problem that leaves the block means that nothing was written: the
    claim is given back, and the same token may try again. Any other exception leaves the claim without an owner, to be
    looked into. Raises Problem (busy) when the request before this one does not end in time.
    """
    with owner() as name:
        claim = _taken(store, token if TOKEN.fullmatch(token) else secrets.token_hex(16), name, look_into, action)
        try:
            yield claim
        except UnknownOutcome:
            raise
        except Problem:
            if claim.row.state == Open:
                claim.row.delete()
            raise


def _taken(store: DraftStore, token: str, name: str, look_into: Callable[[SaveClaim], None], action: bool) -> Claim:
    limit = time.monotonic() + SECONDS_TO_WAIT
    before = None
    while True:
        with transaction.atomic():
            draft = store.existing()
            earlier = draft.claims.filter(token=token).first()
            if earlier is not None and earlier.state == Ended:
                return Claim(earlier, answer=earlier.answer)
            there = draft.claims.filter(state=Open).first()
            if there is None:
                _tidy(draft)
                row = SaveClaim.objects.create(draft=draft, token=token, owner=name, action=action)
                return Claim(row, before=_answer_of(before))
        before = there
        if not is_there(there.owner):
            look_into(there)
        elif time.monotonic() > limit:
            hint = "Wait until that has ended; what came of it stands there."
            raise Problem("This draft is being saved by another request.", hint, code="busy")
        else:
            time.sleep(0.1)


def _answer_of(before: SaveClaim | None) -> str:
    """What the request came to that was waited for; "" when it was given back, or was about something else."""
    if before is None or before.action:
        return ""
    now = SaveClaim.objects.filter(pk=before.pk, state=Ended).first()
    return now.answer if now else ""


def _tidy(draft: Draft) -> None:
    old = draft.claims.filter(state=Ended).order_by("-pk").values_list("pk", flat=True)[ANSWERS_KEPT:]
    draft.claims.filter(pk__in=list(old)).delete()


def cut_off(draft: Draft) -> SaveClaim | None:
    """The claim of a save that was begun and whose owner is gone."""
    there = draft.claims.filter(state=Open).first()
    return there if there is not None and not is_there(there.owner) else None


def under_way(draft: Draft) -> bool:
    """Whether a save of the draft is under way now."""
    there = draft.claims.filter(state=Open).first()
    return there is not None and is_there(there.owner)


@contextmanager
def taken_over(row: SaveClaim) -> Iterator[Claim | None]:
    """Hold a claim whose owner is gone, to look into it; None when somebody else does."""
    with owner() as name:
        mine = SaveClaim.objects.filter(pk=row.pk, owner=row.owner, state=Open).update(owner=name)
        row.owner = name
        yield Claim(row) if mine else None
