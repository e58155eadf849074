"""What a grid shows, said as a sentence: each part of it can be changed, switched off or dropped."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from enlace.core.dataset.empty_order import EMPTY
from enlace.core.dataset.filters import WHEN
from enlace.core.dataset.grouping import ways_of
from enlace.core.view import Condition, Test, to_text, words_of
from enlace.core.view.conditions import TESTS

from .addresses import CONDITIONS, Terms, view_text
from .work import Work


@dataclass(frozen=True)
class Said:
    """One part. drop: what to ask for without it. turn: with it switched off, or on again; of an order, the other way
    round. box: the number of the box that it was typed in, 0 where it was built from parts. term: of an order and of groups,
    the field.
    """

    words: str
    drop: str
    turn: str
    off: bool = False
    box: int = 0
    term: str = ""


def passing(work: Work, ask: bool = False) -> str:
    """How many of all records on the server pass the filters; "" where none is asked for, or where it is not known yet.
    ask: have them counted then."""
    own = tuple(item for item in work.rows.filters if item == WHEN)
    if own == work.rows.filters:
        return ""
    several = (work.rows, replace(work.rows, filters=own))
    counts = [rows.count() if ask else rows.known_count() for rows in several]
    return "" if None in counts else " of ".join(map(work.formats.number(), counts))


def sentence_context(work: Work) -> dict[str, Any]:
    """What the sentence above a grid says, and what its parts are built from."""
    return {
        "passing": passing(work),
        "filters_said": [*_boxes(work), *_built(work)],
        "orders_said": _orders(work),
        "groups_said": _groups(work),
        "condition_faults": work.condition_faults,
        "asking": {
            "tree": to_text(work.conditions) or "[]",
            "fields": [
                {"name": field.name, "label": field.label, "kind": "list" if field.lookup else field.kind}
                for field in work.dataset.shown
                if field.kind not in ("picture", "binary")
            ],
            "rest": view_text(work.order, {k: v for k, v in work.filter_texts.items() if k != CONDITIONS}, work.groups),
            "tests": {name: list(counts) for name, counts in TESTS.items()},
        },
    }


def asked_with(work: Work, conditions: tuple[Condition, ...], texts: dict[str, str] | None = None) -> str:
    """What to ask for with other conditions built from parts, and other texts in the boxes."""
    said = {k: v for k, v in (work.filter_texts if texts is None else texts).items() if k != CONDITIONS}
    if conditions:
        said[CONDITIONS] = to_text(conditions)
    return view_text(work.order, said, work.groups)


def _boxes(work: Work) -> list[Said]:
    parts = []
    for name, text in work.filter_texts.items():
        if name == CONDITIONS:
            continue
        field = work.dataset.any_name[name]
        rest = {other: said for other, said in work.filter_texts.items() if other != name}
        kept = (*work.conditions, Test(name, "says", (text,), off=True))
        said = f"{field.label} {text.removeprefix('==') if text.startswith('==') else text}"
        number = work.dataset.numbers[name]
        parts.append(Said(said, asked_with(work, work.conditions, rest), asked_with(work, kept, rest), box=number))
    return parts


def _built(work: Work) -> list[Said]:
    parts = []
    for i, condition in enumerate(work.conditions):
        rest = work.conditions[:i] + work.conditions[i + 1 :]
        turned = (*work.conditions[:i], replace(condition, off=not condition.off), *work.conditions[i + 1 :])
        words = words_of(condition, work.dataset)
        parts.append(Said(words, asked_with(work, rest), asked_with(work, turned), condition.off))
    return parts


def _orders(work: Work) -> list[Said]:
    parts = []
    for i, (name, down) in enumerate(work.order):
        field = work.dataset.any_name.get(name)
        if field is None:
            continue  # where the empty ones of a field go: told with that
        placed = next((first for other, first in work.order if other == name + EMPTY), None)
        rest: Terms = [term for term in work.order if term[0] not in (name, name + EMPTY)]
        turned: Terms = [*work.order[:i], (name, not down), *work.order[i + 1 :]]
        words = f"{field.label}{_way(field.kind) if down else ''}"
        if placed is not None:
            words += ", empty first" if placed else ", empty last"
        texts = work.filter_texts
        parts.append(Said(words, view_text(rest, texts, work.groups), view_text(turned, texts, work.groups), term=name))
    return parts


def _groups(work: Work) -> list[Said]:
    parts = []
    for i, term in enumerate(work.groups):
        field = work.dataset.any_name[term.field]
        rest = (*work.groups[:i], *work.groups[i + 1 :])
        turned = (*work.groups[:i], replace(term, descending=not term.descending), *work.groups[i + 1 :])
        way = ways_of(field)[term.by]
        words = f"{field.label}{f' ({way})' if way else ''}{_way(field.kind) if term.descending else ''}"
        drop, turn = (view_text(work.order, work.filter_texts, groups) for groups in (rest, turned))
        parts.append(Said(words, drop, turn, term=term.field))
    return parts


def _way(kind: str) -> str:
    return (
        ", latest first"
        if kind in ("date", "datetime", "time")
        else ", greatest first"
        if kind in ("whole", "decimal")
        else ", from the end"
    )
