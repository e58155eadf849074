"""The rows of drafts, written many at once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from django.db import connection

from .many import insert
from .models import Draft, DraftRecord


class DraftRow(NamedTuple):
    """One pending record as it is kept; the fields are those of `DraftRecord`."""

    part: str
    record: str
    owner: str
    was_of: str | None
    now_of: str | None
    state: str
    faulty: bool
    later: bool
    body: str


KEY = ("part", "record")


def write(draft: Draft, rows: Sequence[DraftRow]) -> None:
    """Store rows, in place of those of the same records."""
    if not rows:
        return
    draft_id = draft.pk
    insert(DraftRecord, ("draft", *DraftRow._fields), ((draft_id, *row) for row in rows), _in_their_place())


def _in_their_place() -> str:
    """What an INSERT does where a record is pending already."""
    meta, quoted = DraftRecord._meta, connection.ops.quote_name
    columns = {name: quoted(meta.get_field(name).column) for name in ("draft", *DraftRow._fields)}
    held = ", ".join(columns[name] for name in ("draft", *KEY))
    set_anew = ", ".join(
        f"{column} = EXCLUDED.{column}" for name, column in columns.items() if name not in ("draft", *KEY)
    )
    return f"ON CONFLICT ({held}) DO UPDATE SET {set_anew}"
