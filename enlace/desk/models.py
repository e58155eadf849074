"""Drafts: what a person changed on a form and the server has not got yet."""

from django.conf import settings
from django.db import models

from enlace.workshop.models import Form


class Draft(models.Model):
    """One person's draft on one form. done: how many of its steps stand (those after it can be redone).

    sending: a save was begun and its outcome is not known yet; still set after a crash in between.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="drafts")
    form = models.ForeignKey(Form, models.CASCADE, related_name="drafts")
    done = models.PositiveIntegerField(default=0)
    sending = models.BooleanField(default=False)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "form"], name="one_draft")]


class DraftRecord(models.Model):
    """One pending record as the core's text form. faulty: it needs attention before it can be saved."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="records")
    record = models.TextField()
    state = models.CharField(max_length=8)
    faulty = models.BooleanField(default=False)
    body = models.TextField()

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["draft", "record"], name="one_pending_record")]


class DraftStep(models.Model):
    """One step for undo and redo. before, after: {record id: text form or null} as JSON."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    label = models.CharField(max_length=200)
    before = models.TextField()
    after = models.TextField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["draft", "number"], name="one_step")]


class DraftBlob(models.Model):
    """A large value of a draft, kept once however many steps hold it."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="blobs")
    digest = models.CharField(max_length=64)
    is_text = models.BooleanField()
    content = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["draft", "digest", "is_text"], name="one_blob")]
