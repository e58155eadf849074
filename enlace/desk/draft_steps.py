"""The steps of a draft that undo goes back over."""

from __future__ import annotations

from django.db.models import Sum

from .draft_bundles import drop
from .models import Draft

MOST_STEPS = 1_000
MOST_STEP_BYTES = 32 * 1024 * 1024  # of all steps of a draft together; the oldest go first


def tidy_steps(draft: Draft, number: int) -> None:
    """Undo reaches back MOST_STEPS steps, and no further than MOST_STEP_BYTES of them; the newest one always stays."""
    _forget(draft, number - MOST_STEPS + 1)
    if draft.steps.aggregate(size=Sum("size"))["size"] <= MOST_STEP_BYTES:
        return
    left, oldest = MOST_STEP_BYTES, number
    for at, size in draft.steps.order_by("-number").values_list("number", "size"):
        left -= size
        if left < 0 and at != number:
            break
        oldest = at
    _forget(draft, oldest)


def _forget(draft: Draft, oldest: int) -> None:
    """Undo reaches back to a step and no further."""
    draft.steps.filter(number__lt=oldest).delete()
    drop(draft, step__lt=oldest)
