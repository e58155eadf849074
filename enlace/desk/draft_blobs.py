"""Large values of drafts, kept once however many records and steps hold them."""

from __future__ import annotations

import hashlib
import re
from itertools import chain
from typing import Any

from django.db import models
from django.db.models.functions import Length

from enlace.core.draft import PendingRecord
from enlace.core.model.values import packed, unpacked
from enlace.core.problem import Problem

from .models import Draft, DraftBlob

APART_FROM = 50_000  # characters or bytes
MOST_BYTES = 512 * 1024 * 1024  # of a draft
BLOB = re.compile(r'\{"\$":"blob","v":"([0-9a-f]{64})"')  # as the text form of a record has one


def is_apart(value: Any) -> bool:
    """Whether a value is kept apart from its record."""
    return isinstance(value, str | bytes) and len(value) >= APART_FROM


def holds_apart(record: PendingRecord) -> bool:
    """Whether a value of a record is kept apart from it."""
    theirs = record.conflict.theirs if record.conflict else None
    several = chain(record.key, record.was.values(), record.now.values(), theirs.values() if theirs else ())
    return any(map(is_apart, several))


def pack(draft: Draft | None, value: Any) -> Any:
    """A value as the text form of a record has it: a large one by its digest. Raises Problem where a draft would hold too much."""
    if not is_apart(value):
        return packed(value)
    is_text = isinstance(value, str)
    content = value.encode("utf-8", "surrogatepass") if is_text else value
    digest = hashlib.sha256(content).hexdigest()
    # Added up each time: two windows put pictures into one draft.
    held = DraftBlob.objects.filter(draft=draft).aggregate(n=models.Sum(Length("content")))["n"] or 0
    if held + len(content) > MOST_BYTES:
        hint = "Save it, or drop some of it, and go on then."
        raise Problem(f"A draft holds at most {MOST_BYTES // 2**20} MB of pictures and long texts.", hint, code="bad")
    DraftBlob.objects.get_or_create(draft=draft, digest=digest, is_text=is_text, defaults={"content": content})
    return {"$": "blob", "v": digest, "text": is_text}


def unpack(draft: Draft | None, value: Any) -> Any:
    """The value behind what `pack` made."""
    if not isinstance(value, dict) or value.get("$") != "blob":
        return unpacked(value)
    row = DraftBlob.objects.get(draft=draft, digest=value["v"], is_text=value["text"])
    content = bytes(row.content)
    return content.decode("utf-8", "surrogatepass") if value["text"] else content


def drop_unheld(draft: Draft) -> None:
    """Large values go with the last record that holds them; once the steps are gone only records do."""
    if not draft.blobs.exists():
        return
    held: set[str] = set()
    # By a search in the texts, since a record does not list its blobs and few drafts have any.
    for body in draft.records.filter(body__contains='"$":"blob"').values_list("body", flat=True).iterator():
        held.update(BLOB.findall(body))
    draft.blobs.exclude(digest__in=held).delete()
