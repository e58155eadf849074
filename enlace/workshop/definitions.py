"""Definitions as every page needs them, read anew only when some definition has changed.

A page of a form needs its project, datasets, connection, details and actions: several joins, while a definition changes
once a day and a page is asked for a thousand times. A process keeps what it read, pickled, with the number that stood in
`DefinitionsStand` before it read; triggers of the database change that number with every change of a table that is read
here, whoever makes it and by whatever way. Each request unpickles a copy of its own.
"""

from __future__ import annotations

import pickle
import threading
from collections.abc import Callable, Hashable, Iterator
from typing import Any, TypeVar

from django.db import DEFAULT_DB_ALIAS, connections

from .models import Connection, Dataset, DefinitionsStand, Detail, Form, Project, ServerAction

MOST_KEPT = 300  # things of a process, of some twenty kilobytes each
READ = (Project, Connection, Dataset, Form, Detail, ServerAction, Project.members.through)
_kept: dict[Hashable, tuple[int, bytes]] = {}
_lock = threading.Lock()
T = TypeVar("T")


def opened_form(person: Any, pk: int) -> Form:
    """A form that a person may open, with its details and actions. Raises Form.DoesNotExist where there is none."""
    return as_defined(("form", pk, 0 if person.is_builder else person.pk), lambda: _form(person, pk))


def as_defined(key: Hashable, read: Callable[[], T]) -> T:
    """What is read from the tables of `READ` and nowhere else, as it is now. key: what it depends on beside them."""
    # Before it is read: what is read after it may be newer than the number says, never older.
    stand = _stand()
    kept = _kept.get(key)
    if kept is None or kept[0] != stand:
        made = read()
        if stand is None:
            return made
        kept = (stand, pickle.dumps(made))
        with _lock:
            _kept.pop(key, None)
            _kept[key] = kept
            while len(_kept) > MOST_KEPT:
                del _kept[next(iter(_kept))]
    found: T = pickle.loads(kept[1])
    return found


def _stand() -> int | None:
    with connections[DEFAULT_DB_ALIAS].cursor() as cursor:  # asked by each request: a tenth of what a queryset takes
        cursor.execute("SELECT number FROM workshop_definitionsstand WHERE id = 1")
        row = cursor.fetchone()
    return row[0] if row else None


def _form(person: Any, pk: int) -> Form:
    several = Form.objects.for_person(person).select_related("dataset__connection", "project")
    form = several.prefetch_related("actions").get(pk=pk)
    assert form.all_details is not None  # read now, to be kept with it
    return form


def watch_definitions(using: str = DEFAULT_DB_ALIAS, **_: Any) -> None:
    """Make the triggers that tell of changes; after every migration, since one that makes a table anew drops them."""
    with connections[using].cursor() as cursor:
        tables = set(connections[using].introspection.table_names(cursor))
        if DefinitionsStand._meta.db_table not in tables:
            return
        cursor.execute("INSERT OR IGNORE INTO workshop_definitionsstand (id, number) VALUES (1, random())")
        for trigger, act, table in _triggers():
            if table in tables:
                # Random: a change that was rolled back leaves the old number, and the next one never makes one that was.
                cursor.execute(
                    f"CREATE TRIGGER IF NOT EXISTS {trigger} AFTER {act} ON {table} "  # noqa: S608 (our own names)
                    "BEGIN UPDATE workshop_definitionsstand SET number = random(); END"
                )


def unwatch_definitions(using: str = DEFAULT_DB_ALIAS) -> None:
    """Drop the triggers."""
    with connections[using].cursor() as cursor:
        for trigger, _, _ in _triggers():
            cursor.execute(f"DROP TRIGGER IF EXISTS {trigger}")


def _triggers() -> Iterator[tuple[str, str, str]]:
    """The name of each trigger, what it comes after, and the table that it watches."""
    for table in (model._meta.db_table for model in READ):
        for act in ("INSERT", "UPDATE", "DELETE"):
            yield f"changed_{table}_{act.lower()}", act, table
