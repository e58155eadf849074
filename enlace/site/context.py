"""What the frame around every page shows: the line with its stops."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.urls import reverse
from django.utils.functional import SimpleLazyObject

from enlace.workshop.definitions import as_defined

THEMES = ("light", "dark")


def frame(request: HttpRequest) -> dict[str, Any]:
    """The line of the project at hand, and the theme."""
    theme = request.COOKIES.get("theme")
    return {
        "demo": settings.DEMO,
        "theme": theme if theme in THEMES else "",
        "looks": getattr(request, "enlace_project", None),
        "line": SimpleLazyObject(lambda: stops(request)),
    }


@dataclass(frozen=True)
class Stop:
    """One stop of the line. count: of what it leads to, None where that is not told; state: "empty", "sound" or
    "attention", and that in words. here: whether one is there."""

    label: str
    url: str
    count: int | None = None
    state: str = "sound"
    words: str = "sound"
    here: bool = False


def stops(request: HttpRequest) -> list[Stop]:
    """The stops of the line: Connections, Datasets, Forms (for builders, in a project) and Desk."""
    project = getattr(request, "enlace_project", None)
    stops_shown: list[Stop] = []
    if project is not None and request.user.is_builder:
        stops_shown = as_defined(("line", project.pk), lambda: _in_workshop(project))
    stops_shown.append(_desk())
    here = getattr(request, "enlace_stop", "")
    return [replace(stop, here=True) if stop.label == here else stop for stop in stops_shown]


@cache
def _desk() -> Stop:
    return _stop("Desk", reverse("desk"), None)


def _in_workshop(project: Any) -> list[Stop]:
    tests = list(project.connections.values_list("test_passed", flat=True))
    sound, place = all(test is not False for test in tests), [project.pk]
    return [
        _stop("Connections", reverse("connections", args=place), len(tests), sound),
        _stop("Datasets", reverse("datasets", args=place), project.datasets.count()),
        _stop("Forms", reverse("forms", args=place), project.forms.count()),
    ]


def _stop(label: str, url: str, count: int | None, sound: bool = True) -> Stop:
    state = "empty" if count == 0 else "sound" if sound else "attention"
    words = {"empty": "nothing yet", "sound": "sound", "attention": "needs attention"}[state]
    return Stop(label, url, count, state, words)
