"""A connection to one database."""

from __future__ import annotations

from django.db import models
from django.urls import reverse

from enlace.core.model.connection import ConnectionSpec
from enlace.core.server.dialects import SERVER_KINDS, ServerKind

from .. import practice, secrets
from .project import Project


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
