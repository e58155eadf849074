"""What the frame around every page shows: the line with its stops."""

from __future__ import annotations

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


def stops(request: HttpRequest) -> list[dict]:
    """The stops of the line: Connections, Datasets, Forms (for builders, in a project) and Desk."""
    project = getattr(request, "enlace_project", None)
    stops_shown = []
    if project is not None and request.user.is_builder:
        tests, datasets, forms = as_defined(("line", project.pk), lambda: _counted(project))
        stops_shown = [
            _stop(
                "Connections", reverse("connections", args=[project.pk]), len(tests), all(t is not False for t in tests)
            ),
            _stop("Datasets", reverse("datasets", args=[project.pk]), datasets),
            _stop("Forms", reverse("forms", args=[project.pk]), forms),
        ]
    stops_shown.append(_stop("Desk", reverse("desk"), None))
    for stop in stops_shown:
        stop["here"] = stop["label"] == getattr(request, "enlace_stop", "")
    return stops_shown


def _counted(project: Any) -> tuple[list[bool | None], int, int]:
    tests = list(project.connections.values_list("test_passed", flat=True))
    return tests, project.datasets.count(), project.forms.count()


def _stop(label: str, url: str, count: int | None, sound: bool = True) -> dict:
    state = "empty" if count == 0 else "sound" if sound else "attention"
    words = {"empty": "nothing yet", "sound": "sound", "attention": "needs attention"}[state]
    return {"label": label, "url": url, "count": count, "state": state, "words": words}
