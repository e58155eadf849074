"""Looking around a connection: the drawn map of its schema, its procedures and functions."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from enlace.accounts.access import builder_only
from enlace.core.problem import Problem
from enlace.core.server import Catalog
from enlace.core.server.routines import routines_of
from enlace.core.server.schema_map import MOST_WHOLE, around, best_known, schema_map

from .models import Connection
from .place import stand_in

MOST_STEPS = 4


@builder_only
@require_GET
def routines(request: HttpRequest, connection_id: int) -> HttpResponse:
    """The procedures and functions of a connection, for its page: asked apart, since few have any."""
    connection = get_object_or_404(Connection, pk=connection_id)
    context: dict[str, Any] = {"connection": connection}
    try:
        context["routines"] = routines_of(connection.to_spec())
    except Problem as problem:
        context["problem"] = str(problem)
    return render(request, "workshop/routines.html", context)


@builder_only
@require_GET
def schema(request: HttpRequest, connection_id: int) -> HttpResponse:
    """The tables and their references. table: around which one; steps: how many references far. "" for all of them."""
    connection = get_object_or_404(Connection.objects.select_related("project"), pk=connection_id)
    stand_in(request, connection.project, "Connections")
    catalog = Catalog.of(connection.to_spec())
    tables, references = list(catalog.tables), list(catalog.references)
    asked = request.GET.get("table")
    whole = asked == "" or (asked is None and len(tables) <= MOST_WHOLE)
    closest = {name.lower(): name for name in tables}
    table = "" if whole else closest.get((asked or best_known(references)).lower(), "")
    steps = request.GET.get("steps", "1")
    far = int(steps) if steps in map(str, range(1, MOST_STEPS + 1)) else 1
    wanted = set(tables) if whole else around(table, references, far) if table else set(tables[:MOST_WHOLE])
    context = {
        "project": connection.project,
        "connection": connection,
        "map": schema_map(tables, references, wanted),
        "tables": tables,
        "table": table,
        "missing": bool(asked) and not table,
        "asked": asked or "",
        "steps": far,
        "far": range(1, MOST_STEPS + 1),
    }
    return render(request, "workshop/schema_map.html", context)
