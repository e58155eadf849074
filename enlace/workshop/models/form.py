"""A form with its details, and whose forms there are."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from django.db import models, transaction
from django.urls import reverse

from enlace.core.form.edit import source_name

from .dataset import Dataset
from .project import Project


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
