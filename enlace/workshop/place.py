"""Which project a page of the workshop belongs to: the bar and the line show it."""

from __future__ import annotations

from collections.abc import Collection
from itertools import count

from django.http import HttpRequest

from enlace.core.problem import Problem

from .models import Project


def stand_in(request: HttpRequest, project: Project, stop: str) -> None:
    """Tell the frame which project and which stop of the line this page is at."""
    request.enlace_project = project
    request.enlace_stop = stop


def clean_name(text: str, what: str, most: int) -> str:
    """A name as typed, without spaces around it. Raises Problem when it is empty, too long or not printable."""
    name = " ".join(text.split())
    if not name or not name.isprintable():
        raise Problem(f"The {what} needs a name.", "Type one and try again.", code="bad")
    if len(name) > most:
        raise Problem(f"The name is longer than {most} characters.", "Shorten it.", code="bad")
    return name


def free_name(taken: Collection[str], *wanted: str, most: int = 110) -> str:
    """The first of some names that is not taken, else the last one with a number behind it."""
    for name in wanted:
        if name[:most] not in taken:
            return name[:most]
    return next(name for n in count(2) if (name := f"{wanted[-1][:most]} {n}") not in taken)
