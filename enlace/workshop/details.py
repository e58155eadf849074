"""Details of a form: datasets linked to the form's own, or to another detail, by a reference that the schema has."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.db import models, transaction
from django.dispatch import Signal

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.query import parameters_of
from enlace.core.labels import label_of
from enlace.core.model.catalog import Reference
from enlace.core.model.dataset import DatasetSpec
from enlace.core.problem import Problem
from enlace.core.server import Catalog

from .models import Dataset, Detail, Field, Form, Project
from .place import free_name

taken_off = Signal()  # of a detail that was taken off its form, and can be brought back
PARAMETER = ":"  # in front of a column of a detail: a parameter of its query


@dataclass(frozen=True)
class Above:
    """What gets a detail: a form's own dataset, or a detail of the form."""

    form: Form
    of: Detail | None = None

    @property
    def dataset(self) -> Dataset:
        return self.of.dataset if self.of else self.form.dataset

    @property
    def title(self) -> str:
        return self.of.title if self.of else self.form.title

    @property
    def number(self) -> int | str:
        """What stands for it on a page."""
        return self.of.pk if self.of else ""

    def create(self, **given: Any) -> Detail:
        """A detail of it, behind the form's others."""
        return self.form.details.create(of=self.of, place=self.form.details.count(), **given)


def all_above(form: Form) -> list[Above]:
    """All that may get a detail: queries as details show rows that nothing hangs on."""
    several = form.details.filter(dataset__query="").select_related("dataset__connection")
    return [Above(form), *(Above(form, item) for item in several)]


def reference_name(reference: Reference) -> str:
    """What tells a reference apart on a page."""
    return f"{reference.table}: {', '.join(reference.columns)}"


def possible_details(above: Above) -> list[Reference]:
    """The references to a table that no detail uses yet; none while the server is away."""
    try:
        catalog = Catalog.of(above.dataset.connection.to_spec())
        references = catalog.table(above.dataset.table).referenced_by
    except Problem:
        return []
    of = above.of.pk if above.of else None
    used = {(d.dataset.table, tuple(d.columns)) for d in above.form.all_details if d.of_id == of}
    # A table's rows below themselves would be one draft in two places.
    return [r for r in references if (r.table, r.columns) not in used and r.table != above.dataset.table]


@dataclass(frozen=True)
class Choice:
    """What can become a detail. value: what stands for it on a page; dataset: None for one of its own."""

    value: str
    words: str
    reference: Reference
    dataset: Dataset | None = None


def possible_choices(above: Above) -> list[Choice]:
    """Each reference with the datasets of its table that are already shaped, and with one of its own."""
    return choices_under([above])[0]


def choices_under(several: Sequence[Above]) -> list[list[Choice]]:
    """What can become a detail of each of several, all of one form."""
    references = [possible_details(above) for above in several]
    tables = {reference.table for under in references for reference in under}
    there = shaped(several[0], tables) if tables else []
    called = _told_apart([dataset for dataset, _ in there])
    return [[choice for reference in under for choice in _choices(reference, there, called)] for under in references]


def _choices(reference: Reference, several: Shaped, called: Mapping[int, str]) -> list[Choice]:
    name = reference_name(reference)
    there = [
        Choice(f"{name}/{d.pk}", f"{name} · dataset {called[d.pk]}", reference, d) for d in fitting(several, reference)
    ]
    return [*there, Choice(name, f"{name} · new dataset", reference)]


def _told_apart(several: Sequence[Dataset]) -> dict[int, str]:
    """What datasets are called by their keys: their names, with the forms that they are on where several have one name."""
    counted = Counter(dataset.name for dataset in several)
    shared = [dataset.pk for dataset in several if counted[dataset.name] > 1]
    on: dict[int, set[str]] = defaultdict(set)
    if shared:
        of_forms = Form.objects.filter(dataset__in=shared).values_list("dataset", "title")
        of_details = Detail.objects.filter(dataset__in=shared).values_list("dataset", "form__title")
        for dataset, title in (*of_forms, *of_details):
            on[dataset].add(title)
    return {d.pk: f"{d.name}, on {', '.join(sorted(on[d.pk]))}" if on[d.pk] else d.name for d in several}


Shaped = list[tuple[Dataset, dict[str, bool]]]  # with whether each field is hidden, by its name


def shaped(above: Above, tables: Collection[str]) -> Shaped:
    """The datasets of some tables, on the same connection, that the form does not use yet."""
    # A dataset twice on one form would be one draft in two places.
    mine = {above.form.dataset_id, *(detail.dataset_id for detail in above.form.all_details)}
    several = above.dataset.connection.datasets.filter(query="", table__in=tables).exclude(pk__in=mine)
    fields: dict[int, dict[str, bool]] = defaultdict(dict)
    for dataset, name, hidden in Field.objects.filter(dataset__in=several).values_list("dataset", "name", "hidden"):
        fields[dataset][name] = hidden
    return [(dataset, fields[dataset.pk]) for dataset in several]


