"""The wiring check of a whole project, on one page."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from enlace.accounts.access import builder_only
from enlace.core.wiring import Fault, faults_of
from enlace.workshop import layout
from enlace.workshop.models import Form, Project
from enlace.workshop.place import stand_in

from .acts import ACTS, Asked
from .views import form_of, layout_of


@builder_only
@require_GET
def wiring(request: HttpRequest, project_id: int) -> HttpResponse:
    """What is wired wrongly on all forms of a project, and what is sound."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Forms")
    several = checked(project)
    context = {
        "project": project,
        "forms": [(form, faults) for form, faults in several if faults],
        "sound": [form for form, faults in several if not faults],
    }
    return render(request, "composer/wiring.html", context)


@builder_only
@require_POST
def repair(request: HttpRequest, form_id: int) -> HttpResponse:
    """Put right what the page of the whole project tells of one form, as its own page does."""
    form = form_of(form_id)
    label, change = ACTS["repair"]
    asked = Asked(form, request.POST.dict(), [], [], lambda: layout.some_rows(form))
    layout.change(form, request.user, layout_of(request), label, lambda document: change(document, asked))
    messages.success(request, f"Put right on {form.title}: {request.POST.get('sentence', '')}")
    return redirect("wiring", form.project_id)


def checked(project: Project) -> list[tuple[Form, list[tuple[Fault, str]]]]:
    """Each form of a project with its faults, and where each of these is in words."""
    several = project.forms.select_related("project", "dataset__connection")
    made = []
    for form in several:
        wired = layout.wired(form, rows=layout.some_rows(form))
        made.append((form, [(fault, wired.place_of(fault)) for fault in faults_of(wired)]))
    return made
