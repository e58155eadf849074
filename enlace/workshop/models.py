"""Definitions. Each turns into a value of the core (`to_spec`) before anything is computed with it."""

from __future__ import annotations

import threading
from functools import cached_property
from secrets import randbelow
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.urls import reverse

from enlace.core.dataset import DatasetSpec, FieldSpec, RuleSpec
from enlace.core.dataset.conditional_formats import MARK, tone_fields
from enlace.core.dataset.source import computable
from enlace.core.dataset.stored import as_json, detail_of, lookup_of
from enlace.core.form.edit import source_name
from enlace.core.model.connection import ConnectionSpec
from enlace.core.save.action import ActionSpec
from enlace.core.server.dialects import SERVER_KINDS, ServerKind

from . import practice, secrets
from .lacking import lacking
from .query_run import QueryRun as QueryRun


class Project(models.Model):
    """One application: connections, datasets, forms. members: the operators who work with it; builders see all.

    density, accent: how its forms look. about: a line under its name on the start page. opens: the title of the form that
    its operators come to first, "" for the start page.
    """

    class Density(models.TextChoices):
        NORMAL = "", "Rows of 30 pixels"
        ROOMY = "roomy", "Roomy: rows of 38 pixels"

    class Accent(models.TextChoices):
        COPPER = "", "Copper"
        VERDIGRIS = "verdigris", "Verdigris"
        SLATE = "slate", "Slate"
        PLUM = "plum", "Plum"

    name = models.CharField(max_length=80, unique=True)
    density = models.CharField(max_length=10, choices=Density.choices, blank=True)
    accent = models.CharField(max_length=10, choices=Accent.choices, blank=True)
    about = models.CharField(max_length=200, blank=True)
    opens = models.CharField(max_length=120, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="projects", blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("connections", args=[self.pk])


class Connection(models.Model):
    """How to reach one database.

    password_from: where its password comes from; password: the sealed one, variable: the environment variable.
    practice: whether forms work on the practice copy. receipts: the table in which saves leave receipts, "" for none.
    """

    class PasswordFrom(models.TextChoices):
        NOWHERE = "nowhere", "There is none"
        KEPT = "kept", "Keep it here, encrypted"
        ENVIRONMENT = "environment", "Read it from an environment variable"
        ASKED = "asked", "Ask each person, for the session only"

    project = models.ForeignKey(Project, models.CASCADE, related_name="connections")
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=20, default="sqlite")
    parameters = models.JSONField(default=dict)
    password_from = models.CharField(max_length=12, choices=PasswordFrom.choices, default=PasswordFrom.NOWHERE)
    password = models.TextField(blank=True)
    variable = models.CharField(max_length=120, blank=True)
    practice = models.BooleanField(default=False)
    receipts = models.CharField(max_length=60, blank=True)
    test_passed = models.BooleanField(null=True, default=None)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="connection_name")]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("connection", args=[self.pk])

    @property
    def server(self) -> ServerKind:
        return SERVER_KINDS[self.kind]

    @property
    def place(self) -> str:
        """Where the database is, without any secret."""
        return self.server.place_of(ConnectionSpec.of(self.kind, **self.parameters))

    def to_spec(self) -> ConnectionSpec:
        """How to reach what forms work on now. Raises Problem while the password is not at hand."""
        if self.practice and self.server.is_file:
            return ConnectionSpec.of(self.kind, receipts=self.receipts, path=str(practice.path_of(self)))
        return ConnectionSpec.of(self.kind, self._password(), self.receipts, **self.parameters)

    def _password(self) -> str:
        if not self.server.has_password:
            return ""
        sources = {
            self.PasswordFrom.KEPT: lambda: secrets.opened(self.password, place_of(self)),
            self.PasswordFrom.ENVIRONMENT: lambda: secrets.from_environment(self.variable),
            self.PasswordFrom.ASKED: lambda: secrets.given_for(self.pk, self.name, place_of(self)),
        }
        return sources.get(self.password_from, lambda: "")()


def place_of(connection: Connection) -> str:
    """What a secret of a connection belongs to: the kind of server, where it is, the database and the user."""
    given = connection.parameters
    return "\n".join([connection.kind, *(str(given.get(n, "")).strip() for n in ("host", "port", "database", "user"))])


def _first_revision() -> int:
    # Random, so that a database restored from a copy never meets a spec kept from another life.
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
        Field.objects.bulk_create(Field.from_spec(dataset, i, field) for i, field in enumerate(kept))
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

    def touch(self) -> None:
        """Tell every form that works with this dataset that it changed."""
        type(self).objects.filter(pk=self.pk).update(revision=models.F("revision") + 1)

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


