"""A dataset, and the value that its definition is."""

from __future__ import annotations

import threading
from secrets import randbelow

from django.db import models, transaction
from django.urls import reverse

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.conditional_formats import MARK, tone_fields
from enlace.core.dataset.source import computable
from enlace.core.dataset.stored import as_json, detail_of

from ..lacking import lacking
from .connection import Connection
from .field import Field
from .project import Project
from .rule import Rule


def new_revision() -> int:
    """A revision that no dataset had before: random, so that what was made of a change that was rolled back, or of a
    database that was restored from a copy, is never taken for what is there now."""
    return randbelow(2**30)


class Dataset(models.Model):
    """The rows and fields a form works with.

    compare, version: what must still be as read when a record is saved (see DatasetSpec). each: a record is saved as
    soon as somebody leaves it. sorted_by: the order of its rows, (field, descending) pairs; none is the key's. only:
    a condition for the rows that are shown.
    """

    class Compare(models.TextChoices):
        EDITED = "edited", "The edited fields"
        ALL = "all", "Every field of the record"
        VERSION = "version", "A version field, and the edited fields"

    project = models.ForeignKey(Project, models.CASCADE, related_name="datasets")
    connection = models.ForeignKey(Connection, models.PROTECT, related_name="datasets")
    name = models.CharField(max_length=120)
    table = models.CharField(max_length=255)
    is_view = models.BooleanField(default=False)
    key = models.JSONField(default=list)
    locator = models.CharField(max_length=40, blank=True)
    read_only_because = models.TextField(blank=True)
    uniques = models.JSONField(default=list)
    compare = models.CharField(max_length=8, choices=Compare.choices, default=Compare.EDITED)
    version = models.CharField(max_length=255, blank=True)
    each = models.BooleanField(default=False)
    details_known = models.JSONField(default=list)
    query = models.TextField(blank=True)
    sorted_by = models.JSONField(default=list)
    row_condition = models.TextField(blank=True)
    revision = models.PositiveIntegerField(default=new_revision)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("dataset", args=[self.pk])

    @classmethod
    @transaction.atomic
    def make(cls, connection: Connection, spec: DatasetSpec, name: str) -> Dataset:
        """A dataset with the fields and rules of a spec."""
        dataset = cls.objects.create(
            project=connection.project,
            connection=connection,
            name=name,
            table=spec.table,
            is_view=spec.is_view,
            key=list(spec.key),
            locator=spec.locator or "",
            read_only_because=spec.read_only_because,
            uniques=[list(columns) for columns in spec.uniques],
            details_known=[as_json(detail) for detail in spec.details],
            query=spec.query,
            sorted_by=[list(term) for term in spec.sorted_by],
            compare=spec.compare,
            version=spec.version,
            row_condition=spec.row_condition,
        )
        places = {name: i for i, name in enumerate(spec.order)}
        # A spec names its order only as far as somebody cared; fields that it leaves out come behind, as the table has
        # them.
        ordered = sorted(spec.all, key=lambda field: places.get(field.name, len(places)))
        kept = [field for field in ordered if not field.name.startswith(MARK)]  # what computes tones is made of them
        Field.objects.bulk_create(dataset.field_of(i, field) for i, field in enumerate(kept))
        Rule.objects.bulk_create(
            Rule(
                dataset=dataset,
                name=rule.name,
                expression=rule.expression,
                message=rule.message,
                severity=rule.severity,
                marks=list(rule.marks),
                runs=rule.runs,
            )
            for rule in spec.rules
        )
        return dataset

    def field_of(self, place: int, spec: FieldSpec) -> Field:
        """A field of the dataset, not kept yet."""
        return Field(dataset=self, place=place, **Field.columns_of(spec))

    def touch(self) -> None:
        """Tell every form that works with this dataset that it changed."""
        self.revision = new_revision()
        type(self).objects.filter(pk=self.pk).update(revision=self.revision)

    def to_spec(self) -> DatasetSpec:
        """The definition as a value: the same one as long as the revision is, with all that is derived from it.

        One for a dataset is kept, so that what is kept is bounded by the definitions in use.
        """
        without = lacking(self.pk, self.revision)
        kept = _specs.get(self.pk)
        if kept is None or kept[0] != (self.revision, without):
            # Made outside the lock: two threads may make it twice, which costs less than all waiting for one.
            kept = ((self.revision, without), _made_spec(self.pk, without))
            with _specs_lock:
                # Taken out first, so that it goes to the end: the front of the dictionary is what was made longest ago.
                _specs.pop(self.pk, None)
                _specs[self.pk] = kept
                while len(_specs) > MOST_SPECS:
                    del _specs[next(iter(_specs))]
        return kept[1]


MOST_SPECS = 1_000
_specs: dict[int, tuple[tuple[int, frozenset[str]], DatasetSpec]] = {}
_specs_lock = threading.Lock()


def forget_specs() -> None:
    """Forget all that is kept, as a process that begins."""
    with _specs_lock:
        _specs.clear()


def _made_spec(pk: int, without: frozenset[str]) -> DatasetSpec:
    dataset = Dataset.objects.select_related("connection").get(pk=pk)
    fields = [field.to_spec() for field in dataset.fields.all() if field.name not in without]
    saved = tuple(field for field in fields if not (field.formula or field.outside))
    made = DatasetSpec(
        table=dataset.table,
        fields=saved,
        extra=tuple(field for field in fields if field.formula or field.outside) + tone_fields(fields),
        order=tuple(field.name for field in fields),
        details=tuple(detail_of(item) for item in dataset.details_known),
        query=dataset.query,
        row_condition=dataset.row_condition,
        sorted_by=tuple((name, descending) for name, descending in dataset.sorted_by),
        key=tuple(dataset.key),
        locator=dataset.locator or None,
        read_only_because=dataset.read_only_because,
        rules=tuple(rule.to_spec() for rule in dataset.rules.all()),
        uniques=tuple(tuple(columns) for columns in dataset.uniques),
        is_view=dataset.is_view,
        compare=dataset.compare,
        version=dataset.version,
    )
    return computable(made, dataset.connection.kind)
