"""A text that stands in many records, replaced in all of them: looked at first, then one step to undo."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import Combined, Filter
from enlace.core.kinds import TEXTS
from enlace.core.problem import Problem

from .blocks import AT_ONCE, Block, put_block, take_in
from .contexts import base_context
from .opening import on_form
from .typed import Typed
from .views import all_anew, where_one_was
from .work import Work

MOST_RECORDS = 20_000
MOST_SAMPLES = 8
LONGEST = 400


@dataclass(frozen=True)
class Wanted:
    """What is to be replaced by what, and in which fields. capitals: whether they matter."""

    fields: tuple[FieldSpec, ...]
    find: str
    put: str
    capitals: bool

    def of(self, text: str) -> str:
        """A text with all that was looked for replaced."""
        return re.sub(re.escape(self.find), lambda _: self.put, text, flags=0 if self.capitals else re.IGNORECASE)


@dataclass
class Replacing:
    """What a replacement comes to. samples: (label, before, after) of the first texts."""

    block: Block
    samples: list[tuple[str, str, str]]
    more: bool = False


def text_fields(work: Work) -> list[FieldSpec]:
    """The fields that hold texts which people type."""
    return [
        field
        for field in work.dataset.shown
        if field.kind in TEXTS and field.name in work.dataset.by_name and not field.lookup
        and not (field.read_only or field.generated)
    ]  # fmt: skip


def _wanted(request: HttpRequest, work: Work) -> Wanted:
    name, find = request.POST.get("field", ""), request.POST.get("find", "")
    fields = tuple(field for field in text_fields(work) if name in ("", field.name))
    if not fields:
        raise Problem("Texts of that field can't be replaced.", "Choose one from the list.", code="bad")
    if not find or len(find) > LONGEST:
        raise Problem("There is nothing to look for.", f"Type a text of at most {LONGEST} characters.", code="bad")
    if "\0" in find:
        raise Problem("No database keeps a NUL character.", "Leave it out of what is looked for.", code="bad")
    return Wanted(fields, find, request.POST.get("put", "")[:LONGEST], request.POST.get("capitals") == "1")


def replaced(work: Work, wanted: Wanted) -> Replacing:
    """What would be replaced in the rows as they are filtered now; nothing is changed. Raises Problem."""
    work.require_editable()
    made = Replacing(Block(), [])
    found = Combined("any", tuple(Filter(field.name, "has", wanted.find) for field in wanted.fields))
    rows = replace(work.rows, filters=(*work.rows.filters, found))
    known: dict[tuple[str, str], Typed | Problem] = {}
    for start in range(0, MOST_RECORDS, AT_ONCE):
        ids = [row.id for row in rows.window(start, AT_ONCE) if not row.id.startswith("p")]
        _read(work, wanted, made, ids, known)
        if len(ids) < AT_ONCE:
            return made
    made.more = bool(rows.window(MOST_RECORDS, 1))
    return made


def _read(
    work: Work, wanted: Wanted, made: Replacing, ids: Sequence[str], known: dict[tuple[str, str], Typed | Problem]
) -> None:
    stored, there = work.stored_of(ids), work.store.some(ids)
    for identifier in ids:
        before, read = there.get(identifier), stored.get(identifier)
        values = before.values(read) if before else read or {}
        texts = []
        for field in wanted.fields:
            text = values.get(field.name)
            if isinstance(text, str) and (after := wanted.of(text)) != text:
                texts.append((field, after))
                if len(made.samples) < MOST_SAMPLES:
                    made.samples.append((field.label, text[:120], after[:120]))
        if texts:
            take_in(work, made.block, identifier, before, read, texts, known)


@require_GET
@on_form
def ask(request: HttpRequest, work: Work) -> HttpResponse:
    """What is to be replaced, as a form."""
    return render(request, "desk/replace.html", {**base_context(work), "fields": text_fields(work)})


@require_POST
@on_form
def look(request: HttpRequest, work: Work) -> HttpResponse:
    """What a replacement would change, its first texts as they are and as they would be."""
    made = replaced(work, _wanted(request, work))
    told = {"count": made.block.edited, "samples": made.samples, "refused": made.block.told(), "more": made.more}
    return render(request, "desk/replace_seen.html", {**told, "most": MOST_RECORDS})


@require_POST
@on_form
def run(request: HttpRequest, work: Work) -> HttpResponse:
    """Replace; one step of the draft."""
    wanted = _wanted(request, work)
    made = replaced(work, wanted)
    changed = put_block(work, made.block, f"Replace {wanted.find[:40]}")
    said = f"Replaced in {len(changed):,} record{'s' * (len(changed) != 1)}." if changed else "It stands nowhere."
    if made.more:
        said += f" These are the first {MOST_RECORDS:,}: save, and go on with the others."
    if refused := made.block.told():
        said += " Not everywhere: " + " ".join(refused)
    return all_anew(request, work, where_one_was(request, work)).say(said).response()
