"""The ids that new records have since they were saved.

A page may still speak of a record by the id that it had while it was new, with an edit that was on its way while the
save was, or from a window that was left open overnight. They are kept in Enlace's own database, where nothing pushes
them out before their time.
"""

from __future__ import annotations

import datetime
from collections.abc import Mapping

from django.db import connection
from django.utils import timezone

from .many import insert
from .models import Renamed

KEPT_FOR = datetime.timedelta(days=30)  # a page that was left open for longer has to be read anew
AT_A_TIME = 5_000


def new_name(identifier: str) -> str:
    """The id that a new record has since it was saved; its own as long as it was not."""
    if not identifier.startswith("n"):
        return identifier
    return Renamed.objects.filter(old=identifier).values_list("new", flat=True).first() or identifier


def note_renamed(ids: Mapping[str, str]) -> None:
    """Keep the new ids of some records by their old ones; and forget those whose time is over."""
    if not ids:
        return
    now = timezone.now()
    at = connection.ops.adapt_datetimefield_value(now)
    rows = ((old, new, at) for old, new in ids.items() if len(old) <= 40)
    insert(Renamed, ("old", "new", "at"), rows, "ON CONFLICT DO NOTHING")
    over = Renamed.objects.filter(at__lt=now - KEPT_FOR).order_by("pk").values_list("pk", flat=True)
    if gone := list(over[:AT_A_TIME]):
        Renamed.objects.filter(pk__in=gone).delete()
