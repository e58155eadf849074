"""What somebody would write by hand for one table: the statements in raw SQL, the rows in a template."""

from __future__ import annotations

import os
import sqlite3
import threading

from django.http import HttpResponse
from django.template import Context, Engine

TEMPLATE = Engine().from_string(
    "{% for row in rows %}<tr>{% for value in row %}<td>{{ value }}</td>{% endfor %}</tr>\n{% endfor %}"
)
_local = threading.local()


def rows(request):
    """The first hundred rows. Behind the same sign-in, sessions and headers as the desk."""
    if not hasattr(_local, "db"):
        _local.db = sqlite3.connect(os.environ["BENCH_DATABASE"])
    rows_read = _local.db.execute(
        "SELECT id, code, gauge, taken_at, level, quality, checked, note FROM reading ORDER BY id LIMIT 100"
    ).fetchall()
    return HttpResponse(TEMPLATE.render(Context({"rows": rows_read})))


SHEET = Engine().from_string(
    """{% if not part %}<!DOCTYPE html><html><head><title>Office</title></head><body><form method="get"><input name="office"></form>{% endif %}
{% for title, rows, record in sources %}<h2>{{ title }}</h2><table>{% for row in rows %}<tr>{% for value in row %}<td>{{ value }}</td>{% endfor %}</tr>
{% endfor %}</table>{% for value in record %}<label>{{ forloop.counter }}<input value="{{ value }}"></label>{% endfor %}{% endfor %}
{% if not part %}</body></html>{% endif %}"""
)


def sheet(request):
    """An office, its projects, and the tasks of the first of these: rows and the record of each."""
    if not hasattr(_local, "sheet"):
        _local.sheet = sqlite3.connect(os.environ["BENCH_SHEET"])
    db, office, part = _local.sheet, int(request.GET["office"]), request.GET.get("part")
    columns = "id, name, code, city, opened, rate"
    start = max(0, office - 1 - 20)
    offices = (
        [] if part else db.execute(f"SELECT {columns} FROM office ORDER BY id LIMIT 60 OFFSET ?", (start,)).fetchall()
    )
    record = db.execute(f"SELECT {columns} FROM office WHERE id = ?", (office,)).fetchone()
    projects = db.execute(
        f"SELECT {columns}, office_id FROM project WHERE office_id = ? ORDER BY id LIMIT 40", (office,)
    ).fetchall()
    tasks = db.execute(
        f"SELECT {columns}, project_id FROM task WHERE project_id = ? ORDER BY id LIMIT 40", (projects[0][0],)
    ).fetchall()
    sources = [("Office", offices, record), ("Project", projects, projects[0]), ("Task", tasks, tasks[0])]
    return HttpResponse(SHEET.render(Context({"sources": sources, "part": part})))


def save(path: str, changes: list[tuple[str, int, str]]) -> None:
    """Save (new note, id, note as read) in one transaction, each with the check that it is still what was read."""
    db = sqlite3.connect(path, isolation_level=None)
    db.execute("BEGIN IMMEDIATE")
    for change in changes:
        if db.execute("UPDATE reading SET note = ? WHERE id = ? AND note IS ?", change).rowcount != 1:
            db.execute("ROLLBACK")
            raise RuntimeError("somebody else changed it")
    db.execute("COMMIT")
    db.close()
