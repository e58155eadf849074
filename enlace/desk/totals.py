"""Totals below a grid, and how many rows there are of each value: counted with the draft."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import exactly_text
from enlace.core.dataset.groups import MOST as MOST_GROUPS
from enlace.core.dataset.groups import Group, grouped
from enlace.core.dataset.lookups import chosen_text, shown_text
from enlace.core.dataset.totals import FUNCTIONS, NAMES, Total, present, totals
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS
from enlace.core.problem import Problem
from enlace.core.server.engine import reading

from .addresses import view_text
from .contexts import base_context, on_grid
from .opening import grid_from, number_from, on_form, text_from
from .work import Work


class Below(NamedTuple):
    """What stands below a column: what is added up, in a word, and what it comes to."""

    name: str
    shown: str


LOOKED_THROUGH = 200  # records at either end, for one that is not to be removed


@require_GET
@on_form
def show(request: HttpRequest, work: Work) -> HttpResponse:
    """The row below a grid: under each column the totals that the person has chosen, over all that passes the filter."""
    key = grid_from(request)
    shown = on_grid(work, key).shown
    by_name = work.dataset.by_name
    names = {field.name for field in shown}
    wanted = [total for total in work.arrangement(key).totals if total.field in names and total.field in by_name]
    lines: dict[str, list[Below]] = {}
    for total, value in zip(wanted, _values(work, wanted), strict=True):
        line = Below(NAMES[total.function], shown_total(work, total, value))
        lines.setdefault(total.field, []).append(line)
    context = {"cells": [(field, lines.get(field.name, [])) for field in shown]}
    return render(request, "desk/totals.html", context)


def _values(work: Work, wanted: Sequence[Total]) -> list[Any]:
    """The value of each total, in order."""
    added = [total for total in wanted if total.function in FUNCTIONS]
    values = dict(zip(added, totals(work.rows, added, work.store.in_view()), strict=True)) if added else {}
    if any(total.function == "first" for total in wanted):
        first = _end(work, 0, 1)
        values |= {total: first.get(total.field) for total in wanted if total.function == "first"}
    if any(total.function == "last" for total in wanted):
        last = _end(work, work.total() - 1, -1)
        values |= {total: last.get(total.field) for total in wanted if total.function == "last"}
    return [values[total] for total in wanted]


def _end(work: Work, at: int, step: int) -> Mapping[str, Any]:
    """The values of the first record from a place on that is not to be removed; none where there is none near."""
    for _ in range(LOOKED_THROUGH):
        if at < 0 or (view := work.at(at)) is None:
            return {}
        if view.state != "removed":
            return {field.name: view.value(field.name) for field in work.dataset.fields}
        at += step
    return {}


def shown_total(work: Work, total: Total, value: Any) -> str:
    """A total as people read it."""
    field = work.dataset.by_name[total.field]
    if value is None:
        return "none"
    endless = isinstance(value, Decimal) and not value.is_finite()
    # A sum is of the unit and currency that the field is written with; an average has more places than its values.
    formatted = total.function == "sum" and field.format and not endless
    if formatted or total.function in ("min", "max", "first", "last"):
        return KINDS[field.kind].formatter(field, work.formats)(value)[:200]
    if endless:
        return str(value)
    scale = -int(value.as_tuple().exponent) if isinstance(value, Decimal) else None
    return work.formats.number(max(scale, 0) if scale is not None else None)(value)


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
    """The draft's records that are in view, those aside that the filters leave out, or that are of another master."""
    drafted = list(work.store.in_view())
    touched = [record.id for record in drafted if record.state != "new"]
    if not (touched and (work.rows.filters or work.rows.within)):
        return drafted
    with reading(work.spec) as connection:
        there = present(connection, work.rows, touched, ())
    return [record for record in drafted if record.state == "new" or record.id in there]


def _address(work: Work, field: FieldSpec, value: Any) -> str:
    """Where only the rows of a group are."""
    return f"{work.address}?{view_text(work.asked.with_box(field.name, exactly_text(field, value, work.formats)))}"


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
