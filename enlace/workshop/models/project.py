"""A project: what belongs together."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.urls import reverse


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
