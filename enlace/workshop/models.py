"""Definitions. Each turns into a value of the core (`to_spec`) before anything is computed with it."""

from __future__ import annotations

import secrets
from functools import lru_cache

from django.db import models, transaction
from django.urls import reverse

from enlace.core.dataset import DatasetSpec, FieldSpec, RuleSpec
from enlace.core.server import ConnectionSpec


class Project(models.Model):
    """One application: connections, datasets, forms."""

    name = models.CharField(max_length=80, unique=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("connections", args=[self.pk])


class Connection(models.Model):
    """How to reach one database."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="connections")
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=20, default="sqlite")
    parameters = models.JSONField(default=dict)
    test_passed = models.BooleanField(null=True, default=None)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="connection_name")]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("connection", args=[self.pk])

    def to_spec(self) -> ConnectionSpec:
        return ConnectionSpec.of(self.kind, **self.parameters)


def _first_revision() -> int:
    # Random, so that a database restored from a copy never meets a spec kept from another life.
    return secrets.randbelow(2**30)


class Dataset(models.Model):
    """The rows and fields a form works with."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="datasets")
    connection = models.ForeignKey(Connection, models.PROTECT, related_name="datasets")
    name = models.CharField(max_length=120)
    table = models.CharField(max_length=255)
    is_view = models.BooleanField(default=False)
    key = models.JSONField(default=list)
    locator = models.CharField(max_length=40, blank=True)
    read_only_because = models.TextField(blank=True)
    uniques = models.JSONField(default=list)
    revision = models.PositiveIntegerField(default=_first_revision)

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
        )
        Field.objects.bulk_create(Field.from_spec(dataset, i, one) for i, one in enumerate(spec.fields))
        Rule.objects.bulk_create(
            Rule(dataset=dataset, name=one.name, expression=one.expression, message=one.message) for one in spec.rules
        )
        return dataset

    def touch(self) -> None:
        """Tell every form that works with this dataset that it changed."""
        type(self).objects.filter(pk=self.pk).update(revision=models.F("revision") + 1)

    def to_spec(self) -> DatasetSpec:
        return _dataset_spec(self.pk, self.revision)


@lru_cache(maxsize=256)
def _dataset_spec(pk: int, revision: int) -> DatasetSpec:
    # The revision is part of the key: a change makes a new spec, and forms in all processes see it.
    dataset = Dataset.objects.get(pk=pk)
    return DatasetSpec(
        table=dataset.table,
        fields=tuple(one.to_spec() for one in dataset.fields.all()),
        key=tuple(dataset.key),
        locator=dataset.locator or None,
        read_only_because=dataset.read_only_because,
        rules=tuple(one.to_spec() for one in dataset.rules.all()),
        uniques=tuple(tuple(columns) for columns in dataset.uniques),
        is_view=dataset.is_view,
    )


class Field(models.Model):
    """One column as a dataset presents it. The columns are those of `FieldSpec`."""

    dataset = models.ForeignKey(Dataset, models.CASCADE, related_name="fields")
    place = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    label = models.CharField(max_length=120)
    kind = models.CharField(max_length=20)
    type_text = models.CharField(max_length=255, blank=True)
    width = models.PositiveIntegerField(default=120)
    nullable = models.BooleanField(default=True)
    required = models.BooleanField(default=False)
    read_only = models.BooleanField(default=False)
    hidden = models.BooleanField(default=False)
    numbered = models.BooleanField(default=False)
    computed = models.BooleanField(default=False)
    default = models.TextField(null=True, blank=True)
    length = models.PositiveIntegerField(null=True, blank=True)
    precision = models.PositiveIntegerField(null=True, blank=True)
    scale = models.PositiveIntegerField(null=True, blank=True)
    storage = models.CharField(max_length=20, blank=True)
    help = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["dataset", "name"], name="field_name")]

    PARTS = tuple(FieldSpec.__dataclass_fields__)

    @classmethod
    def from_spec(cls, dataset: Dataset, place: int, spec: FieldSpec) -> Field:
        return cls(dataset=dataset, place=place, **{part: getattr(spec, part) for part in cls.PARTS})

    def to_spec(self) -> FieldSpec:
        return FieldSpec(**{part: getattr(self, part) for part in self.PARTS})


class Rule(models.Model):
    """A condition over the fields of a record."""

    dataset = models.ForeignKey(Dataset, models.CASCADE, related_name="rules")
    name = models.CharField(max_length=255, blank=True)
    expression = models.TextField()
    message = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["pk"]

    def to_spec(self) -> RuleSpec:
        return RuleSpec(self.expression, self.name, self.message)


class Form(models.Model):
    """A page for operators."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="forms")
    dataset = models.ForeignKey(Dataset, models.PROTECT, related_name="forms")
    title = models.CharField(max_length=120)

    class Meta:
        ordering = ["title"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("form", args=[self.pk])

    @classmethod
    @transaction.atomic
    def make(cls, dataset: Dataset, title: str) -> Form:
        """A complete form: a navigator, a grid, and an editor for every field."""
        form = cls.objects.create(project=dataset.project, dataset=dataset, title=title)
        controls = [Control(form=form, place=0, kind="navigator"), Control(form=form, place=1, kind="grid")]
        fields = dataset.fields.filter(hidden=False)
        controls += [Control(form=form, place=2 + i, kind="editor", field=one) for i, one in enumerate(fields)]
        Control.objects.bulk_create(controls)
        return form


class Control(models.Model):
    """One control of a form, wired to the form's dataset or to one of its fields."""

    class Kind(models.TextChoices):
        NAVIGATOR = "navigator", "Navigator"
        GRID = "grid", "Grid"
        EDITOR = "editor", "Editor"

    form = models.ForeignKey(Form, models.CASCADE, related_name="controls")
    place = models.PositiveIntegerField()
    kind = models.CharField(max_length=12, choices=Kind.choices)
    field = models.ForeignKey(Field, models.CASCADE, null=True, blank=True, related_name="controls")

    class Meta:
        ordering = ["place"]
