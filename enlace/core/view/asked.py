"""Which rows a person asked to see, in which order, put together how: one value, whatever shows them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..dataset.empty_order import EMPTY, base_of
from ..dataset.grouping import MOST_TERMS as MOST_LEVELS
from ..dataset.grouping import GroupTerm, ways_of
from ..dataset.source import UNSORTABLE
from ..model.dataset import DatasetSpec
from ..problem import Problem
from .conditions import Condition, as_list, from_list

MOST_TERMS = 8
Term = tuple[str, bool]  # what to order by (see `dataset.empty_order` too), and whether the greatest come first


@dataclass(frozen=True)
class Asked:
    """order: several terms, the first counts most. boxes: by field, what is typed into the box under its heading.
    conditions: all of them hold. groups: from the outermost one. Nothing is asked where they are empty.

    >>> asked = Asked((("eta", True),), (("berth", "North"),), groups=(GroupTerm("agent"),))
    >>> Asked.of(asked.kept()) == asked, asked.without_box("berth").boxes
    (True, ())
    """

    order: tuple[Term, ...] = ()
    boxes: tuple[tuple[str, str], ...] = ()
    conditions: tuple[Condition, ...] = ()
    groups: tuple[GroupTerm, ...] = ()

    @classmethod
    def of(cls, kept: Any) -> Asked:
        """The value behind what `kept` made. Raises Problem."""
        if not isinstance(kept, Mapping):
            raise _wrong("it is no mapping")
        order = [(name, down) for name, down in _pairs(kept.get("order"), bool)]
        boxes = kept.get("boxes", {})
        if not isinstance(boxes, Mapping) or not all(isinstance(text, str) for pair in boxes.items() for text in pair):
            raise _wrong("its boxes are no texts")
        groups = [GroupTerm(*term) for term in _triples(kept.get("groups"))]
        conditions = from_list(kept["conditions"]) if "conditions" in kept else ()
        return cls.made(order, boxes, conditions, groups)

    @classmethod
    def made(
        cls,
        order: Iterable[Term] = (),
        boxes: Mapping[str, str] | None = None,
        conditions: Sequence[Condition] = (),
        groups: Iterable[GroupTerm] = (),
    ) -> Asked:
        """Each field once in an order and in groups, the first time that it is named; boxes that say nothing are none."""
        terms: dict[str, Term] = {}
        for term in order:
            terms.setdefault(term[0], term)
        levels: dict[str, GroupTerm] = {}
        for level in groups:
            levels.setdefault(level.field, level)
        said = tuple((name, text) for name, text in (boxes or {}).items() if text.strip())
        return cls(tuple(terms.values())[:MOST_TERMS], said, tuple(conditions), tuple(levels.values())[:MOST_LEVELS])

    def kept(self) -> dict[str, Any]:
        """What JSON keeps of it: only what says something."""
        made = {
            "order": [list(term) for term in self.order],
            "boxes": dict(self.boxes),
            "conditions": as_list(self.conditions),
            "groups": [[term.field, term.by, term.descending] for term in self.groups],
        }
        return {name: several for name, several in made.items() if several}

    def fitting(self, dataset: DatasetSpec) -> Asked:
        """What of it the rows of a dataset can be asked by somebody who sees the fields that it shows."""
        # It may come from an address, and so name anything: an order by a hidden field would tell its values.
        shown = {field.name: field for field in dataset.shown}
        return replace(
            self,
            order=tuple(
                term
                for term in self.order
                if (base := base_of(term[0], dataset)) in shown and dataset.any_name[base].kind not in UNSORTABLE
            ),
            boxes=tuple((name, text) for name, text in self.boxes if name in shown),
            groups=tuple(t for t in self.groups if t.field in shown and t.by in ways_of(shown[t.field])),
        )

    def with_box(self, name: str, text: str) -> Asked:
        """With a text in a field's box, where it stands or behind the others."""
        return replace(self, boxes=tuple({**dict(self.boxes), name: text}.items()))

    def without_box(self, name: str) -> Asked:
        return replace(self, boxes=tuple(pair for pair in self.boxes if pair[0] != name))

    def without_order(self, name: str) -> Asked:
        """Without a field in the order, and without what it says of where the empty ones go."""
        return replace(self, order=tuple(term for term in self.order if term[0] not in (name, name + EMPTY)))


def _pairs(kept: Any, second: type) -> list[Any]:
    several = [] if kept is None else kept
    fits = isinstance(several, list) and all(
        isinstance(item, list | tuple) and len(item) == 2 and isinstance(item[0], str) and isinstance(item[1], second)
        for item in several
    )
    if not fits:
        raise _wrong("its order names no fields")
    return several


def _triples(kept: Any) -> list[Any]:
    several = [] if kept is None else kept
    fits = isinstance(several, list) and all(
        isinstance(item, list | tuple) and [type(part) for part in item] == [str, str, bool] for item in several
    )
    if not fits:
        raise _wrong("its groups name no fields")
    return several


def _wrong(why: str) -> Problem:
    return Problem(f"What is asked for can't be read: {why}.", "Ask for it anew.", code="bad")
