"""The same values for several records: a panel that shows what they have in common, and puts what is typed into all of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset import FieldSpec
from enlace.core.problem import Problem

from .blocks import AT_ONCE, Block, put_block, take_in
from .contexts import base_context
from .editors import EditorView, editor_views
from .opening import number_from, on_form
from .typed import Typed, typed_in
from .views import all_anew, where_one_was
from .work import Work

MOST_RECORDS = 20_000
MOST_CHOSEN = 2_000  # whose ids the page carries
MOST_COMPARED = 500  # to tell what they have in common
TYPED, TAKEN, CHOICE = "put-", "take-", "choice-"  # what begins the names of a field's inputs


@dataclass(frozen=True)
class Shared:
    """A field of several records, as an editor of one of them shows it. same: whether all of them hold that."""

    one: EditorView
    same: bool


def fields_of(work: Work) -> list[FieldSpec]:
    """The fields that may be typed into."""
    own = work.dataset.by_name
    return [
        field
        for field in work.dataset.shown
        if field.name in own and field.kind not in ("picture", "binary") and not (field.read_only or field.generated)
    ]


def shared(work: Work, start: int, count: int) -> list[Shared]:
    """What some records have in common, by field; of more than are compared nothing is said to be."""
    fields = fields_of(work)
    view = work.at(start)
    if view is None:
        return []
    first = {one.field.name: one for one in editor_views(work, view)}
    values: dict[str, set[str]] = {field.name: set() for field in fields}
    if count <= MOST_COMPARED:
        ids = [row.id for row in work.window(start, count)[0]]
        stored, there = work.stored_of(ids), work.store.some(ids)  # whole: rows hold only the start of a long text
        for identifier in ids:
            pending, read = there.get(identifier), stored.get(identifier)
            now = pending.values(read) if pending else read or {}
            for name, held in values.items():
                held.add(repr(now.get(name)))
    return [Shared(first[field.name], len(values[field.name]) == 1) for field in fields]


def _wanted(request: HttpRequest, work: Work) -> list[tuple[FieldSpec, str, str]]:
    """The fields that get another value: what is typed into each, and which line of its list was chosen."""
    given = request.POST
    several = [
        (field, given.get(TYPED + field.name, ""), given.get(CHOICE + field.name, ""))
        for field in fields_of(work)
        if given.get(TAKEN + field.name)
    ]
    if not several:
        raise Problem("No field is to be changed.", "Type into one, or tick it.", code="bad")
    return several


def _more(request: HttpRequest, work: Work) -> bool:
    """Whether more records are meant than are changed at once."""
    return not request.POST.get("ids") and work.total() > MOST_RECORDS


def _ids(request: HttpRequest, work: Work) -> Iterator[list[str]]:
    """The records that are meant, some at a time: those that were chosen, else all that pass the filter."""
    chosen = request.POST.get("ids", "").split()[:MOST_CHOSEN]
    if chosen:
        yield from (chosen[at : at + AT_ONCE] for at in range(0, len(chosen), AT_ONCE))
        return
    for start in range(0, MOST_RECORDS, AT_ONCE):
        ids = [row.id for row in work.window(start, min(AT_ONCE, MOST_RECORDS - start))[0]]
        if ids:
            yield ids
        if len(ids) < AT_ONCE:
            return


def changed(work: Work, wanted: Sequence[tuple[FieldSpec, str, str]], several: Iterator[list[str]]) -> Block:
    """What some texts would make of several records; nothing is changed. Raises Problem."""
    work.require_editable()
    block = Block()
    known: dict[tuple[str, str], Typed | Problem] = {}
    for field, text, choice in wanted:
        if choice and field.lookup and not field.lookup.narrowed:
            known[field.name, text] = typed_in(work, field, text, choice, {})
    texts = [(field, text) for field, text, _ in wanted]
    for ids in several:
        stored, there = work.stored_of(ids), work.store.some(ids)
        for identifier in ids:
            take_in(work, block, identifier, there.get(identifier), stored.get(identifier), texts, known)
    return block


@require_GET
@on_form
def ask(request: HttpRequest, work: Work) -> HttpResponse:
    """The panel, for the records of a block of chosen cells (from, count), or for all that pass the filter."""
    start, count = number_from(request, "from", 0), number_from(request, "count", 0)
    if count > MOST_CHOSEN:
        hint = "Filter the rows, choose none of them, and all that pass are changed."
        raise Problem(f"At most {MOST_CHOSEN:,} records can be chosen.", hint, code="bad")
    total = work.total()
    ids = [row.id for row in work.window(start, count)[0]] if count else []
    several = shared(work, start if ids else 0, len(ids) or total)
    context = {"several": several, "ids": " ".join(ids), "count": len(ids) or total, "chosen": bool(ids)}
    context["number"] = work.formats.number()(len(ids) or total)
    return render(request, "desk/several.html", {**base_context(work), **context})


@require_POST
@on_form
def look(request: HttpRequest, work: Work) -> HttpResponse:
    """How many records it would change, and what it would not."""
    wanted = _wanted(request, work)
    block = changed(work, wanted, _ids(request, work))
    number = work.formats.number()
    told = {
        "count": block.edited,
        "number": number(block.edited),
        "fields": [field.label for field, _, _ in wanted],
        "refused": block.told(),
    }
    most = number(MOST_RECORDS) if _more(request, work) else ""
    return render(request, "desk/several_seen.html", {**told, "most": most})


@require_POST
@on_form
def run(request: HttpRequest, work: Work) -> HttpResponse:
    """Put it into all of them; one step of the draft."""
    block = changed(work, _wanted(request, work), _ids(request, work))
    ids = put_block(work, block, "Change several")
    said = f"{len(ids):,} record{'s' * (len(ids) != 1)} changed." if ids else "They are so already."
    if _more(request, work):
        said += f" These are the first {MOST_RECORDS:,}: filter the rows to reach the others."
    if refused := block.told():
        said += " Not everything could be put in: " + " ".join(refused)
    return all_anew(request, work, where_one_was(request, work)).say(said).response()
