"""What undo of the field sheet goes back over."""

from __future__ import annotations

from django.db import models

from .dataset import Dataset


class SheetStep(models.Model):
    """The fields of a dataset as they stood before a change on its field sheet, to go back to."""

    dataset = models.ForeignKey(Dataset, models.CASCADE, related_name="steps")
    label = models.CharField(max_length=120)
    before = models.JSONField()

    class Meta:
        ordering = ["pk"]