def fitting(several: Shaped, reference: Reference) -> list[Dataset]:
    """Those of the table that a reference is from, with fields for its columns: first those that hide what is the same in all
    rows of a master."""
    there = [
        (dataset, all(fields[column] for column in reference.columns))
        for dataset, fields in several
        if dataset.table == reference.table and fields.keys() >= set(reference.columns)
    ]
    return [dataset for dataset, _ in sorted(there, key=lambda item: not item[1])]


def chosen(above: Above, value: str) -> Choice:
    """The choice that a value stands for. Raises Problem."""
    choice = next((choice for choice in possible_choices(above) if choice.value == value), None)
    if choice is None:
        raise Problem("No such table refers to this one.", "Choose one from the page's list.", code="missing")
    return choice


def possible_queries(above: Above) -> list[Dataset]:
    """The queries of the form's connection that ask for values and are no detail of it yet."""
    kind = above.dataset.connection.kind
    used = set(above.form.details.values_list("dataset", flat=True))
    several = Dataset.objects.filter(connection=above.dataset.connection).exclude(query="")
    return [item for item in several if item.pk not in used and parameters_of(item.query, kind)]


def add_query(above: Above, dataset: Dataset) -> Detail:
    """A query as a detail: each of its parameters takes its value from the master's field of that name.

    `vessel_id` also stands for the key `id` of a master in the table vessel. Raises Problem.
    """
    master = above.dataset.to_spec()
    names = {field.name for field in master.fields}
    # People who write a query for a form call its parameter vessel_id, though the form’s own field is id.
    names |= {f"{master.table}_{key}" for key in master.key if len(master.key) == 1}
    asked = parameters_of(dataset.query, above.dataset.connection.kind)
    lacking = [name for name in asked if name not in names]
    if lacking:
        hint = "Name the query's parameters after fields of this form."
        raise Problem(f"The query asks for {', '.join(lacking)}, which this form does not have.", hint, code="bad")
    sources = [name if name in master.by_name else name.removeprefix(f"{master.table}_") for name in asked]
    columns = [PARAMETER + name for name in asked]
    return above.create(dataset=dataset, title=dataset.name, columns=columns, master_columns=sources)


@transaction.atomic
def add_detail(above: Above, reference: Reference, dataset: Dataset | None = None) -> Detail:
    """A detail with a dataset, made for it where none is given. Raises Problem."""
    connection, title = above.dataset.connection, label_of(reference.table)
    if dataset is None:
        made = without_links(make_dataset(connection.to_spec(), reference.table), reference.columns)
        taken = set(connection.project.datasets.values_list("name", flat=True))
        name = f"{above.title}: {title}"
        far = (f"{above.form.title}: {name}",) if above.of else ()
        dataset = Dataset.make(connection, made, free_name(taken, name, *far))
    columns, targets = list(reference.columns), list(reference.target_columns)
    return above.create(dataset=dataset, title=title, columns=columns, master_columns=targets)


def without_links(dataset: DatasetSpec, columns: Collection[str]) -> DatasetSpec:
    """A detail's dataset that does not show what its master gives it: nobody has to type that. Something is left to see."""
    fields = tuple(replace(field, hidden=True) if field.name in columns else field for field in dataset.fields)
    return replace(dataset, fields=fields) if any(not field.hidden for field in fields) else dataset


def take_detail_away(detail: Detail) -> None:
    """Remove a detail with its own details, and the datasets that nothing else uses."""
    for other_detail in Detail.everything.filter(of=detail).select_related("dataset"):
        take_detail_away(other_detail)
    # Read before the detail goes, looked at after it: only then nothing uses it any more.
    dataset = detail.dataset
    detail.delete()
    remove_if_unused(dataset)


def forget(details: Iterable[Detail]) -> None:
    """Remove details for good, with the datasets that nothing else uses."""
    # One may have gone already, with the master that it is of.
    for detail in details:
        if Detail.everything.filter(pk=detail.pk).exists():
            take_detail_away(detail)


def only_off(project: Project) -> models.QuerySet[Dataset]:
    """The datasets of a project that only details use which are off their forms: they go with these, or come back."""
    off = Detail.everything.filter(off=True).values("dataset")
    return project.datasets.filter(pk__in=off, forms=None).exclude(pk__in=Detail.objects.values("dataset"))


def remove_if_unused(dataset: Dataset) -> None:
    """Remove a dataset that no form and no detail works with."""
    if not dataset.forms.exists() and not Detail.everything.filter(dataset=dataset).exists():
        dataset.delete()
