"""The one way in which the core says that something is wrong."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(eq=False)
class Problem(Exception):
    """Something that went wrong, in sentences for the person in front of it.

    `what` says what happened; `hint` says what to do next; `words` are the server's own words, where it
    said any; `code` names the case for programs ("locked", "missing", "unique" ...).
    """

    what: str
    hint: str = ""
    words: str = ""
    code: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (self.what, self.hint) if part)
