"""What undo of a form's document goes back over."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .form import Form


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
