"""The field sheet of a dataset: a line per field, changed in place, with real rows below that follow."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_GET, require_POST

from enlace.accounts.access import builder_only
from enlace.core.dataset import DatasetSpec
from enlace.core.dataset.conditional_formats import TONES
from enlace.core.dataset.field_properties import (
    ALIGNS,
    CALCULATED,
    PROPERTIES,
    choices_text,
    conditional_formats_text,
    kinds_for,
)
from enlace.core.dataset.related import related_rows
from enlace.core.dataset.source import names_for
from enlace.core.dataset.window import Rows
from enlace.core.expression import Expression, ExpressionError, Unsupported
from enlace.core.expression.faults import expression_faults
from enlace.core.kinds import KINDS, Formats, raw_text
from enlace.core.kinds.knowledge import KNOWN
from enlace.core.kinds.numbers import SHOWN
from enlace.core.kinds.patterns import COMMON, shown_by
from enlace.core.listed import names_text
from enlace.core.problem import Problem
from enlace.core.rules.computed import Computed
from enlace.rows.writer import row_writer

from . import sheet
from .lacking import lacking
from .models import Dataset, Field
from .query_views import faults_told

STRIP_ROWS = 3
TRIED_ROWS = 4
SAMPLES: dict[str, Any] = {"whole": -1234, "decimal": -1234.567}


def sheet_context(dataset: Dataset) -> dict[str, Any]:
    """What the field sheet shows."""
    fields = list(dataset.fields.all())
    lines = [{"field": field, "kind": KINDS[field.kind].label, "facts": _facts(field)} for field in fields]
    last = dataset.steps.last()
    return {
        "dataset": dataset,
        "lines": lines,
        "gone": lacking(dataset.pk, dataset.revision),
        "kinds": [(kind, KINDS[kind].label) for kind in CALCULATED],
        "undo": last.label if last else "",
        "names_json": json.dumps(_names(dataset.to_spec())),
        "reachable": sheet.reachable(dataset.to_spec()),
        **_strip(dataset),
    }


def _names(spec: DatasetSpec) -> list[str]:
    """What can be written in an expression: fields, columns of looked-up records and of details."""
    names = [f.name for f in spec.all if f.name.isidentifier()]
    # Completed in the box while one types; the parser knows the same names, so nothing is offered that it would refuse.
    names += [f"{name}.{column.name}" for name, (_, lookup) in spec.looked_up.items() for column in lookup.columns]
    return names + [f"{detail.name}.{column.name}" for detail in spec.details for column in detail.fields]


def _facts(field: Field) -> str:
    """What the table itself demands of a field."""
    if field.formula:
        return field.formula
    if field.numbered or field.computed:
        return "made by the database"
    facts = [f"default {field.default}"] if field.default else []
    if field.length:
        facts.append(f"at most {field.length} characters")
    if field.precision:
        facts.append(f"{field.precision} digits" + (f", {field.scale} after the point" if field.scale else ""))
    return "; ".join(facts)


def _strip(dataset: Dataset) -> dict[str, Any]:
    """Real rows as a grid would show them."""
    spec = dataset.to_spec()
    # The strip’s headings open the properties of their field, which goes by its number.
    numbers = dict(dataset.fields.values_list("name", "pk"))
    shown = [(numbers[f.name], f) for f in spec.shown]
    try:
        rows = Rows.of(dataset.connection.to_spec(), spec).window(0, STRIP_ROWS)
        html = row_writer(spec, Formats.of(settings.LOCALE)).write(rows, {}, lambda _: None)  # type: ignore[arg-type, return-value]
    except Problem as problem:
        return {"strip": "", "strip_problem": str(problem), "shown": shown}
    widths = " ".join(f"{f.width}px" for f in spec.shown)
    return {"strip": mark_safe(html), "shown": shown, "widths": widths}


def _dataset(pk: int) -> Dataset:
    return get_object_or_404(Dataset.objects.select_related("project", "connection"), pk=pk)


def _field(pk: int) -> Field:
    return get_object_or_404(Field.objects.select_related("dataset__connection", "dataset__project"), pk=pk)


def _answer(
    request: HttpRequest, dataset: Dataset, opened: Field | None = None, told: str = "", status: int = 200
) -> HttpResponse:
    dataset.refresh_from_db()
    context = {**sheet_context(dataset), "told": told}
    if opened is not None:
        context |= _properties_context(opened)
    return render(request, "workshop/sheet.html", context, status=status)


def _wants_part(request: HttpRequest) -> bool:
    return request.headers.get("HX-Request") == "true"


@require_POST
@builder_only
def put(request: HttpRequest, field_id: int) -> HttpResponse:
    """One property of one field."""
    field = _field(field_id)
    name, text = request.POST.get("property", ""), request.POST.get("value", "")
    told = ""
    try:
        if name == "lookup.from":
            sheet.list_from(field.dataset, field, text)
        elif name in PROPERTIES or name.startswith("lookup."):
            sheet.put(field.dataset, [field], name, text)
        else:
            raise Problem("A field has no such property.", "Reload the page.", code="bad")
    except Problem as problem:
        told = str(problem)
        if not _wants_part(request):
            raise
    if not _wants_part(request):
        return redirect(field.dataset)
    field.refresh_from_db()
    opened = field if request.POST.get("open") else None
    return _answer(request, field.dataset, opened, told)


@builder_only
@require_GET
def properties(request: HttpRequest, field_id: int) -> HttpResponse:
    """All that can be settled about one field."""
    field = _field(field_id)
    if not _wants_part(request):
        return redirect(field.dataset)
    return _answer(request, field.dataset, field)


def _properties_context(field: Field) -> dict[str, Any]:
    spec = field.to_spec()
    sample = SAMPLES.get(field.kind)
    formats = [(name, _example(name, field.kind, sample)) for name in COMMON.get(field.kind, ())]
    names = _names(field.dataset.to_spec())
    context = {
        "open": field,
        "spec": spec,
        "kinds_for": [(item, KINDS[item].label) for item in kinds_for(spec)],
        "aligns": ALIGNS.items(),
        "formats": formats,
        "known": [(name, label) for name, (label, _, _) in KNOWN.items()],
        "conditional_formats_text": conditional_formats_text(spec),
        "tones": TONES,
        "choices_text": choices_text(spec.lookup),
        "lookup_columns": names_text(spec.lookup.by_name) if spec.lookup else "",
        "lookup_shows": names_text(spec.lookup.shows) if spec.lookup else "",
        "lookup": spec.lookup,
        "names": names,
        "formatted": field.kind in COMMON,
        "saved": not (field.formula or field.outside),
    }
    if context["saved"]:
        try:
            lists = sheet.possible_lists(field.dataset)
        except Problem:
            lists = []
        context |= {"lists": lists, "list_from": sheet.place_now(field.dataset, spec.lookup)}
    return context


def _example(pattern: str, kind: str, sample: Any) -> str:
    import datetime

    given = {
        "date": datetime.date(2026, 3, 31),
        "time": datetime.time(14, 5, 30),
        "datetime": datetime.datetime(2026, 3, 31, 14, 5, 30),
    }.get(kind, sample)
    write = shown_by(pattern, settings.LOCALE, kind)
    return write(given) if write else ""


@require_POST
@builder_only
def act(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """Add, remove, order, reset, undo, repair, or change many fields at once."""
    dataset = _dataset(dataset_id)
    told = opened = None
    try:
        opened = _acts(request, dataset)
    except Problem as problem:
        if not _wants_part(request):
            raise
        told = str(problem)
    if not _wants_part(request):
        return redirect(dataset)
    return _answer(request, dataset, opened, told or "")


def _acts(request: HttpRequest, dataset: Dataset) -> Field | None:
    wanted = request.POST.get("act", "")
    if wanted == "undo":
        sheet.undo(dataset)
    elif wanted == "repair":
        sheet.repair(dataset)
    elif wanted == "add":
        if not sheet.added(dataset, request.POST.getlist("column")):
            raise Problem("The table has no such column to add.", "Reload the page.", code="bad")
    elif wanted == "join":
        if not sheet.joined(dataset, request.POST.getlist("column")):
            raise Problem("No column is chosen.", "Tick the columns that are to be shown.", code="bad")
    elif wanted == "calculate":
        given = (request.POST.get(name, "") for name in ("label", "kind", "formula"))
        return sheet.calculated(dataset, *given)
    elif wanted == "bulk":
        chosen = dataset.fields.filter(
            # Longer numbers than SQLite holds would be an error of the database, not an answer.
            pk__in=[n for n in request.POST.getlist("chosen") if n.isdecimal() and len(n) < 19]
        )
        name, _, value = request.POST.get("change", "").partition("=")
        if not chosen or name not in PROPERTIES:
            raise Problem("Nothing is chosen.", "Tick the fields that are to change, and choose how.", code="bad")
        sheet.put(dataset, chosen, name, request.POST.get("width", "") if name == "width" else value)
    else:
        number = request.POST.get("field", "")
        field = get_object_or_404(dataset.fields, pk=int(number[:18]) if number.isdecimal() else 0)
        field.dataset = dataset
        acts = {
            "up": lambda: sheet.moved(dataset, field, -1),
            "down": lambda: sheet.moved(dataset, field, 1),
            "remove": lambda: sheet.removed(dataset, field),
            "reset": lambda: sheet.reset(dataset, field),
        }
        if wanted not in acts:
            raise Problem("The request is incomplete.", "Reload the page and try again.", code="bad")
        acts[wanted]()
    return None


@builder_only
@require_GET
def attempt(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """What an expression gives for a few real records: asked while it is typed."""
    dataset = _dataset(dataset_id)
    text = next((said for name in ("expression", "value", "formula", "only") if (said := request.GET.get(name))), "")
    if not text.strip():
        return HttpResponse("")
    spec = dataset.to_spec()
    try:
        expression = Expression(text, names_for(spec))
    except Unsupported as error:
        return render(request, "workshop/tried.html", {"fault": str(error)})
    try:
        lines = _values(dataset, spec, expression)
    except Problem as problem:
        return render(request, "workshop/tried.html", {"fault": str(problem)})
    return render(request, "workshop/tried.html", {"lines": lines})


@builder_only
@require_POST
def faults(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """Where an expression that is being written is wrong, as JSON: from and to a character, and a sentence each.

    of: "record" for one that may use the fields of the record alone.
    """
    spec = _dataset(dataset_id).to_spec()
    near = spec.any_name if request.POST.get("of") == "record" else ()
    return faults_told(expression_faults(request.POST.get("text", ""), names_for(spec), near))


def _values(dataset: Dataset, spec: DatasetSpec, expression: Expression) -> list[tuple[str, str]]:
    """(record, value) for the first records."""
    server = dataset.connection.to_spec()
    rows = Rows.of(server, spec).window(0, TRIED_ROWS)
    computed = Computed(spec)
    records = [dict(zip(spec.by_name, row.values, strict=True)) for row in rows]
    needed = computed.needed(expression)
    related = related_rows(server, spec, {n for n in needed if "." in n}, records)
    facts = []
    for row, record, met in zip(rows, records, related, strict=True):
        try:
            value = expression.value(computed.values(record, met))
            # A quotient has as many digits as the computation carries; here people want to see whether it is right.
            value = SHOWN.plus(value) if isinstance(value, Decimal) else value
            shown = (
                "no value" if value is None else "yes" if value is True else "no" if value is False else raw_text(value)
            )
        except (ExpressionError, KeyError) as error:
            shown = str(error)
        facts.append((_name(spec, row), shown[:80]))
    return facts


def _name(spec: DatasetSpec, row: Any) -> str:
    keys = [raw_text(v) for f, v in zip(spec.fields, row.values, strict=True) if f.name in spec.key]
    return ", ".join(keys) or f"row {row.position + 1}"
