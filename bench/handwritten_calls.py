"""The port calls as somebody would write them by hand into this application: its frame, the statements in raw SQL, one template."""

from __future__ import annotations

import os
import sqlite3
import threading
from functools import cache

from django.http import HttpResponse
from django.template import engines

SHOWN = (
    "c.id, v.name || ' · ' || v.imo_no AS vessel, b.code || ' · ' || b.quay AS berth, a.name AS agent,"
    " p.name || ' · ' || p.licence_no AS pilot, c.status, c.eta, c.etd, c.draught_m, c.purpose, c.notes"
)
CALLS = (
    f"SELECT {SHOWN} FROM port_call c JOIN vessel v ON v.id = c.vessel_id LEFT JOIN berth b ON b.code = c.berth_code"
    " JOIN agent a ON a.id = c.agent_id LEFT JOIN pilot p ON p.id = c.pilot_id ORDER BY c.id LIMIT 60"
)
CARGO = (
    "SELECT l.line_no, m.name, l.direction, l.tonnes, l.packages FROM cargo_line l JOIN commodity m"
    " ON m.code = l.commodity_code WHERE l.port_call_id = ? ORDER BY l.line_no"
)
TEMPLATE = """{% extends "base.html" %}{% block content %}<h1>Port calls</h1>
<form class="mb-3">{% for name, value in record %}<label class="form-label">{{ name }}
<input class="form-control" name="{{ name }}" value="{{ value|default_if_none:'' }}"></label>{% endfor %}</form>
<table class="table"><tr>{% for name in names %}<th>{{ name }}</th>{% endfor %}</tr>
{% for row in calls %}<tr>{% for value in row %}<td>{{ value|default_if_none:'' }}</td>{% endfor %}</tr>
{% endfor %}</table>
<table class="table">{% for row in cargo %}<tr>{% for value in row %}<td>{{ value|default_if_none:'' }}</td>{% endfor %}</tr>
{% endfor %}</table>{% endblock %}"""
_local = threading.local()


@cache
def template():
    return engines["django"].from_string(TEMPLATE)


def calls(request):
    """The first calls, the fields of the first one to be edited, and its cargo."""
    if not hasattr(_local, "db"):
        _local.db = sqlite3.connect(os.environ["BENCH_CALLS"])
    found = _local.db.execute(CALLS)
    names, rows = [column[0] for column in found.description], found.fetchall()
    cargo = _local.db.execute(CARGO, rows[0][:1]).fetchall()
    record = list(zip(names, rows[0], strict=True))
    return HttpResponse(template().render({"names": names, "calls": rows, "record": record, "cargo": cargo}, request))
