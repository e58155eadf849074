"""What a person may ask of records beyond their own fields: builders all of it, operators what the form shows anyway."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from enlace.core.dataset import DatasetSpec
from enlace.core.dataset.reached import names_in_lists, reached
from enlace.core.expression.parse import MASTER

from .parts import FormPart


def names_beyond(part: FormPart, parts: Mapping[str, FormPart], builder: bool) -> Collection[str]:
    """The names beyond a part's own fields that may be asked for."""
    known = reached(part.dataset)
    return known.keys() if builder else [name for name in _on_the_form(part, parts) if name in known]


def _on_the_form(part: FormPart, parts: Mapping[str, FormPart]) -> Iterator[str]:
    yield from names_in_lists(part.dataset)
    if part.name and part.of in parts:
        yield from (f"{MASTER}.{field.name}" for field in parts[part.of].dataset.shown)
    for other in parts.values():
        if other.of == part.name and other.name:
            yield from _of_detail(part.dataset, other)


def _of_detail(dataset: DatasetSpec, other: FormPart) -> Iterator[str]:
    """The totals of a detail that stands on the form: of what it shows, where it shows all rows of its table."""
    for detail in dataset.details if not other.dataset.row_condition else ():
        if (detail.table, detail.columns) == (other.dataset.table, other.columns):
            yield f"count({detail.name}.{detail.columns[0]})"
            for field in other.dataset.shown:
                yield from (f"{function}({detail.name}.{field.name})" for function in ("sum", "min", "max"))
