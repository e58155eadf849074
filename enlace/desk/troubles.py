"""Parts of a form that can't be read: each is told, and the others are shown.

A link of unlike kinds, a view that divides by zero or a table that is gone is a fault of one detail. What keeps everybody
from reading anything, such as a server that is away, is told of the whole form instead.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from enlace.core.problem import Problem

OF_ONE = frozenset({"other", "type", "range", "denied", "slow", "bad", "unreadable", "too big"})
GONE = "table gone"  # or a column: what is left of the fields is looked at first


@dataclass
class Troubles:
    """What can't be shown of a form in one answer. forgiving: a table that is gone is one of them."""

    forgiving: bool = False
    told: list[str] = field(default_factory=list)

    def tell(self, title: str, problem: Problem) -> None:
        """Tell that the records of a title can't be shown. Raises the problem itself where it is one of the whole form."""
        if problem.code not in OF_ONE and not (self.forgiving and problem.code == GONE):
            raise problem
        words = f" The server's words: {problem.words}" if problem.words else ""
        self.told.append(f"{title} can't be shown here. {problem}{words}")
