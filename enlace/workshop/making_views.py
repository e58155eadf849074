"""Make a table, by hand or from a file, and add a column: the statement is shown, then run."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.problem import Problem
from enlace.core.save.samples import add_samples
from enlace.core.server.catalog import Catalog
from enlace.core.server.making import (
    KINDS,
    Inferred,
    NewColumn,
    add_statement,
    create_statement,
    inferred,
    make_table,
    run_statement,
    table_schema,
)

from .local import is_local, keep_schema, local_database
from .models import Connection, Dataset, Project
from .place import stand_in

LINES = 8


@builder_only
def table(request: HttpRequest, connection_id: int) -> HttpResponse:
    """A new table: its columns are typed, or taken from a file; its statement is shown before it is run."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Connections")
    context = {
        "project": connection.project,
        "connection": connection,
        "kinds": KINDS.items(),
        "name": "",
        "content": "",
    }
    if request.method != "POST":
        return render(request, "workshop/make_table.html", context | {"lines": _lines([])})
    name = request.POST.get("name", "").strip()
    content = _content(request)
    columns = _columns(request)
    context |= {"name": name, "content": content}
    try:
        read = inferred(content) if content else Inferred((), ())
        columns = columns or list(read.columns)
        context |= {"lines": _lines(columns), "rows": len(read.rows)}
        statement = create_statement(connection.to_spec(), name, columns)
        if "schema" in request.POST:
            return HttpResponse(table_schema(columns), content_type="application/json")
        if "run" in request.POST:
            rows = _fitting(read, columns)
            make_table(connection.to_spec(), name, columns, rows)
            keep_schema(connection, name, columns)
            messages.success(request, f"The table {name} is made{f', with {len(rows)} rows' if rows else ''}.")
            return redirect(f"{reverse('table', args=[connection.pk])}?{urlencode({'name': name})}")
        context |= {"statement": statement, "schema": table_schema(columns)}
    except Problem as problem:
        context |= {"told": str(problem) + (f" ({problem.words})" if problem.words else ""), "lines": _lines(columns)}
        return render(request, "workshop/make_table.html", context, status=400)
    return render(request, "workshop/make_table.html", context)


def _content(request: HttpRequest) -> str:
    given = request.FILES.get("file")
    if given is None:
        return request.POST.get("content", "")
    if given.size > 8_000_000:
        raise Problem("The file is too large.", "At most 8 MB are read.", code="bad")
    try:
        return given.read().decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Problem("The file is not in UTF-8.", "Save it with that encoding, and try again.", code="bad") from None


def _columns(request: HttpRequest) -> list[NewColumn]:
    posted = request.POST
    names = posted.getlist("column")[:200]
    columns = []
    for i, name in enumerate(names):
        if name.strip():
            kinds, sizes = posted.getlist("kind"), posted.getlist("size")
            kind, size = (several[i] if i < len(several) else "" for several in (kinds, sizes))
            columns.append(NewColumn(name.strip(), kind, size[:12], str(i) in posted.getlist("needed"), str(i) in posted.getlist("key")))  # fmt: skip
    return columns


def _lines(columns: list[NewColumn]) -> list[NewColumn]:
    blank = NewColumn("", "text")
    return [*columns, *[blank] * max(3, LINES - len(columns))]


def _fitting(read: Inferred, columns: list[NewColumn]) -> list[tuple]:
    """The file's rows for the columns as they are wanted: values whose kind was changed go through their text."""
    if not read.rows:
        return []
    places = {other.name: i for i, other in enumerate(c for c in read.columns if c.kind != "number")}
    wanted = [column for column in columns if column.kind != "number"]
    lacking = [column.name for column in wanted if column.name not in places]
    if lacking:
        hint = "Keep the names that the file has, or make the table without its rows."
        raise Problem(f"The file has no column {lacking[0]}.", hint, code="bad")
    kinds = {column.name: column.kind for column in read.columns}
    texts = {
        column.name
        for column in wanted
        if column.kind in ("text", "longtext") and kinds[column.name] not in ("text", "longtext")
    }
    made = []
    for row in read.rows:
        values = [row[places[column.name]] for column in wanted]
        made.append(
            tuple(str(v) if v is not None and c.name in texts else v for v, c in zip(values, wanted, strict=True))
        )
    return made


@require_POST
@builder_only
def column(request: HttpRequest, connection_id: int) -> HttpResponse:
    """A new column of a table: first the statement, then (run) it is run."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Connections")
    spec = connection.to_spec()
    name = Catalog.of(spec).table(request.POST.get("table", "")).name
    new = NewColumn(
        request.POST.get("column", "").strip(), request.POST.get("kind", ""), request.POST.get("size", "")[:12]
    )
    statement = add_statement(spec, name, new)
    back = f"{reverse('table', args=[connection.pk])}?{urlencode({'name': name})}"
    if "run" not in request.POST:
        context = {
            "project": connection.project,
            "connection": connection,
            "table": name,
            "new": new,
            "statement": statement,
        }
        return render(request, "workshop/add_column.html", context | {"back": back})
    run_statement(spec, statement)
    messages.success(request, f"{name} has a column {new.name} now. Its datasets can add a field for it.")
    return redirect(back)


@require_POST
@builder_only
def samples(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """Made-up rows for a dataset in the project's own database."""
    dataset = get_object_or_404(Dataset.objects.select_related("connection", "project"), pk=dataset_id)
    if not is_local(dataset.connection):
        hint = "Only a database of the project's own takes made-up rows. Enter some at the desk instead."
        raise Problem("This table may hold real data.", hint, code="bad")
    text = request.POST.get("count", "").strip()
    count = int(text[:9]) if text.isdecimal() else 0
    added = add_samples(dataset.connection.to_spec(), dataset.to_spec(), count)
    rest = f" The rules or the database took no more of the {count}." if added < count else ""
    messages.success(request, f"{added} made-up {'row is' if added == 1 else 'rows are'} in {dataset.table} now.{rest}")
    return redirect(dataset)


@require_POST
@builder_only
def local(request: HttpRequest, project_id: int) -> HttpResponse:
    """A database of the project's own: for tables that are nowhere else."""
    project = get_object_or_404(Project, pk=project_id)
    return redirect("make-table", local_database(project, "memory" in request.POST).pk)
