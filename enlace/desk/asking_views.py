"""What a person is told while asking for rows: the values that occur, the value of a cell, and where a text is found."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import exactly_text, read_box, text_test
from enlace.core.dataset.groups import frequent
from enlace.core.dataset.lookups import shown_text
from enlace.core.dataset.reached import reached
from enlace.core.dataset.spread import spread
from enlace.core.dataset.totals import NUMBERS
from enlace.core.dataset.window import Rows
from enlace.core.kinds import KINDS, TEXTS, Unreadable
from enlace.core.problem import Problem

from .date_spans import in_spans, spans_of
from .opening import on_form, text_from
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
        rows = rows.narrowed(wanted)
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
