"""Drafts: what a person changed on a form and the server has not got yet."""

import secrets

from django.conf import settings
from django.db import models

from enlace.core.view import Asked
from enlace.workshop.models import Form

from .addresses import view_text


def _code() -> str:
    return secrets.token_hex(16)


class Draft(models.Model):
    """One person's draft on one form, on the live database or on the practice copy.

    code: what its saves sign their receipts with. revision: raised by every change, so that another window sees it.
    done: how many of its steps stand (those after it can be redone). counts: how many of its records are edited, new,
    removed, in need of attention, left for later. takes_back: the save that this draft was made to take back. tables: those
    beside the form's own that it puts rows back into, as names of parts.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="drafts")
    form = models.ForeignKey(Form, models.CASCADE, related_name="drafts")
    practice = models.BooleanField(default=False)
    code = models.CharField(max_length=40, default=_code)
    revision = models.PositiveBigIntegerField(default=0)
    counts = models.JSONField(default=dict)
    done = models.PositiveIntegerField(default=0)
    takes_back = models.ForeignKey("JournalEntry", models.SET_NULL, null=True)
    tables = models.JSONField(default=list)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "form", "practice"], name="one_draft")]


class SaveClaim(models.Model):
    """One request to save a draft, or to run a server action beside it: at most one is open for a draft.

    token: made by the page, so that a request that is repeated is answered with what the first one did. owner: who is at
    it (`enlace.desk.owners`); an open claim without its owner is a save that was cut off, which has to be looked into.
    receipt: what the save signs its receipt with. sent: the database may have got it; records: what it may have got, as
    texts, since the draft may be edited meanwhile. answer: what came of it, as JSON.
    """

    class State(models.TextChoices):
        OPEN = "open"
        ENDED = "ended"

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="claims")
    token = models.CharField(max_length=64)
    owner = models.CharField(max_length=32)
    receipt = models.CharField(max_length=40, default=_code)
    action = models.BooleanField(default=False)
    sent = models.BooleanField(default=False)
    records = models.TextField(blank=True)
    state = models.CharField(max_length=5, choices=State.choices, default=State.OPEN)
    answer = models.TextField(blank=True)
    begun = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["draft", "token"], name="one_answer"),
            models.UniqueConstraint(fields=["draft"], condition=models.Q(state="open"), name="one_open_claim"),
        ]


class Renamed(models.Model):
    """The id that a new record has since it was saved: a page may still speak of it by the old one."""

    old = models.CharField(max_length=40, unique=True)
    new = models.TextField()
    at = models.DateTimeField(auto_now_add=True, db_index=True)


class DraftRecord(models.Model):
    """One pending record as the core's text form.

    part: the dataset of the form that it is of, "" for the form's own, else the name of a source. owner: for a new record
    of a detail, the record id of its master. was_of, now_of: of a detail, what links it to the master that it was read
    under, and to the one that it belongs to now (`enlace.desk.links`); UNKNOWN_LINK where that was never noted. faulty: it
    needs attention before it can be saved. later: saves leave it out.
    """

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="records")
    part = models.CharField(max_length=300, blank=True)
    record = models.TextField()
    owner = models.TextField(blank=True)
    was_of = models.TextField(null=True, blank=True)
    now_of = models.TextField(null=True, blank=True)
    state = models.CharField(max_length=8)
    faulty = models.BooleanField(default=False)
    later = models.BooleanField(default=False)
    body = models.TextField()

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["draft", "part", "record"], name="one_pending_record")]
        # New records stand after the last row of a grid.
        indexes = [
            models.Index(fields=["draft", "part", "state", "owner"], name="draft_new"),
            # Without those that are no details: a file brings in a hundred thousand.
            models.Index(
                fields=["draft", "part", "was_of"], name="draft_was_of", condition=models.Q(was_of__isnull=False)
            ),
            models.Index(
                fields=["draft", "part", "now_of"], name="draft_now_of", condition=models.Q(now_of__isnull=False)
            ),
        ]


class DraftBundle(models.Model):
    """Many new records of a form's own part as one row (`enlace.desk.draft_bundles`).

    code: what their ids begin with. first: the number of the first one, as of a DraftRecord; those behind it take the numbers
    behind. size: how many they are. body: their values by field, as columns. step: the number of the one that brought them, which
    has no other copy of them. standing: they are pending, and kept nowhere else; else they are kept for that step.
    """

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="bundles")
    code = models.CharField(max_length=17, unique=True)
    first = models.PositiveBigIntegerField()
    size = models.PositiveIntegerField()
    step = models.PositiveIntegerField()
    standing = models.BooleanField(default=True)
    body = models.TextField()

    class Meta:
        ordering = ["first"]
        # With what tells where a record stands, so that no long text is read for that.
        indexes = [models.Index(fields=["draft", "standing", "first", "code", "size"], name="draft_bundle_places")]


class DraftStep(models.Model):
    """One step for undo and redo.

    before, after: [[part, record id, owner, text form or null] …] as JSON; of new records that are kept together
    {"code", "size", "there": whether they are pending}.

    size: of both, in characters.
    """

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    label = models.CharField(max_length=200)
    before = models.TextField()
    after = models.TextField()
    size = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["draft", "number"], name="one_step")]
        # Added up at each edit: out of the index, since SQLite reaches a column through the long texts in front of it.
        indexes = [models.Index(fields=["draft", "number", "size"], name="draft_step_size")]


class JournalEntry(models.Model):
    """One save: who, when, on which form; the names stay when the form goes. action: the server action that it was.

    also: what the database did beside, in sentences. lost: what of that can't be put back, likewise.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="saves")
    person_name = models.CharField(max_length=300)
    form = models.ForeignKey(Form, models.SET_NULL, null=True, related_name="saves")
    form_title = models.CharField(max_length=120)
    table = models.CharField(max_length=255)
    practice = models.BooleanField(default=False)
    at = models.DateTimeField(auto_now_add=True, db_index=True)
    action = models.CharField(max_length=60, blank=True)
    takes_back = models.ForeignKey("self", models.SET_NULL, null=True, related_name="taken_back_by")
    also = models.JSONField(default=list)
    lost = models.JSONField(default=list)

    class Meta:
        ordering = ["-pk"]


