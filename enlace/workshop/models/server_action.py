"""A server action of a form."""

from __future__ import annotations

from django.db import models

from enlace.core.save.action import ActionSpec

from .form import Form


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