def _made_spec(pk: int, without: frozenset[str]) -> DatasetSpec:
    dataset = Dataset.objects.get(pk=pk)
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
    format = models.CharField(max_length=80, blank=True)
    align = models.CharField(max_length=8, blank=True)
    picture = models.CharField(max_length=80, blank=True)
    pattern = models.CharField(max_length=300, blank=True)
    text_check = models.CharField(max_length=20, blank=True)
    initial = models.TextField(blank=True)
    required_when = models.TextField(blank=True)
    read_only_when = models.TextField(blank=True)
    conditional_formats = models.JSONField(default=list, blank=True)
    formula = models.TextField(blank=True)
    outside = models.BooleanField(default=False)
    lookup = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["dataset", "name"], name="field_name")]

    # typed_in is said by a grid's column, not by a dataset.
    PROPERTIES = tuple(name for name in FieldSpec.__dataclass_fields__ if name != "typed_in")

    @classmethod
    def from_spec(cls, dataset: Dataset, place: int, spec: FieldSpec) -> Field:
        return cls(dataset=dataset, place=place, **cls.columns_of(spec))

    @classmethod
    def columns_of(cls, spec: FieldSpec) -> dict[str, Any]:
        """The columns of a spec as they are kept."""
        kept = {name: getattr(spec, name) for name in cls.PROPERTIES}
        kept["lookup"] = as_json(spec.lookup) if spec.lookup else None
        kept["conditional_formats"] = [list(conditional_format) for conditional_format in spec.conditional_formats]
        return kept

    def to_spec(self) -> FieldSpec:
        properties = {name: getattr(self, name) for name in self.PROPERTIES}
        properties["lookup"] = lookup_of(self.lookup)
        properties["conditional_formats"] = tuple(
            (conditional_format[0], conditional_format[1]) for conditional_format in self.conditional_formats
        )
        return FieldSpec(**properties)


class Rule(models.Model):
    """A condition over the fields of a record. own: a builder made it; the others are the table's own conditions."""

    class Severity(models.TextChoices):
        ERROR = "error", "Error: holds a save back"
        WARNING = "warning", "Warning: is told and does not"

    class Runs(models.TextChoices):
        ALWAYS = "always", "While one edits a record, and on save"
        NEW = "new", "The same, for new records only"
        SAVE = "save", "On save only"

    dataset = models.ForeignKey(Dataset, models.CASCADE, related_name="rules")
    name = models.CharField(max_length=255, blank=True)
    expression = models.TextField()
    message = models.CharField(max_length=300, blank=True)
    severity = models.CharField(max_length=8, choices=Severity.choices, default=Severity.ERROR)
    own = models.BooleanField(default=False)
    marks = models.JSONField(default=list, blank=True)
    runs = models.CharField(max_length=8, choices=Runs.choices, default=Runs.ALWAYS)

    class Meta:
        ordering = ["pk"]

    def to_spec(self) -> RuleSpec:
        return RuleSpec(self.expression, self.name, self.message, self.severity, tuple(self.marks), self.runs)


class SheetStep(models.Model):
    """The fields of a dataset as they stood before a change on its field sheet, to go back to."""

    dataset = models.ForeignKey(Dataset, models.CASCADE, related_name="steps")
    label = models.CharField(max_length=120)
    before = models.JSONField()

    class Meta:
        ordering = ["pk"]


class FormQuery(models.QuerySet["Form"]):
    """Forms, and whose they are."""

    def for_person(self, person: Any) -> FormQuery:
        """Those that a person may open: builders all, operators those of their projects."""
        return self if person.is_builder else self.filter(project__members=person)

    def in_sections(self) -> list[Form]:
        """Those that a start page or a menu shows, in its order."""
        return self.filter(listed=True).tiles()

    def tiles(self) -> list[Form]:
        """In the order of a start page: by project, a section where the first of its forms stands."""
        forms, first = list(self.select_related("project")), dict[tuple[int, str], int]()
        for form in forms:
            here = (form.project_id, form.section)
            first[here] = min(form.place, first.get(here, form.place))
        at = lambda f: (f.project.name, first[f.project_id, f.section], f.section, f.place, f.title)  # noqa: E731
        return sorted(forms, key=at)


