"""What can be asked of a record beyond its own fields: columns of the records that its lists lead to and of its master, and
totals of what belongs to it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ..expression.parse import MASTER
from ..kinds import TEXTS
from ..labels import label_of
from ..model.dataset import ColumnSpec, DatasetSpec, DetailSpec, FieldSpec
from ..words import within_sentence
from .compiled import derived

UNASKED = ("picture", "binary")
TOTALS = {"sum": "sum of", "min": "least", "max": "greatest"}
OF_TIMES = {"min": "earliest", "max": "latest"}
ADDED = {
    "whole": ("sum", "min", "max"),
    "decimal": ("sum", "min", "max"),
    "date": ("min", "max"),
    "datetime": ("min", "max"),
}


@derived
def reached(dataset: DatasetSpec) -> dict[str, FieldSpec]:
    """By the names that expressions use, such as `vessel.flag` and `sum(cargo_line.tonnes)`, what each is like."""
    several = {field.name: field for field in (*_of_lookups(dataset), *_of_master(dataset))}
    for detail in dataset.details:
        several |= {field.name: field for field in _of_detail(detail)}
    return several


def field_named(dataset: DatasetSpec, name: str) -> FieldSpec | None:
    """A field of the record, or what its names lead to; None where there is neither."""
    return dataset.any_name.get(name) or reached(dataset).get(name)


def names_in_lists(dataset: DatasetSpec) -> Iterator[str]:
    """The names of what lists show of the records that they lead to: it stands on the page anyway."""
    for name, (_, lookup) in dataset.looked_up.items():
        yield from (f"{name}.{column}" for column in lookup.shows)


def _of_lookups(dataset: DatasetSpec) -> Iterator[FieldSpec]:
    for name, (field, lookup) in dataset.looked_up.items():
        yield from (_column(name, field.label, column) for column in lookup.columns if column.kind not in UNASKED)


def _of_master(dataset: DatasetSpec) -> Iterator[FieldSpec]:
    if master := dataset.master:
        title = label_of(master.table)
        yield from (_column(MASTER, title, column) for column in master.fields if column.kind not in UNASKED)


def _column(owner: str, title: str, column: ColumnSpec) -> FieldSpec:
    name = f"{owner}.{column.name}"
    # As an expression, which knows of what type a value is whatever it is joined through; texts are looked for as texts.
    formula = "" if column.kind in TEXTS else name
    return replace(column.as_field(), name=name, label=f"{title}: {label_of(column.name)}", formula=formula)


def _of_detail(detail: DetailSpec) -> Iterator[FieldSpec]:
    title = label_of(detail.table)
    count = f"count({detail.name}.{detail.columns[0]})"
    yield FieldSpec(count, f"{title}: how many", "whole", formula=count)
    for column in detail.fields:
        for function in ADDED.get(column.kind, ()) if column.name not in detail.columns else ():
            words = TOTALS[function] if column.kind in ("whole", "decimal") else OF_TIMES[function]
            said = f"{title}: {words} {within_sentence(label_of(column.name))}"
            name, storage = f"{function}({detail.name}.{column.name})", "" if function == "sum" else column.storage
            yield FieldSpec(name, said, column.kind, storage=storage, formula=name)
