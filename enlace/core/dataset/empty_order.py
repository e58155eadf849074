"""Orders in which the rows that have no value in a field come first, or last, whatever a server does by itself.

A term of an order may ask for that: `eta:empty` in front of `eta` puts the rows without a value last, the same term
descending puts them first. Where the server puts them there anyway the term asks for nothing, so that an index goes on serving.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ..kinds import TEXTS
from ..model.dataset import DatasetSpec, FieldSpec
from ..server.dialects import server_kind
from .compiled import derived
from .order import OrderPart
from .source import UNSORTABLE
from .window import Rows

EMPTY = ":empty"  # behind a field's name in an order
MARK = "\2"  # in front of the name of a field that only orders and groups have
Terms = Sequence[tuple[str, bool]]


def base_of(name: str, dataset: DatasetSpec) -> str:
    """The field that a term of an order speaks of; "" for one that asks for nothing."""
    if name in dataset.any_name:
        return name
    base = name.removesuffix(EMPTY)
    field = dataset.any_name.get(base) if base != name else None
    return base if field is not None and can_be_empty(field) else ""


def can_be_empty(field: FieldSpec) -> bool:
    """Whether a field may have no value, and rows can be put in order by it."""
    return field.kind not in UNSORTABLE and (field.nullable or bool(field.formula))


def without_empties(terms: Terms, dataset: DatasetSpec) -> list[tuple[str, bool]]:
    """The terms that are fields."""
    return [term for term in terms if term[0] in dataset.any_name]


def with_empties(rows: Rows, terms: Terms) -> Rows:
    """The rows with the empty ones of some fields where terms want them. rows: in the order of the terms that are fields."""
    asked = {base_of(name, rows.dataset): first for name, first in terms if name not in rows.dataset.any_name}
    ways = dict(without_empties(terms, rows.dataset))
    wanted = {
        name: first for name, first in asked.items() if name in ways and not _so_anyway(rows, name, first, ways[name])
    }
    if not wanted:
        return rows
    names = [name for name in ways if name in wanted]
    made = tuple(_made(rows.dataset.any_name[name]) for name in names)
    dataset = with_made(rows.dataset, made)
    order: list[OrderPart] = []
    # Of the wanted terms each has one part, in their order, and behind them comes what makes the order total.
    for name, part in zip(ways, rows.order, strict=False):
        if name in wanted:
            order.append(OrderPart(f"{MARK}{name}{EMPTY}", wanted[name], nullable=False))
        order.append(part)
    return replace(rows, dataset=dataset, order=(*order, *rows.order[len(ways) :]))


def _so_anyway(rows: Rows, name: str, first: bool, descending: bool) -> bool:
    """Whether the server puts the empty ones there by itself. An empty text is a value to it and none to people."""
    if rows.dataset.any_name[name].kind in TEXTS:
        return False
    return (server_kind(rows.spec.kind).nulls_first != descending) == first


def _made(field: FieldSpec) -> FieldSpec:
    quoted = '"' + field.name.replace('"', '""') + '"'
    empty = f"{quoted} IS NULL" + (f" OR {quoted} = ''" if field.kind in TEXTS else "")
    formula = f"CASE WHEN {empty} THEN 1 ELSE 0 END"
    return FieldSpec(f"{MARK}{field.name}{EMPTY}", field.label, "whole", formula=formula, hidden=True, read_only=True)


def with_made(dataset: DatasetSpec, made: tuple[FieldSpec, ...]) -> DatasetSpec:
    """A dataset with calculated fields that only an order or groups have."""
    several = _with_fields(dataset, made)
    # Put back on: the definition with its fields is kept for all requests, what a request asks for is not.
    return several.with_parameters(dataset.parameter_values) if dataset.parameter_values else several


@derived
def _with_fields(dataset: DatasetSpec, made: tuple[FieldSpec, ...]) -> DatasetSpec:
    """The definition with them, kept with it; values of a request are none of it."""
    return replace(dataset, extra=(*dataset.extra, *made), parameter_values=())
