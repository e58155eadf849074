"""Where a text is found in what the rows show, those of the draft as it has them."""

from __future__ import annotations

import time
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET

from enlace.core.dataset.filters import Among, AnyFilter, Combined
from enlace.core.dataset.finding import SECONDS, look
from enlace.core.dataset.group_draft import MOST_DRAFTED
from enlace.core.dataset.keys import KEYS_A_STATEMENT, in_parts
from enlace.core.dataset.window import Rows
from enlace.core.draft import PendingRecord
from enlace.core.kinds import Unreadable
from enlace.core.model.values import key_of
from enlace.core.rules.passing import passing
from enlace.core.server.dialects.sqlite_functions import folded
from enlace.core.view.filtering import anywhere

from .opening import number_from, on_form, text_from
from .work import Work

AT_ONCE = 500_000  # rows of which all that have a text are counted; of more the next one is looked for
STRETCH = 1_000  # new records that are looked at together
LONGEST = 200


@dataclass(frozen=True)
class Wanted:
    """A text that is looked for. typed: as it was typed. filter: what a server asks its rows. among: the same, with the rows
    that the draft has edited as they will be; new: the places, among the new records, of those that have it."""

    typed: str
    filter: AnyFilter
    among: AnyFilter
    new: Sequence[int] = ()


@require_GET
@on_form
def find(request: HttpRequest, work: Work) -> HttpResponse:
    """Where a text is found in what the rows show, at or after a place, or before it: position (from 0), which of how many."""
    typed = text_from(request, "text").strip()[:LONGEST]
    try:
        asked = anywhere(typed, work.dataset, work.formats)
    except Unreadable:
        return JsonResponse({"count": 0})
    wanted = Wanted(typed, asked, asked)
    if work.dataset.editable and work.store.counts()["all"]:
        wanted = _with_draft(work, wanted)
    stored = work.rows.known_count()
    many = (stored is not None and stored > AT_ONCE) or work.new_count > MOST_DRAFTED
    if many and work.rows.told_apart:
        return JsonResponse(_looked(request, work, wanted, work.rows.count() if stored is None else stored))
    return JsonResponse(_counted(request, work, wanted))


def _with_draft(work: Work, wanted: Wanted) -> Wanted:
    """What is looked for, the pending records looked at as they will be: those that are edited, unless very many are, and those
    that are new, unless they are looked through in stretches."""
    edited = work.store.all_edited() if work.store.counts()["edited"] <= MOST_DRAFTED else []
    stored = work.stored_of([record.id for record in edited])
    there = [record.id for record, has in zip(edited, _have(work, wanted, edited, stored), strict=True) if has]
    others = Combined("none", _rows_of(work, [record.id for record in edited]))
    among = Combined("any", (Combined("all", (wanted.filter, others)), *_rows_of(work, there)))
    new = _new_that_have(work, wanted, 0, work.new_count) if work.new_count <= MOST_DRAFTED else []
    return Wanted(wanted.typed, wanted.filter, among if edited else wanted.filter, new)


def _new_that_have(work: Work, wanted: Wanted, start: int, size: int) -> list[int]:
    """The places among the new records, from one on, of those that have what is looked for."""
    identifiers = work.store.new_slice(start, size) if size else []
    pending = work.store.some(identifiers)
    several = [(start + i, pending[one]) for i, one in enumerate(identifiers) if one in pending]
    told = _have(work, wanted, [record for _, record in several], {})
    return [place for (place, _), has in zip(several, told, strict=True) if has]


def _rows_of(work: Work, identifiers: Sequence[str]) -> tuple[Among, ...]:
    parts = in_parts([key_of(identifier) for identifier in identifiers], KEYS_A_STATEMENT)
    return tuple(Among(work.dataset.key, tuple(part)) for part in parts)


def _have(work: Work, wanted: Wanted, several: Sequence[PendingRecord], stored: Any) -> list[bool]:
    """Which pending records have what is looked for, in their values or in what was typed and is no value yet."""
    if not several:
        return []
    none = dict.fromkeys(work.dataset.by_name)
    values = [none | record.values(stored.get(record.id)) for record in several]
    outer = work.checks.of_master(work.part, work.master)
    told = passing(work.spec, work.rules.computed, [wanted.filter], values, outer)
    sought = folded(wanted.typed)
    return [
        has or any(sought in folded(text) for text in record.texts.values())
        for record, has in zip(several, told, strict=True)
    ]