class JournalRecord(models.Model):
    """One record of a save. part: as in DraftRecord. was, now: values by field in the core's text form, as JSON.

    beside: the database changed it by itself, as a reference asks for.
    """

    entry = models.ForeignKey(JournalEntry, models.CASCADE, related_name="records")
    part = models.CharField(max_length=300, blank=True)
    action = models.CharField(max_length=8)
    before = models.TextField()
    after = models.TextField()
    was = models.TextField()
    now = models.TextField()
    beside = models.BooleanField(default=False)

    class Meta:
        ordering = ["pk"]
        indexes = [
            models.Index(fields=["after"], name="journal_after"),
            models.Index(fields=["before"], name="journal_before"),
        ]


class DraftBlob(models.Model):
    """A large value of a draft, kept once however many steps hold it."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="blobs")
    digest = models.CharField(max_length=64)
    is_text = models.BooleanField()
    content = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["draft", "digest", "is_text"], name="one_blob")]


class Arrangement(models.Model):
    """How a grid is arranged. person: for whom; None for all who use the form and have no arrangement of their own.

    part: as in DraftRecord. grid: the control's id, "" for a part's first grid. name: "" for the one in force, else what
    it is kept as, to be put on later. The others are those of `arranged.Arranged`.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="arrangements")
    form = models.ForeignKey(Form, models.CASCADE, related_name="arrangements")
    part = models.CharField(max_length=60, blank=True)
    grid = models.CharField(max_length=60, blank=True, default="")
    name = models.CharField(max_length=60, blank=True, default="")
    columns = models.JSONField(default=list)
    lines = models.PositiveSmallIntegerField(default=1)
    striped = models.BooleanField(default=False)
    merged = models.BooleanField(default=False)
    totals = models.JSONField(default=list)
    split = models.CharField(max_length=6, blank=True, default="")
    rows = models.JSONField(default=list)

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["person", "form", "part", "grid", "name"], name="one_arrangement"),
            # For SQL no two NULLs are the same person.
            models.UniqueConstraint(
                fields=["form", "part", "grid", "name"],
                condition=models.Q(person=None),
                name="one_arrangement_for_all",
            ),
        ]


class SharedArrangement(models.Model):
    """How the grids of a form stood for the person who shared an address. token: what the address says. grids: of each its
    part, its key and what an `Arrangement` keeps."""

    token = models.CharField(max_length=22, unique=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="shared_arrangements")
    form = models.ForeignKey(Form, models.CASCADE, related_name="shared_arrangements")
    grids = models.JSONField()


class OpenGroups(models.Model):
    """Which groups of a grid a person has open. groups: as addresses name them. all_open: all but those of `keys`, else
    only those."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="open_groups")
    form = models.ForeignKey(Form, models.CASCADE, related_name="open_groups")
    part = models.CharField(max_length=60, blank=True)
    groups = models.CharField(max_length=600)
    all_open = models.BooleanField(default=False)
    keys = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "form", "part", "groups"], name="one_open_groups")]


class KeptView(models.Model):
    """What a person asked a grid for, under a name. asked: of `core.view.Asked`.

    part: as in DraftRecord. person: whose it is; None where a builder shares it with all who use the form.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="views")
    form = models.ForeignKey(Form, models.CASCADE, related_name="views")
    part = models.CharField(max_length=60, blank=True)
    name = models.CharField(max_length=60)
    asked = models.JSONField(default=dict)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["person", "form", "part", "name"], name="one_view")]

    @property
    def query(self) -> str:
        """What an address says to ask for it."""
        return view_text(Asked.of(self.asked))


class Incoming(models.Model):
    """A file that a person brings into a part of a form: how it is read, where its columns go, what was found out.

    part, master: as the desk's addresses name them. look: of `core.exchange.incoming.Look`; spool: of
    `core.exchange.spool.Spool`. mapping: by heading, the name of a field. existing: what becomes of rows whose key is there
    already ("update", "skip", "refuse"). mended: by row, texts that replace those of the file, by heading. faults: rows that
    can't go in, as far as they are kept. counts: of rows by what becomes of them. checked, taken: up to which row.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="incoming")
    form = models.ForeignKey(Form, models.CASCADE, related_name="incoming")
    part = models.CharField(max_length=60, blank=True)
    master = models.TextField(blank=True)
    name = models.CharField(max_length=200)
    look = models.JSONField(default=dict)
    spool = models.JSONField(default=dict)
    mapping = models.JSONField(default=dict)
    existing = models.CharField(max_length=8, default="update")
    mended = models.JSONField(default=dict)
    faults = models.JSONField(default=list)
    counts = models.JSONField(default=dict)
    checked = models.PositiveIntegerField(default=0)
    taken = models.PositiveIntegerField(default=0)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]


class KeptMapping(models.Model):
    """Where columns of files went the last time, by their headings: kept for the next file."""

    form = models.ForeignKey(Form, models.CASCADE, related_name="kept_mappings")
    part = models.CharField(max_length=60, blank=True)
    by_head = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["form", "part"], name="one_mapping")]
