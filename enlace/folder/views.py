"""A project's states in the workshop: kept, compared, gone back to; taken out as an archive of text files and brought in."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from enlace.accounts.access import builder_only
from enlace.core.problem import Problem
from enlace.workshop.models import Connection, Project
from enlace.workshop.place import stand_in

from .difference import differences
from .disk import packed, unpacked
from .models import ProjectState, keep_state
from .reading import Outcome, brought_in, misfits, values_of
from .writing import files_of, slugs, texts_of

MOST_UPLOAD = 20_000_000  # bytes


@builder_only
@require_http_methods(["GET", "POST"])
def states(request: HttpRequest, project_id: int) -> HttpResponse:
    """The states of a project. POST: keep one, look at what a file would change, bring it in, go back to a state."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Forms")
    context: dict[str, Any] = {}
    if request.method == "POST":
        try:
            context = _act(request, project)
            if not context:
                return redirect("project-states", project.pk)
        except Problem as problem:
            context = {"told": str(problem)}
    # Their files are megabytes together, and the list shows words and times.
    several = ProjectState.objects.filter(project=project).select_related("person").defer("files")
    context = {"project": project, "states": several, **context}
    return render(request, "folder/states.html", context, status=400 if context.get("told") else 200)


def _act(request: HttpRequest, project: Project) -> dict[str, Any]:
    act = request.POST.get("act", "")
    if act == "keep":
        keep_state(project, request.user, " ".join(request.POST.get("words", "").split()) or "Kept by hand")
    elif act in ("look", "bring"):
        texts = _texts(request) if request.FILES or act == "look" else _looked(request, project)
        files = values_of(texts)
        if act == "look":
            onto = _onto(request, project)
            changes = _would_change(files, project, onto)
            _looked_at(request, project).write_bytes(packed(texts, "looked"))
            return {"changes": changes, "onto": onto}
        _looked_at(request, project).unlink(missing_ok=True)
        # What stood there can be gone back to, however wrong the files were.
        keep_state(project, request.user, "Before files were brought in")
        _brought(request, project, files, "Files were brought in", _onto(request, project))
    elif act == "back":
        state = _state(project, request.POST.get("state", ""))
        keep_state(project, request.user, "Before going back")
        _brought(request, project, values_of(state.files), f"Back to {state.words}"[:120])
    else:
        raise Problem("There is no such act.", "Use the buttons of the page.", code="bad")
    return {}


def _texts(request: HttpRequest) -> dict[str, str]:
    file = request.FILES.get("file")
    if file is None or not file.size:
        raise Problem("No file is chosen.", "Choose an archive that was taken out here.", code="bad")
    if file.size > MOST_UPLOAD:
        raise Problem("The file is too large.", "Choose an archive that was taken out here.", code="bad")
    return unpacked(file.file)


def _looked_at(request: HttpRequest, project: Project) -> Path:
    """Where the files wait that a person has looked at, until they bring them in or look at others."""
    folder = settings.HOME / "looked"
    folder.mkdir(mode=0o700, exist_ok=True)
    return Path(folder) / f"{project.pk}-{request.user.pk}.zip"


def _looked(request: HttpRequest, project: Project) -> dict[str, str]:
    """The files that the person has just looked at. Raises Problem."""
    path = _looked_at(request, project)
    if not path.exists():
        raise Problem("No file is chosen.", "Choose an archive that was taken out here.", code="bad")
    with path.open("rb") as file:
        return unpacked(file)


def _onto(request: HttpRequest, project: Project) -> Connection | None:
    """The connection of the project that takes the place of those that the files name. Raises Problem."""
    number = request.POST.get("onto", "")
    if not number:
        return None
    there = {str(item.pk): item for item in project.connections.all()}
    if number not in there:
        raise Problem("There is no such connection.", "Choose one of the list.", code="bad")
    return there[number]


def _would_change(files: dict[str, Any], project: Project, onto: Connection | None) -> list[str]:
    """What files would change, found out by doing it and taking it back; just as `_brought` does it."""
    with transaction.atomic():
        # Under the name of this project, whatever the files call themselves: one takes over what another team made.
        outcome = brought_in(files, project.name, onto, remove=True)
        transaction.set_rollback(True)
    return [*(outcome.changes or ["Nothing is different."]), *outcome.told]


def _brought(
    request: HttpRequest, project: Project, files: dict[str, Any], words: str, onto: Connection | None = None
) -> Outcome:
    outcome = brought_in(files, project.name, onto, remove=True)
    keep_state(project, request.user, words, outcome.after)
    several = [*outcome.told, *misfits(project)]
    count = len(outcome.changes)
    messages.success(request, f"{count} thing{'s' * (count != 1)} changed." if count else "Nothing was different.")
    for sentence in several[:20]:
        messages.warning(request, sentence)
    return outcome


def _state(project: Project, number: str) -> ProjectState:
    state = project.states.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 12 else None
    if state is None:
        raise Problem("There is no such state.", "Choose one from the list.", code="missing")
    return state


@builder_only
@require_GET
def compared(request: HttpRequest, project_id: int, state_id: int) -> HttpResponse:
    """What is different now from a state, in words; with `other`, what that state has differently."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Forms")
    state = _state(project, str(state_id))
    other = _state(project, request.GET["other"]) if request.GET.get("other") else None
    later = values_of(other.files) if other else files_of(project)
    changes = differences(values_of(state.files), later)
    context = {
        "project": project,
        "state": state,
        "other": other,
        "changes": changes,
        "states": project.states.defer("files"),
    }
    return render(request, "folder/compared.html", context)


@builder_only
@require_GET
def archive(request: HttpRequest, project_id: int) -> HttpResponse:
    """The project as an archive of text files."""
    project = get_object_or_404(Project, pk=project_id)
    name = slugs([(0, project.name)])[0]
    headers = {"Content-Disposition": f'attachment; filename="{name}.zip"', "Cache-Control": "no-store"}
    return HttpResponse(packed(texts_of(project), name), content_type="application/zip", headers=headers)
