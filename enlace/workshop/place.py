"""Which project a page of the workshop belongs to: the bar and the line show it."""

from __future__ import annotations

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
