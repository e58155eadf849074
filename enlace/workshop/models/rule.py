"""A rule of a dataset."""

from __future__ import annotations

from django.db import models

from enlace.core.dataset import RuleSpec


class Rule(models.Model):
    """A condition over the fields of a record. own: a builder made it; the others are the table's own conditions."""

    class Severity(models.TextChoices):
        ERROR = "error", "Error: holds a save back"
        WARNING = "warning", "Warning: is told and does not"

    class Runs(models.TextChoices):
        ALWAYS = "always", "While one edits a record, and on save"
        NEW = "new", "The same, for new records only"
        SAVE = "save", "On save only"

    dataset = models.ForeignKey("workshop.Dataset", models.CASCADE, related_name="rules")
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
