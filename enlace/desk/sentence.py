"""What a grid shows, said as a sentence: each part of it can be changed, switched off or dropped."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, TypeVar

from django.utils.html import json_script
from django.utils.safestring import SafeString

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.empty_order import EMPTY
from enlace.core.dataset.filters import WHEN
from enlace.core.dataset.grouping import ways_of
from enlace.core.view import Test, to_text, words_of
from enlace.core.view.conditions import TESTS

from .addresses import view_text
from .work import Work

Part = TypeVar("Part")


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
            "tree": to_text(work.asked.conditions) or "[]",
            "fields": _fields(work.dataset),
            "rest": view_text(replace(work.asked, conditions=())),
            "tests": _TESTS,
        },
    }


# What conditions are built from, as the page's scripts read it.
_TESTS = json_script({name: list(counts) for name, counts in TESTS.items()})
NOTHING_ASKED = {"fields": json_script([]), "tests": json_script({})}


@derived
def _fields(dataset: DatasetSpec) -> SafeString:
    shown = (field for field in dataset.shown if field.kind not in ("picture", "binary"))
    return json_script([{"name": f.name, "label": f.label, "kind": "list" if f.lookup else f.kind} for f in shown])


def _boxes(work: Work) -> list[Said]:
    parts = []
    for name, text in work.asked.boxes:
        field = work.dataset.any_name[name]
        rest = work.asked.without_box(name)
        turned = replace(rest, conditions=(*rest.conditions, Test(name, "says", (text,), off=True)))
        said = f"{field.label} {text.removeprefix('==') if text.startswith('==') else text}"
        number = work.dataset.numbers[name]
        parts.append(Said(said, view_text(rest), view_text(turned), box=number))
    return parts


def _built(work: Work) -> list[Said]:
    parts = []
    for i, condition in enumerate(work.asked.conditions):
        rest, turned = _beside(work.asked.conditions, i, replace(condition, off=not condition.off))
        drop, turn = (view_text(replace(work.asked, conditions=several)) for several in (rest, turned))
        parts.append(Said(words_of(condition, work.dataset), drop, turn, condition.off))
    return parts


def _orders(work: Work) -> list[Said]:
    parts = []
    for i, (name, down) in enumerate(work.asked.order):
        field = work.dataset.any_name.get(name)
        if field is None:
            continue  # where the empty ones of a field go: told with that
        placed = next((first for other, first in work.asked.order if other == name + EMPTY), None)
        _, turned = _beside(work.asked.order, i, (name, not down))
        words = f"{field.label}{_way(field) if down else ''}"
        if placed is not None:
            words += ", empty first" if placed else ", empty last"
        drop, turn = view_text(work.asked.without_order(name)), view_text(replace(work.asked, order=turned))
        parts.append(Said(words, drop, turn, term=name))
    return parts


def _groups(work: Work) -> list[Said]:
    parts = []
    for i, term in enumerate(work.asked.groups):
        field = work.dataset.any_name[term.field]
        rest, turned = _beside(work.asked.groups, i, replace(term, descending=not term.descending))
        way = ways_of(field)[term.by]
        words = f"{field.label}{f' ({way})' if way else ''}{_way(field) if term.descending else ''}"
        drop, turn = (view_text(replace(work.asked, groups=groups)) for groups in (rest, turned))
        parts.append(Said(words, drop, turn, term=term.field))
    return parts


def _beside(several: tuple[Part, ...], i: int, other: Part) -> tuple[tuple[Part, ...], tuple[Part, ...]]:
    """The parts without one of them, and with another one in its place."""
    return (*several[:i], *several[i + 1 :]), (*several[:i], other, *several[i + 1 :])


def _way(field: FieldSpec) -> str:
    """How a field is ordered the other way round; of one with a list what it shows is."""
    if field.lookup is None and field.kind in ("date", "datetime", "time"):
        return ", latest first"
    if field.lookup is None and field.kind in ("whole", "decimal"):
        return ", greatest first"
    return ", yes first" if field.kind == "yesno" else ", from Z to A"
