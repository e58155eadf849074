"""The query pad of a connection: write a query, run it, look, stop it, see its plan, keep it as a dataset with a form."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import wraps
from itertools import chain, islice
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.query import (
    MOST_CHARACTERS,
    MOST_ROWS,
    SAMPLE,
    Query,
    Result,
    checked_query,
    run_query,
    stream_query,
)
from enlace.core.dataset.query_dataset import query_dataset, result_fields
from enlace.core.dataset.query_faults import query_faults
from enlace.core.dataset.query_plan import query_plan
from enlace.core.exchange.csv_out import guarded
from enlace.core.exchange.outgoing import Sheet, value_out
from enlace.core.exchange.package_out import schema_of
from enlace.core.exchange.writers import WRITERS
from enlace.core.expression.faults import TextFault
from enlace.core.kinds import raw_text
from enlace.core.problem import Problem
from enlace.core.server.catalog import Catalog
from enlace.core.server.dialects import server_kind
from enlace.core.server.running import stop
from enlace.rows.sending import sent, writer_named

from .models import Connection, Dataset, Form
from .place import clean_name, stand_in
from .query_run import QueryRun
from .secrets import PasswordAsked

CUT = 120


@builder_only
def pad(request: HttpRequest, connection_id: int) -> HttpResponse:
    """The pad."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    return _pad(request, connection, request.GET.get("sql", ""))


def _pad(request: HttpRequest, connection: Connection, sql: str, status: int = 200, **told: Any) -> HttpResponse:
    """The pad with a query. told: what stands in the place of its result."""
    stand_in(request, connection.project, "Connections")
    columns = known_columns(connection)
    context = {
        "project": connection.project,
        "connection": connection,
        "tables": len(columns),
        "calls": server_kind(connection.kind).calls_give_rows,
        "known": {"dialect": connection.kind, "columns": columns},
        "sql": sql,
        "name": request.POST.get("name", ""),
        "formats": [(name, writer.label) for name, writer in WRITERS.items()],
        "runs": _runs(request, connection),
    }
    return render(request, "workshop/query.html", context | told, status=status)


def known_columns(connection: Connection) -> dict[str, list[str]]:
    """What an editor can complete: the columns by table; nothing while the database is away."""
    try:
        return Catalog.of(connection.to_spec()).column_names()
    except Problem:
        return {}


def _runs(request: HttpRequest, connection: Connection) -> Any:
    return connection.query_runs.filter(person=request.user.pk)


def _asked(request: HttpRequest, connection: Connection) -> tuple[Query, dict[str, str | None]]:
    """The query, and what was given for its parameters: nothing typed is no value, which suits a parameter of any type."""
    query = checked_query(request.POST.get("sql", ""), connection.kind, connection.to_spec(), calls=True)
    return query, {name: request.POST.get(f"given-{name}") or None for name in query.parameters}


def _asks(request: HttpRequest, query: Query) -> bool:
    """Whether values are to be asked for first: in the place of the result, and they go with what is pressed next."""
    return any(f"given-{name}" not in request.POST for name in query.parameters)


def _boxes(request: HttpRequest, names: Iterable[str]) -> list[tuple[str, str]]:
    return [(name, request.POST.get(f"given-{name}", "")) for name in names]


def on_pad(view: Callable[[HttpRequest, Connection], HttpResponseBase]) -> Callable[..., HttpResponseBase]:
    """An act with the pad's query, which goes on from the pad where values are wanted first or the query is refused: nothing
    that was written is lost."""

    @require_POST
    @builder_only
    @wraps(view)
    def acted(request: HttpRequest, connection_id: int) -> HttpResponseBase:
        connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
        sql = request.POST.get("sql", "")
        names: tuple[str, ...] = ()
        try:
            query, _ = _asked(request, connection)
            names = query.parameters
            if _asks(request, query):
                return _pad(request, connection, sql, given=_boxes(request, names), asking=True)
            with transaction.atomic():
                return view(request, connection)
        except PasswordAsked:
            raise
        except Problem as problem:
            status = 400 if problem.code == "bad" else 409
            return _pad(request, connection, sql, status, given=_boxes(request, names), problem=problem)

    return acted