def _counted(request: HttpRequest, work: Work, wanted: Wanted) -> dict[str, Any]:
    """The next place of a text, and which of how many it is."""
    rows = work.rows.narrowed(wanted.among)
    found = rows.count()
    count = found + len(wanted.new)
    if not count:
        return {"count": 0}
    if found and rows.window(0, 1)[0].id.startswith("p"):
        # Nothing tells such rows apart, so that their place among all others can't be looked for.
        sentence = f"{count:,} rows have it. Nothing tells them apart here: filter them to see them."
        return {"count": count, "sentence": sentence}
    place, back = number_from(request, "position", 0), request.GET.get("back") == "1"
    again = request.GET.get("again") == "1"
    stored = work.rows.count() if wanted.new else 0
    begins = place + (1 if again and not back else 0)
    first = _first_from(work, rows, found, begins)
    if first == found:
        first += bisect_left(wanted.new, begins - stored)
    at = (first - 1 if back else first) % count  # from the last one on to the first, and back
    position = _position(work, rows, at) if at < found else stored + wanted.new[at - found]
    number = work.formats.number()
    sentence = f"{number(at + 1)} of {number(count)}"
    return {"count": count, "which": at + 1, "sentence": sentence, "goes": True, "position": position}


def _looked(request: HttpRequest, work: Work, wanted: Wanted, stored: int) -> dict[str, Any]:
    """The next place of a text in more rows than can be counted while somebody waits: found, or how far the search is.

    at: where to go on from; left: how many rows are to be looked at yet, all of them to begin with. New records stand behind
    the stored ones.
    """
    back, again = request.GET.get("back") == "1", request.GET.get("again") == "1"
    total = stored + work.new_count
    begins = number_from(request, "position", 0) + (1 if again and not back else 0)
    at, left = number_from(request, "at", begins), min(number_from(request, "left", total), total)
    at = (at or total) if back else at % total  # from the last one on to the first, and back
    at = min(at, total)
    if at > stored or (at == stored and not back):
        end = max(stored, at - left) if back else min(total, at + left)
        found, then = _among_new(work, wanted, at - stored, end - stored)
        found, then = None if found is None else stored + found, stored + then
    else:
        told = look(work.rows, wanted.among, at, max(0, at - left) if back else min(stored, at + left))
        found, then = told.found, told.next
    number = work.formats.number()
    if found is not None:
        return {"count": 1, "position": found, "sentence": f"In row {number(found + 1)}", "goes": True}
    left -= abs(then - at)
    done = f"Looked through {number(total - left)} of {number(total)} rows"
    return {"count": 0, "at": then, "left": left, "done": done}


def _among_new(work: Work, wanted: Wanted, start: int, end: int) -> tuple[int | None, int]:
    """The next new record that has a text: its place among the new ones, None where none was met before the time was over; and
    the place to go on from. Backwards where end is before start."""
    back, at, until = end < start, start, time.monotonic() + SECONDS
    while at != end:
        low, high = (max(end, at - STRETCH), at) if back else (at, min(end, at + STRETCH))
        at = low if back else high
        having = _new_that_have(work, wanted, low, high - low)
        if having or time.monotonic() > until:
            return (having[-1 if back else 0] if having else None), at
    return None, end


def _position(work: Work, rows: Rows, at: int) -> int:
    """The place among all rows of the one that is at a place among those that are found."""
    identifier = rows.window(at, 1)[0].id
    position = work.rows.position(identifier)
    return 0 if position is None else position


def _first_from(work: Work, rows: Rows, count: int, place: int) -> int:
    """The first of the rows that are found whose place among all is at least this one; as many as there are for none."""
    low, high = 0, count
    while low < high:
        middle = (low + high) // 2
        if _position(work, rows, middle) < place:
            low = middle + 1
        else:
            high = middle
    return low
