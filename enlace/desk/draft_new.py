"""New records as a draft is to keep them: one by one, or many together."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from .draft_bundles import Bundle
from .draft_rows import DraftRow

New = DraftRow | Bundle


def told_apart(new: Iterable[New]) -> tuple[list[DraftRow], list[Bundle]]:
    """Those that are kept one by one, and those that are kept together."""
    rows: list[DraftRow] = []
    bundles: list[Bundle] = []
    for one in new:
        rows.append(one) if isinstance(one, DraftRow) else bundles.append(one)
    return rows, bundles


def line_of(new: New, there: bool) -> Any:
    """What is new as a step keeps it. there: of the side where it is pending."""
    if isinstance(new, DraftRow):
        return new.part, new.record, new.owner, new.body if there else None
    return {"code": new.code, "size": new.size, "there": there}
