"""What a database holds: tables, views, columns, keys, references, first rows; and a form from any of them."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.dataset.anchors import count_of
from enlace.core.dataset.inference.make import make_dataset, why_read_only
from enlace.core.kinds import raw_text
from enlace.core.labels import label_of
from enlace.core.model.catalog import Table
from enlace.core.problem import Problem
from enlace.core.save.receipts import create_statement
from enlace.core.server import Catalog, step_names
from enlace.core.server.catalog import first_rows
from enlace.core.server.engine import reading
from enlace.core.server.making import KINDS

from . import practice
from .models import Connection, Dataset, Form
from .place import free_name, stand_in
from .secrets import PasswordAsked

FIRST_ROWS = 8
CUT = 80
MOST_COLUMNS = 60


def _connection(request: HttpRequest, pk: int) -> Connection:
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=pk)
    stand_in(request, connection.project, "Connections")
    return connection


@builder_only
def connection(request: HttpRequest, connection_id: int) -> HttpResponse:
    """A connection: its test, and the tables and views that it reaches."""
    opened = _connection(request, connection_id)
    catalog, problem, steps = None, None, []
    try:
        spec = opened.to_spec()
        steps = step_names(spec)
        catalog = Catalog.of(spec)
    except PasswordAsked:
        raise
    except Problem as error:
        problem = error
    context = {
        "project": opened.project,
        "connection": opened,
        "copy_made": practice.made_at(opened) if opened.server.is_file else None,
        "receipts_sql": create_statement(spec) if catalog and not opened.receipts else "",
        "steps": steps,
        "test_now": "test" in request.GET or problem is not None,
        "catalog": catalog,
        "cards": (cards := _cards(catalog) if catalog else []),
        "out_of_sight": catalog.out_of_sight() if catalog and not cards else "",
        "problem": problem,
    }
    return render(request, "workshop/connection.html", context)


def _cards(catalog: Catalog) -> list[dict]:
    out: dict[str, int] = {}
    for reference in catalog.references:
        out[reference.table] = out.get(reference.table, 0) + 1
    cards = [{"name": name, "is_view": False, "references": out.get(name, 0)} for name in catalog.tables]
    return cards + [{"name": name, "is_view": True, "references": 0} for name in catalog.views]


def _name(request: HttpRequest) -> str:
    name = request.POST.get("name") if request.method == "POST" else request.GET.get("name")
    if not name:
        raise Problem("No table is named.", "Choose one from the connection's list.", code="bad")
    return name


@builder_only
def count(request: HttpRequest, connection_id: int) -> HttpResponse:
    """The row count of one table, asked apart: it may take a while."""
    connection = _connection(request, connection_id)
    name = _name(request)
    try:
        catalog = Catalog.of(connection.to_spec())
        rows = count_of(catalog.spec, catalog.table(name).name)
    except Problem as problem:
        if problem.code == "missing":
            raise
        return HttpResponse("not counted: " + ("it takes too long" if problem.code == "slow" else problem.what))
    return HttpResponse(f"{rows:,}" + (" row" if rows == 1 else " rows"))


@builder_only
def table(request: HttpRequest, connection_id: int) -> HttpResponse:
    """One table or view with all that the catalog says of it."""
    connection = _connection(request, connection_id)
    spec = connection.to_spec()
    details = Catalog.of(spec).table(_name(request))
    try:
        with reading(spec) as server:
            rows = [
                [_shown(value) for value in row[:MOST_COLUMNS]] for row in first_rows(server, details, FIRST_ROWS, CUT)
            ]
        unreadable = None
    except Problem as problem:  # a view whose tables are gone can be listed but not read
        rows, unreadable = [], problem
    context = {
        "project": connection.project,
        "connection": connection,
        "table": details,
        "columns": [_column(details, column) for column in details.columns],
        "rows": rows,
        "heads": [column.name for column in details.columns[:MOST_COLUMNS]],
        "left_out": max(0, len(details.columns) - MOST_COLUMNS),
        "unreadable": unreadable,
        "kinds": [(kind, label) for kind, label in KINDS.items() if kind != "number"],
        "why_read_only": why_read_only(details),
        "forms": Form.objects.filter(dataset__connection=connection, dataset__table=details.name),
    }
    return render(request, "workshop/table.html", context)


def _column(details: Table, column: Any) -> dict:
    marks = []
    if column.name in details.key:
        marks.append("key" if len(details.key) == 1 else f"key {details.key.index(column.name) + 1}")
    if column.numbered:
        marks.append("numbered")
    if column.computed:
        marks.append("computed")
    target = next((r for r in details.references if column.name in r.columns), None)
    return {"column": column, "marks": marks, "target": target}


def _shown(value: Any) -> str | None:
    if value is None:
        return None
    if isinstance(value, bytes):
        return "binary data"
    text = raw_text(value)
    return text if len(text) < CUT else text[: CUT - 1] + "…"


@require_POST
@builder_only
def make_form(request: HttpRequest, connection_id: int) -> HttpResponse:
    """A dataset and a complete form from a table or view."""
    connection = _connection(request, connection_id)
    name = _name(request)
    spec = make_dataset(connection.to_spec(), name)
    title = free_name(set(connection.project.forms.values_list("title", flat=True)), label_of(name))
    dataset = Dataset.make(connection, spec, title)
    form = Form.make(dataset, title)
    messages.success(request, f"The form “{title}” is ready: {len(spec.fields)} fields, a grid and a navigator.")
    leads = {"1": "work", "sheet": "compose"}.get(request.POST.get("open", ""))
    return redirect(reverse(leads, args=[form.pk]) if leads else form)


def table_url(connection: Connection, name: str) -> str:
    """The address of a table's page; names may hold any character."""
    return reverse("table", args=[connection.pk]) + "?" + urlencode({"name": name})
