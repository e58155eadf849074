"""Drafts: what a person changed on a form and the server has not got yet."""

from django.conf import settings
from django.db import models

from enlace.workshop.models import Form


class Draft(models.Model):
    """One person's draft on one form. done: how many of its steps stand (those after it can be redone).

    sending: a save was begun and its outcome is not known yet; still set after a crash in between.
    takes_back: the save that this draft was made to take back.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="drafts")
    form = models.ForeignKey(Form, models.CASCADE, related_name="drafts")
    done = models.PositiveIntegerField(default=0)
    sending = models.BooleanField(default=False)
    takes_back = models.ForeignKey("JournalEntry", models.SET_NULL, null=True)
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


class JournalEntry(models.Model):
    """One save: who, when, on which form; the names stay when the form goes."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="saves")
    person_name = models.CharField(max_length=300)
    form = models.ForeignKey(Form, models.SET_NULL, null=True, related_name="saves")
    form_title = models.CharField(max_length=120)
    table = models.CharField(max_length=255)
    at = models.DateTimeField(auto_now_add=True, db_index=True)
    takes_back = models.ForeignKey("self", models.SET_NULL, null=True, related_name="taken_back_by")

    class Meta:
        ordering = ["-pk"]


class JournalRecord(models.Model):
    """One record of a save. was, now: values by field in the core's text form, as JSON."""

    entry = models.ForeignKey(JournalEntry, models.CASCADE, related_name="records")
    action = models.CharField(max_length=8)
    before = models.TextField()
    after = models.TextField()
    was = models.TextField()
    now = models.TextField()

    class Meta:
        ordering = ["pk"]


class DraftBlob(models.Model):
    """A large value of a draft, kept once however many steps hold it."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="blobs")
    digest = models.CharField(max_length=64)
    is_text = models.BooleanField()
    content = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["draft", "digest", "is_text"], name="one_blob")]
