"""Details of a form: a second dataset, linked to the form's own by a reference that the schema has."""

from __future__ import annotations

from django.db import transaction

from enlace.core.dataset.defaults import label_of, make_dataset
from enlace.core.dataset.query import parameters_of
from enlace.core.problem import Problem
from enlace.core.server import Catalog, Reference

from .models import Dataset, Detail, Form

PARAMETER = ":"  # in front of a column of a detail: a parameter of its query


def reference_name(reference: Reference) -> str:
    """What tells a reference apart on a page."""
    return f"{reference.table}: {', '.join(reference.columns)}"


def possible_details(form: Form) -> list[Reference]:
    """The references to the form's table that no detail uses yet; none while the server is away."""
    try:
        catalog = Catalog.of(form.dataset.connection.to_spec())
        found = catalog.table(form.dataset.table).referenced_by
    except Problem:
        return []
    used = {(d.dataset.table, tuple(d.columns)) for d in form.details.select_related("dataset")}
    return [r for r in found if (r.table, r.columns) not in used and r.table != form.dataset.table]


def possible_choices(form: Form) -> list[tuple[str, str]]:
    """(value, words) of what can become a detail: each reference with the datasets of its table that are already shaped,
    and with one of its own."""
    found = []
    for reference in possible_details(form):
        name = reference_name(reference)
        found += [(f"{name}/{one.pk}", f"{name} · dataset {one.name}") for one in shaped(form, reference)]
        found.append((name, f"{name} · new dataset"))
    return found


def shaped(form: Form, reference: Reference) -> list[Dataset]:
    """The datasets of a table that refers to the form's, which the form does not use yet."""
    mine = {form.dataset_id, *form.details.values_list("dataset", flat=True)}
    several = form.dataset.connection.datasets.filter(query="", table=reference.table).exclude(pk__in=mine)
    return [
        one
        for one in several.prefetch_related("fields")
        if {field.name for field in one.fields.all() if not field.gone}.issuperset(reference.columns)
    ]


def chosen(form: Form, value: str) -> tuple[Reference, Dataset | None]:
    """What one of the choices stands for. Raises Problem."""
    offered = any(value == one for one, _ in possible_choices(form))
    name, _, pk = value.rpartition("/") if "/" in value and value.rpartition("/")[2].isdecimal() else (value, "", "")
    reference = next((r for r in possible_details(form) if offered and reference_name(r) == name), None)
    if reference is None:
        raise Problem("No such table refers to this one.", "Choose one from the page's list.", code="missing")
    return reference, form.dataset.connection.datasets.get(pk=pk) if pk else None


def possible_queries(form: Form) -> list[Dataset]:
    """The queries of the form's connection that ask for values and are no detail of it yet."""
    kind = form.dataset.connection.kind
    used = set(form.details.values_list("dataset", flat=True))
    several = Dataset.objects.filter(connection=form.dataset.connection).exclude(query="")
    return [one for one in several if one.pk not in used and parameters_of(one.query, kind)]


def add_query(form: Form, dataset: Dataset) -> Detail:
    """A query as a detail: each of its parameters takes its value from the master's field of that name.

    `vessel_id` also stands for the key `id` of a master in the table vessel. Raises Problem.
    """
    master = form.dataset.to_spec()
    names = {field.name for field in master.fields}
    names |= {f"{master.table}_{key}" for key in master.key if len(master.key) == 1}
    asked = parameters_of(dataset.query, form.dataset.connection.kind)
    lacking = [name for name in asked if name not in names]
    if lacking:
        hint = "Name the query's parameters after fields of this form."
        raise Problem(f"The query asks for {', '.join(lacking)}, which this form does not have.", hint, code="bad")
    sources = [name if name in master.by_name else name.removeprefix(f"{master.table}_") for name in asked]
    columns = [PARAMETER + name for name in asked]
    place = form.details.count()
    return form.details.create(
        place=place, dataset=dataset, title=dataset.name, columns=columns, master_columns=sources
    )


@transaction.atomic
def add_detail(form: Form, reference: Reference, dataset: Dataset | None = None) -> Detail:
    """A detail with a dataset, made for it where none is given. Raises Problem."""
    connection, title = form.dataset.connection, label_of(reference.table)
    if dataset is None:
        dataset = Dataset.make(
            connection, make_dataset(connection.to_spec(), reference.table), f"{form.title}: {title}"
        )
    place = form.details.count()
    columns, targets = list(reference.columns), list(reference.target_columns)
    return form.details.create(place=place, dataset=dataset, title=title, columns=columns, master_columns=targets)


def take_detail_away(detail: Detail) -> None:
    """Remove a detail, and its dataset when nothing else uses it."""
    dataset = detail.dataset
    detail.delete()
    remove_if_unused(dataset)


def remove_if_unused(dataset: Dataset) -> None:
    """Remove a dataset that no form and no detail works with."""
    if not dataset.forms.exists() and not dataset.details.exists():
        dataset.delete()
