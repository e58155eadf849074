"""The name that somebody may have meant."""

from __future__ import annotations

import difflib
from collections.abc import Iterable


def closest(name: str, names: Iterable[str]) -> str | None:
    """The name most like `name`, capitals apart first; None when none is near."""
    by_lower = {candidate.lower(): candidate for candidate in names}
    near = difflib.get_close_matches(name.lower(), list(by_lower), 1, 0.6)
    return by_lower[near[0]] if near else None
