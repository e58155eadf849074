"""States of projects, kept to be compared and gone back to."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from enlace.workshop.models import Project

from .writing import Files, texts_of

MOST = 100  # states of a project; the oldest go


class ProjectState(models.Model):
    """A project as it stood once: the texts of its files. words: why it was kept."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="states")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    at = models.DateTimeField(auto_now_add=True)
    words = models.CharField(max_length=120)
    files = models.JSONField()

    class Meta:
        ordering = ["-pk"]


def keep_state(project: Project, person: Any, words: str, files: Files | None = None) -> ProjectState:
    """Keep a project as it stands now, or as files that are known say it; the same one again is not kept twice."""
    texts, last = texts_of(project, files), ProjectState.objects.filter(project=project).first()
    if last is not None and last.files == texts:
        return last
    state = ProjectState.objects.create(project=project, person=person, words=words[:120], files=texts)
    old = list(ProjectState.objects.filter(project=project).values_list("pk", flat=True)[MOST:])
    ProjectState.objects.filter(pk__in=old).delete()
    return state
