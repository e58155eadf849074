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
    found = _local.db.execute(
        "SELECT id, code, gauge, taken_at, level, quality, checked, note FROM reading ORDER BY id LIMIT 100"
    ).fetchall()
    return HttpResponse(TEMPLATE.render(Context({"rows": found})))


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
