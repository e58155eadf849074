"""Totals under a grid: chosen by each person, counted with the draft."""

from __future__ import annotations

from collections import Counter
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import exactly_text
from enlace.core.dataset.groups import MOST as MOST_GROUPS
from enlace.core.dataset.groups import Group, grouped
from enlace.core.dataset.lookups import chosen_text, shown_text
from enlace.core.dataset.totals import FUNCTIONS, Total, functions_for, present, totals
from enlace.core.draft import PendingRecord
from enlace.core.form.fields import WIDE
from enlace.core.kinds import KINDS
from enlace.core.problem import Problem
from enlace.core.server.engine import reading

from .addresses import view_text
from .contexts import base_context
from .models import WantedTotal
from .opening import number_from, on_form, text_from
from .work import Work

MOST = 12


@require_GET
@on_form
def show(request: HttpRequest, work: Work) -> HttpResponse:
    """The totals that the person has chosen."""
    return _page(request, work)


@require_POST
@on_form
def choose(request: HttpRequest, work: Work) -> HttpResponse:
    """One total more, or (remove) one less."""
    name, _, function = text_from(request, "total").rpartition(":")
    field = work.field(name)
    if function not in functions_for(field):
        raise Problem("There is no such total.", "Choose one from the list.", code="bad")
    mine = _mine(work)
    if "remove" in request.POST:
        mine.filter(field=name, function=function).delete()
    elif mine.count() >= MOST:
        raise Problem(f"There are {MOST} totals already.", "Remove one first.", code="bad")
    else:
        mine.get_or_create(person=work.person, form=work.form, part=work.part.name, field=name, function=function)
    return _page(request, work)


@require_GET
@on_form
def groups(request: HttpRequest, work: Work) -> HttpResponse:
    """How many rows there are of each value of a field, the draft counted in."""
    field = next((f for f in work.dataset.shown if f.name == text_from(request, "by")), None)
    if field is None:
        raise Problem("This form has no such field.", "Choose one from the list.", code="bad")
    start = number_from(request, "start", 0)
    counted, more = grouped(work.rows, field.name, start)
    counts = {_value_key(group.value): group for group in counted}
    moved, records = _moved(work, field)
    # Lines of the draft alone have no place in the server's order; they stand on the first page.
    if not start:
        # Values that only the draft has stand on the first page; those that the server has too, where it has them.
        wanted = {key: records[key].values().get(field.name) for key, n in moved.items() if n > 0 and key not in counts}
        ours = [key for key, value in wanted.items() if value is not None][:MOST_GROUPS]
        values = [wanted[key] for key in ours]
        there = (
            {_value_key(group.value) for group in grouped(work.rows, field.name, 0, MOST_GROUPS, values)[0]}
            if values
            else set()
        )
        for key in ours:
            if key not in there:
                counts[key] = Group(records[key].values().get(field.name), (), 0)
    number = work.formats.number()
    lines = []
    for key, other in counts.items():
        count = other.count + moved.get(key, 0)
        if count > 0:
            words = _words(work, field, other, records.get(key))
            lines.append((count, words, number(count), _address(work, field, other.value)))
    lines.sort(key=lambda line: -line[0])
    context = {"field": field, "lines": [line[1:] for line in lines], "start": start + 1, **base_context(work)}
    context["next"] = start + MOST_GROUPS if more else None
    context["back"] = max(start - MOST_GROUPS, 0) if start else None
    return render(request, "desk/groups.html", context)


def _value_key(value: Any) -> str:
    """Equal for equal values of any type."""
    return f"{value!r}" if isinstance(value, str | bytes) else f"{value}"


def _moved(work: Work, field: FieldSpec) -> tuple[Counter[str], dict[str, PendingRecord]]:
    """By value, by how many records the draft changes its count, and one of those."""
    counts: Counter[str] = Counter()
    records: dict[str, PendingRecord] = {}
    if field.name not in work.dataset.by_name:
        return counts, records
    for record in _met(work):
        # It leaves the line where the server still counts it, and comes to the one where it will be.
        if record.state != "new" and (record.state == "removed" or field.name in record.now):
            counts[_value_key(record.was.get(field.name))] -= 1
        if record.state != "removed" and (record.state == "new" or field.name in record.now):
            key = _value_key(record.values().get(field.name))
            counts[key] += 1
            records[key] = record
    return counts, records


def _met(work: Work) -> list[PendingRecord]:
    """The draft's records that are in view, those aside that the filters leave out."""
    drafted = list(work.store.in_view())
    touched = [record.id for record in drafted if record.state != "new"]
    if not (touched and work.rows.filters):
        return drafted
    with reading(work.spec) as connection:
        there = present(connection, work.rows, touched, ())
    return [record for record in drafted if record.state == "new" or record.id in there]


def _address(work: Work, field: FieldSpec, value: Any) -> str:
    """Where only the rows of a group are."""
    return f"{work.address}?{view_text(work.order, {**work.filter_texts, field.name: exactly_text(field, value, work.formats)}, work.groups)}"


def _words(work: Work, field: FieldSpec, group: Group, record: PendingRecord | None) -> str:
    if group.value == "":
        return "(empty text)"
    if field.lookup and field.lookup.table and group.shown:
        chosen = shown_text(field.lookup, group.shown, work.formats)
        if chosen is not None:
            return chosen
    elif record is not None and not group.shown:
        return work.words.of(work.dataset, field, record.values())
    elif field.lookup and (chosen := chosen_text(field, group.value)) is not None:
        return chosen
    return KINDS[field.kind].formatter(field, work.formats)(group.value)


def _mine(work: Work) -> Any:
    return WantedTotal.objects.filter(person=work.person, form=work.form, part=work.part.name)


def _page(request: HttpRequest, work: Work) -> HttpResponse:
    chosen = [Total(item.field, item.function) for item in _mine(work)]
    shown = {f.name: f for f in work.dataset.shown}
    wanted = [total for total in chosen if total.field in shown]
    values = totals(work.rows, wanted, work.store.in_view()) if wanted else []
    lines = [_line(work, total, value) for total, value in zip(wanted, values, strict=True)]
    offers = [
        {"value": f"{f.name}:{function}", "words": f"{f.label}: {FUNCTIONS[function].lower()}"}
        for f in work.dataset.shown
        for function in functions_for(f)
        if Total(f.name, function) not in wanted and f.kind not in ("picture", "binary")
    ]
    by = [f for f in work.dataset.shown if f.kind not in WIDE]
    context = {**base_context(work), "lines": lines, "offers": offers, "by": by}
    return render(request, "desk/totals.html", context)


def _line(work: Work, total: Total, value: Any) -> dict[str, Any]:
    field = work.dataset.by_name[total.field]
    if value is None:
        shown = "none"
    elif total.function in ("min", "max"):
        shown = KINDS[field.kind].formatter(field, work.formats)(value)
    else:
        scale = -value.as_tuple().exponent if hasattr(value, "as_tuple") else None
        shown = work.formats.number(max(scale, 0) if scale is not None else None)(value)
    return {
        "value": f"{total.field}:{total.function}",
        "label": field.label,
        "name": FUNCTIONS[total.function],
        "shown": shown,
    }
