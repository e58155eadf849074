"""What a server says when it refuses a statement, taken apart so that a sentence can be put beside a field."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Refusal:
    """A server's refusal.

    `code` is one of "not null", "unique", "check", "reference", "type", "long", "range", "trigger", "locked",
    "deadlock", "serialization", "read-only", "denied", "missing", "away", "sign-in", "no database", "tls", "table gone",
    "slow", "other". `columns` are the columns the server named, `constraint` the constraint's
    name or text, `words` the server's own message.
    """

    code: str
    words: str
    columns: tuple[str, ...] = ()
    constraint: str = ""
