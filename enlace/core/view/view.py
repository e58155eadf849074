"""All that a person asked to see of some records, as one value: which rows, in which order and groups, arranged how."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

from ..problem import Problem
from .arranged import Arranged
from .asked import Asked

VERSION = 1


@dataclass(frozen=True)
class View:
    """Of no grid in particular: it can be asked for wherever the fields are.

    >>> View.of(View(Asked((("eta", True),)), Arranged(lines=3)).to_json()).arranged.lines
    3
    """

    asked: Asked = field(default_factory=Asked)
    arranged: Arranged = field(default_factory=Arranged)

    def kept(self) -> dict[str, Any]:
        """What JSON keeps of it."""
        return {"version": VERSION, **self.asked.kept(), **self.arranged.kept()}

    def to_json(self) -> str:
        """The view as text; `of` gives an equal one again."""
        return json.dumps(self.kept(), ensure_ascii=False, separators=(",", ":"))

    @classmethod
    def of(cls, text: str) -> View:
        """The view behind what `to_json` made. Raises Problem."""
        try:
            kept = json.loads(text)
        except (ValueError, RecursionError):
            kept = None
        if not isinstance(kept, dict) or not isinstance(kept.get("version"), int) or kept["version"] > VERSION:
            raise Problem("This is no view, or one of a newer Enlace.", "Ask for what it showed anew.", code="bad")
        try:
            return cls(Asked.of(kept), Arranged.of(kept))
        except (TypeError, ValueError) as error:
            raise Problem("The view can't be read.", "Ask for what it showed anew.", str(error), "bad") from None