class Form(models.Model):
    """A page for operators.

    whole: a save is all or nothing; else it keeps what succeeds and stops after `most_failures` (None: never).
    may_keep: people may keep a copy of its rows, to work on while the server is away. document: its sheet of controls as
    text (`core.form`), empty as long as nobody laid it out; layout: counts the changes of that.

    On the start page: section and place, where its tile stands; about, a line under its title; counted, whether the tile
    tells how many records there are; listed, whether it has a tile at all.
    """

    project = models.ForeignKey(Project, models.CASCADE, related_name="forms")
    dataset = models.ForeignKey(Dataset, models.PROTECT, related_name="forms")
    title = models.CharField(max_length=120)
    whole = models.BooleanField(default=True)
    most_failures = models.PositiveIntegerField(null=True, blank=True)
    may_keep = models.BooleanField(default=False)
    document = models.TextField(blank=True)
    layout = models.PositiveIntegerField(default=0)
    section = models.CharField(max_length=60, blank=True)
    place = models.PositiveIntegerField(default=100)
    about = models.CharField(max_length=200, blank=True)
    counted = models.BooleanField(default=False)
    listed = models.BooleanField(default=True)

    objects = FormQuery.as_manager()

    class Meta:
        ordering = ["title"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("form", args=[self.pk])

    @property
    def own_source(self) -> str:
        """What the source of the form's own dataset is called."""
        return source_name(self.dataset.table)

    @cached_property
    def all_details(self) -> list[Detail]:
        """Its details, each after its master: read once for a request, and anew when one comes or goes."""
        return list(self.details.select_related("dataset", "of").order_by("pk"))

    def refresh_from_db(self, *args: Any, **kwargs: Any) -> None:
        super().refresh_from_db(*args, **kwargs)
        self.__dict__.pop("all_details", None)

    @classmethod
    @transaction.atomic
    def make(cls, dataset: Dataset, title: str) -> Form:
        """A complete form: as long as nobody lays it out, its sheet is the one that Enlace makes by itself."""
        return cls.objects.create(project=dataset.project, dataset=dataset, title=title)


def first_form(person: Any) -> Form | None:
    """The form that somebody comes to first: that of their only project; None for the start page."""
    projects = list(person.projects.all()[:2])
    if len(projects) != 1 or not projects[0].opens:
        return None
    return Form.objects.filter(project=projects[0], title=projects[0].opens).first()


class OnTheForm(models.Manager["Detail"]):
    """The details that a form has now."""

    def get_queryset(self) -> models.QuerySet[Detail]:
        return super().get_queryset().filter(off=False)


class Detail(models.Model):
    """A second dataset of a form, which shows only what belongs to the current record of the first.

    off: it was taken off the form, and a step of the form's history can still bring it back.
    name: what its source is called in the form's document, in drafts, in the journal and in addresses; it never changes.
    columns: those of the detail that hold the values of `master_columns` of the form's own dataset, or of the detail
    that it is a detail of.
    """

    name = models.CharField(max_length=60, blank=True)

    of = models.ForeignKey("self", models.CASCADE, null=True, blank=True, related_name="details")
    form = models.ForeignKey(Form, models.CASCADE, related_name="details")
    place = models.PositiveIntegerField(default=0)
    dataset = models.ForeignKey(Dataset, models.PROTECT, related_name="details")
    title = models.CharField(max_length=120)
    columns = models.JSONField()
    master_columns = models.JSONField()
    off = models.BooleanField(default=False)

    objects = OnTheForm()
    everything: models.Manager[Detail] = models.Manager()  # also those that are off

    class Meta:
        ordering = ["place", "pk"]
        constraints = [models.UniqueConstraint(fields=["form", "name"], name="detail_name")]

    def __str__(self) -> str:
        return self.title

    def save(self, *args: Any, **kwargs: Any) -> None:
        # A name is given once: drafts, the journal and bookmarks speak of the detail by it, whatever it is titled
        # later.
        if not self.name:
            others = Detail.everything.filter(form=self.form).values_list("name", flat=True)
            taken = {self.form.own_source, *others}
            self.name = source_name(self.dataset.table or self.dataset.name, taken)
        super().save(*args, **kwargs)
        self.form.__dict__.pop("all_details", None)

    def delete(self, *args: Any, **kwargs: Any) -> tuple[int, dict[str, int]]:
        self.form.__dict__.pop("all_details", None)
        return super().delete(*args, **kwargs)


class ServerAction(models.Model):
    """Several statements about the current record of a form, on a button. The fields are those of `ActionSpec`.

    question: what to ask before; "" asks nothing.
    """

    form = models.ForeignKey(Form, models.CASCADE, related_name="actions")
    place = models.PositiveIntegerField(default=0)
    title = models.CharField(max_length=60)
    question = models.CharField(max_length=300, blank=True)
    guard = models.TextField(blank=True)
    unmet = models.CharField(max_length=300, blank=True)
    statements = models.TextField()
    done = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["place", "pk"]

    def __str__(self) -> str:
        return self.title

    def to_spec(self) -> ActionSpec:
        return ActionSpec(self.title, self.statements, self.guard, self.unmet, self.done)


class FormStep(models.Model):
    """A form's document as it stood before a change, to go back to; undone: to go forth to.

    details: the names of the details that the form had then; None in steps of a time when they were not kept.
    """

    form = models.ForeignKey(Form, models.CASCADE, related_name="steps")
    label = models.CharField(max_length=120)
    document = models.TextField(blank=True)
    details = models.JSONField(null=True)
    undone = models.BooleanField(default=False)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)

    class Meta:
        ordering = ["pk"]


class DefinitionsStand(models.Model):
    """One row: a number that is another one after every change of a definition (`enlace.workshop.definitions`)."""

    number = models.BigIntegerField()
