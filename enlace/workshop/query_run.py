"""What a person has run on a query pad, to come back to."""

from __future__ import annotations

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

MOST_RUNS = 50


class QueryRun(models.Model):
    """A query that somebody ran on a connection. The values that its parameters had are not kept: they may be secret.

    told: the sentence, where it failed. rows: how many were shown; more: whether there were more.
    """

    connection = models.ForeignKey("workshop.Connection", models.CASCADE, related_name="query_runs")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    sql = models.TextField()
    at = models.DateTimeField(default=timezone.now)
    milliseconds = models.PositiveIntegerField(default=0)
    rows = models.PositiveIntegerField(default=0)
    more = models.BooleanField(default=False)
    told = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-at", "-pk"]
        indexes = [models.Index(fields=["connection", "person", "-at"], name="query_run_lately")]

    @property
    def line(self) -> str:
        """The query in one line."""
        return " ".join(self.sql.split())

    @classmethod
    @transaction.atomic
    def note(cls, connection_id: int, person_id: int, sql: str, **came: object) -> None:
        """Note a run. The same query is kept once, where it was run last; at most MOST_RUNS of a person are kept."""
        mine = cls.objects.filter(connection=connection_id, person=person_id)
        mine.filter(sql=sql).delete()
        cls.objects.create(connection_id=connection_id, person_id=person_id, sql=sql, **came)
        mine.filter(pk__in=mine.values_list("pk", flat=True)[MOST_RUNS:]).delete()
