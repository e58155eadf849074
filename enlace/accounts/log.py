"""What is kept of who did what: sign-ins, refusals, changes of definitions and of rights. Never a value, never a secret."""

from __future__ import annotations

import json
import logging
from typing import Any

_log = logging.getLogger("enlace.security")


def note(what: str, person: Any = None, **more: Any) -> None:
    """Write one line: what happened, who it was, and numbers or names of what it was about."""
    who = getattr(person, "username", "") if person is not None else ""
    _log.info(json.dumps({"what": what, "who": who, **more}, default=str, ensure_ascii=True))
