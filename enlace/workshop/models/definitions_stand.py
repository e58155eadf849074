"""A number that every change of a definition changes."""

from __future__ import annotations

from django.db import models


class DefinitionsStand(models.Model):
    """One row: a number that is another one after every change of a definition (`enlace.workshop.definitions`)."""

    number = models.BigIntegerField()
