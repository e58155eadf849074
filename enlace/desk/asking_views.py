"""What a person is told while asking for rows: the values that occur, the value of a cell, and where a text is found."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import AnyFilter, exactly_text, read_box, text_test
from enlace.core.dataset.finding import look
from enlace.core.dataset.groups import frequent
from enlace.core.dataset.lookups import shown_text
from enlace.core.dataset.reached import reached
from enlace.core.dataset.spread import spread
from enlace.core.dataset.totals import NUMBERS
from enlace.core.dataset.window import Rows
from enlace.core.kinds import KINDS, TEXTS, Unreadable
from enlace.core.problem import Problem
from enlace.core.view.filtering import anywhere

from .date_spans import in_spans, spans_of
from .opening import number_from, on_form, text_from
from .reach import names_beyond
from .work import Work

MOST_VALUES = 100
AT_ONCE = 500_000  # rows of which all that have a text are counted; of more the next one is looked for
LONGEST = 200


def _shown(work: Work, name: str) -> FieldSpec:
    field = next((f for f in work.dataset.shown if f.name == name), None)
    if field is None:
        raise Problem("This form has no such field.", "Choose one from the list.", code="bad")
    return field


@require_GET
@on_form
def reach(request: HttpRequest, work: Work) -> HttpResponse:
    """What conditions may be about beside the fields of the record, as JSON: asked when somebody builds one."""
    known = reached(work.dataset)
    names = names_beyond(work.part, work.parts, bool(work.person.is_builder))
    fields = [{"name": name, "label": known[name].label, "kind": known[name].kind} for name in names]
    return JsonResponse({"fields": fields})


@require_GET
@on_form
def values(request: HttpRequest, work: Work) -> HttpResponse:
    """The values of a field that occur in the rows as they are filtered now, the most frequent first, with their counts."""
    field = _shown(work, text_from(request, "field"))
    typed = request.GET.get("typed", "").strip()[:LONGEST]
    rows = work.rows
    if typed:
        try:
            wanted = text_test(field, "has", typed) if _is_text(field) else read_box(field, typed, work.formats)
        except Unreadable as error:
            raise Problem(str(error), "Type a part of a text, or a value.", code="bad") from None
        rows = _narrowed(work, wanted)
    number = work.formats.number()
    if spans := spans_of(field):
        by = request.GET.get("by") if request.GET.get("by") in spans else "month"
        told, met = in_spans(rows, field, str(by), work.formats, MOST_VALUES)
        several = [(name, words, name == by) for name, words in spans.items()]
        context = {"field": field, "more": told.more, "typed": typed, "spans": several}
        context["lines"] = [{"value": value, "words": words, "count": number(count)} for value, words, count in met]
        context["part"] = number(told.part) if told.part else ""
        return render(request, "desk/values.html", context)
    told = frequent(rows, field.name, MOST_VALUES)
    write = KINDS[field.kind].formatter(field, work.formats)
    lines = []
    for group in told.groups:
        shown = shown_text(field.lookup, group.shown, work.formats) if field.lookup and group.shown else None
        words = shown or (
            "(empty)" if group.value is None else "(empty text)" if group.value == "" else write(group.value)
        )
        lines.append(
            {"value": exactly_text(field, group.value, work.formats), "words": words, "count": number(group.count)}
        )
    context = {"field": field, "lines": lines, "more": told.more, "typed": typed, **_range(work, field, rows)}
    context["part"] = number(told.part) if told.part else ""
    return render(request, "desk/values.html", context)


HIGH, WIDE = 44, 14  # pixels of the greatest bar, and of each


def _range(work: Work, field: FieldSpec, rows: Rows) -> dict[str, Any]:
    """How the numbers of a field spread, for those who ask for a range of them."""
    if field.kind not in NUMBERS or field.lookup:
        return {}
    typed = lambda value: KINDS[field.kind].as_typed(value, field, work.formats)  # noqa: E731
    try:
        bars = spread(rows, field.name)
    except Problem as problem:
        if problem.code != "slow":
            raise
        bars = []  # a range can be typed all the same
    most = max((bar.count for bar in bars), default=0)
    number = work.formats.number()
    return {
        "ranged": True,
        "bars_wide": WIDE * len(bars),
        "bars": [
            {
                "from": typed(int(bar.least) if field.kind == "whole" else bar.least),
                "to": typed(int(bar.most) if field.kind == "whole" else bar.most),
                "count": number(bar.count),
                "x": i * WIDE,
                "y": HIGH - (height := max(1, round(HIGH * bar.count / most)) if bar.count else 0),
                "height": height,
            }
            for i, bar in enumerate(bars)
        ],
    }


def _is_text(field: FieldSpec) -> bool:
    return bool(field.lookup) or field.kind in TEXTS


def _narrowed(work: Work, wanted: Any) -> Rows:
    """The rows as they are read, those alone that pass one more filter."""
    rows = work.rows
    return Rows(rows.spec, rows.dataset, rows.order, rows.within, (*rows.filters, wanted))


@require_GET
@on_form
def exactly(request: HttpRequest, work: Work) -> HttpResponse:
    """What asks for the value that a record has in a field, to the last letter."""
    field = _shown(work, text_from(request, "field"))
    value = work.record(text_from(request, "record")).value(field.name)
    if isinstance(value, bytes) or field.kind == "longtext":
        raise Problem(
            f"Rows can't be filtered by a whole value of {field.label}.", "Type a part of it in its box.", code="bad"
        )
    return JsonResponse({"value": exactly_text(field, value, work.formats)})


@require_GET
@on_form
def find(request: HttpRequest, work: Work) -> HttpResponse:
    """Where a text is found in what the rows show, at or after a place, or before it: position (from 0), which of how many."""
    typed = text_from(request, "text").strip()[:LONGEST]
    try:
        wanted = anywhere(typed, work.dataset, work.formats)
    except Unreadable:
        return JsonResponse({"count": 0})
    total = work.rows.known_count()
    if total is not None and total > AT_ONCE and work.rows.told_apart:
        return JsonResponse(_looked(request, work, wanted, total))
    rows = _narrowed(work, wanted)
    count = rows.count()
    if not count:
        return JsonResponse({"count": 0})
    if rows.window(0, 1)[0].id.startswith("p"):
        # Nothing tells such rows apart, so that their place among all others can't be looked for.
        sentence = f"{count:,} rows have it. Nothing tells them apart here: filter them to see them."
        return JsonResponse({"count": count, "sentence": sentence})
    place, back = number_from(request, "position", 0), request.GET.get("back") == "1"
    again = request.GET.get("again") == "1"
    first = _first_from(work, rows, count, place + (1 if again and not back else 0))
    at = first - 1 if back else first
    at = at % count  # from the last one on to the first, and back
    number = work.formats.number()
    told = {"count": count, "which": at + 1, "sentence": f"{number(at + 1)} of {number(count)}", "goes": True}
    return JsonResponse({**told, "position": _position(work, rows, at)})


def _looked(request: HttpRequest, work: Work, wanted: AnyFilter, total: int) -> dict[str, Any]:
    """The next place of a text in more rows than can be counted while somebody waits: found, or how far the search is.

    at: where to go on from; left: how many rows are to be looked at yet, all of them to begin with.
    """
    back, again = request.GET.get("back") == "1", request.GET.get("again") == "1"
    begins = number_from(request, "position", 0) + (1 if again and not back else 0)
    at, left = number_from(request, "at", begins), min(number_from(request, "left", total), total)
    at = (at or total) if back else at % total  # from the last one on to the first, and back
    at = min(at, total)
    end = max(0, at - left) if back else min(total, at + left)
    told = look(work.rows, wanted, at, end)
    number = work.formats.number()
    if told.found is not None:
        return {"count": 1, "position": told.found, "sentence": f"In row {number(told.found + 1)}", "goes": True}
    left -= abs(told.next - at)
    done = f"Looked through {number(total - left)} of {number(total)} rows"
    return {"count": 0, "at": told.next, "left": left, "done": done}


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