@require_POST
@builder_only
def run(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Run the query and show its first rows, or (plan) tell how it would be run. Values for its parameters are asked for
    first."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    asks_plan = "plan" in request.POST
    try:
        query, given = _asked(request, connection)
        context = {"given": _boxes(request, query.parameters), "connection": connection}
        if _asks(request, query):
            return render(request, "workshop/query_result.html", {**context, "asking": True})
        if asks_plan:
            steps = query_plan(connection.to_spec(), query, given)
            return render(request, "workshop/query_plan.html", {**context, "steps": steps})
        result = run_query(
            connection.to_spec(), query, given, run=f"{request.user.pk} {request.POST.get('run', '')[:40]}"
        )
    except Problem as problem:
        # A plan is looked at again and again while one writes; only runs are worth finding again.
        if not asks_plan:
            _note(request, connection, told=str(problem)[:300])
        context = {"problem": problem, "connection": connection, "runs": _runs(request, connection)}
        return render(request, "workshop/query_result.html", context)
    milliseconds = round(result.seconds * 1000)
    _note(request, connection, milliseconds=milliseconds, rows=len(result.rows), more=result.more)
    context |= {"result": result, "most": MOST_ROWS, "milliseconds": milliseconds, **_grid(result)}
    return render(request, "workshop/query_result.html", {**context, "runs": _runs(request, connection)})


def _note(request: HttpRequest, connection: Connection, **came: Any) -> None:
    sql = request.POST.get("sql", "").strip()
    if sql:
        QueryRun.note(connection.pk, request.user.pk or 0, sql[:MOST_CHARACTERS], **came)


def _grid(result: Result) -> dict[str, Any]:
    """The rows as texts, by fields that their values suggest."""
    fields = result_fields(result)
    # A query may select whole files; the pad shows what a cell can.
    rows = [[None if v is None else raw_text(v)[:CUT] for v in row] for row in result.rows]
    return {
        "fields": fields,
        "rows": [list(zip(fields, row, strict=True)) for row in rows],
        "widths": " ".join(f"{field.width}px" for field in fields),
    }


@require_POST
@builder_only
def check(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Where the query that is being written is wrong, as JSON: from and to a character, and a sentence each."""
    connection = get_object_or_404(Connection, pk=connection_id)
    spec = connection.to_spec()
    # By the catalog as it was read lately: this is asked at each pause of typing.
    faults = query_faults(request.POST.get("sql", ""), spec, Catalog.lately(spec))
    return faults_told(faults)


def faults_told(faults: Iterable[TextFault]) -> JsonResponse:
    """Faults of a text as a code editor underlines them."""
    return JsonResponse({"faults": [{"from": f.start, "to": f.end, "message": f.sentence} for f in faults]})


def _cell(field: FieldSpec, raw: Any) -> str:
    """A value in a format that has texts only, kept from being taken for a formula."""
    text = "" if raw is None else raw_text(raw)
    return guarded(text) if isinstance(raw, str) else text


@on_pad
def export(request: HttpRequest, connection: Connection) -> HttpResponseBase:
    """All rows of the query in a format, read once and sent as they come."""
    name = request.POST.get("format", "csv")
    writer = writer_named(name)
    query, given = _asked(request, connection)
    rows = stream_query(connection.to_spec(), query, given)
    heads = next(rows)  # what is wrong with the query is told before anything is sent
    first = tuple(islice(rows, SAMPLE))
    fields = result_fields(Result(heads, first, False, 0.0))
    value = _cell if name == "csv" else value_out
    lines = ([value(field, raw) for field, raw in zip(fields, row, strict=True)] for row in chain(first, rows))
    schema = schema_of(DatasetSpec("", tuple(fields)), fields) if name == "package" else {}
    return sent(writer, "query", [Sheet("query", heads, lines, schema=schema)])


@require_POST
@builder_only
def halt(request: HttpRequest, connection_id: int) -> HttpResponse:
    """Stop the query that runs."""
    connection = get_object_or_404(Connection, pk=connection_id)
    stopped = stop(connection.to_spec(), f"{request.user.pk} {request.POST.get('run', '')[:40]}")
    return HttpResponse("Stopped." if stopped else "Nothing runs any more.")


@on_pad
def keep(request: HttpRequest, connection: Connection) -> HttpResponse:
    """Keep the query as a dataset, with a form."""
    name = clean_name(request.POST.get("name", ""), "dataset", 120)
    query, given = _asked(request, connection)
    spec = query_dataset(connection.to_spec(), query.sql, given)
    dataset = Dataset.make(connection, spec, name)
    Form.make(dataset, name)
    why = spec.read_only_because or f"Its rows are rows of {spec.table}: the fields of that table can be edited."
    asked = query.tree.args.get("order")
    if asked and len(asked.expressions) > len(spec.sorted_by):
        why += " Of its order only what stands among its columns is kept: select the others too."
    messages.success(request, f"{name} is a dataset, and has a form. {why}")
    return redirect(dataset)
