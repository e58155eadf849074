"""Projects."""

from __future__ import annotations

from django.contrib import messages
from django.db import transaction
from django.db.models import Count, ProtectedError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.accounts.log import note
from enlace.accounts.models import Person
from enlace.core.problem import Problem

from .definition_views import forms_page
from .models import Form, Project
from .place import clean_name, stand_in
from .tiles import FIELDS, put_tile


@builder_only
def projects(request: HttpRequest) -> HttpResponse:
    """All projects, and a new one."""
    told, typed = "", ""
    if request.method == "POST":
        typed = request.POST.get("name", "")
        try:
            name = clean_name(typed, "project", 80)
            if Project.objects.filter(name__iexact=name).exists():
                raise Problem("There is a project of that name already.", "Choose another name.")
            return redirect(Project.objects.create(name=name))
        except Problem as problem:
            told = str(problem)
    several = Project.objects.annotate(
        n_connections=Count("connections", distinct=True), n_forms=Count("forms", distinct=True)
    )
    context = {"projects": several, "told": told, "typed": typed}
    return render(request, "workshop/projects.html", context, status=400 if told else 200)


@builder_only
def members(request: HttpRequest, project_id: int) -> HttpResponse:
    """Which operators work with a project."""
    project = get_object_or_404(Project, pk=project_id)
    people = Person.objects.filter(role=Person.Role.OPERATOR, is_active=True).order_by("username")
    if request.method == "POST":
        chosen = [int(text) for text in request.POST.getlist("member") if text.isdecimal() and len(text) < 12]
        project.members.set(people.filter(pk__in=chosen))
        note("members", request.user, project=project.pk, members=sorted(project.members.values_list("pk", flat=True)))
        messages.success(request, f"{project.members.count()} operators work with {project.name}.")
        return redirect("members", project.pk)
    stand_in(request, project, "People")
    context = {"project": project, "people": people, "members": set(project.members.values_list("pk", flat=True))}
    return render(request, "workshop/members.html", context)


@require_POST
@builder_only
def looks(request: HttpRequest, project_id: int) -> HttpResponse:
    """How the forms of a project look."""
    project = get_object_or_404(Project, pk=project_id)
    density, accent = request.POST.get("density", ""), request.POST.get("accent", "")
    if density not in Project.Density.values or accent not in Project.Accent.values:
        raise Problem("Forms can't look so.", "Choose from the lists.", code="bad")
    project.density, project.accent = density, accent
    project.save(update_fields=["density", "accent"])
    messages.success(request, f"The forms of {project.name} look so now, for everybody.")
    return redirect("forms", project.pk)


@require_POST
@builder_only
def start_page(request: HttpRequest, project_id: int) -> HttpResponse:
    """What stands under a project's name on the start page, the form that its operators come to first, and the tiles."""
    project = get_object_or_404(Project, pk=project_id)
    opens = request.POST.get("opens", "")
    if opens and not project.forms.filter(title=opens).exists():
        raise Problem("There is no such form.", "Choose one from the list.", code="missing")
    project.about, project.opens = " ".join(request.POST.get("about", "").split())[:200], opens
    tiles, told = project.forms.tiles(), ""
    for form in tiles:
        if f"place-{form.pk}" not in request.POST:
            continue  # made meanwhile
        try:
            put_tile(form, request.POST, f"-{form.pk}")
        except Problem as problem:
            told = told or f"{form.title}: {problem}"
    if told:
        return forms_page(request, project, tiles, told)
    with transaction.atomic():
        project.save(update_fields=["about", "opens"])
        Form.objects.bulk_update(tiles, FIELDS)
    messages.success(request, "Applied.")
    return redirect("forms", project.pk)


@require_POST
@builder_only
def remove(request: HttpRequest, project_id: int) -> HttpResponse:
    """Remove a project with all that it defines; databases stay as they are."""
    project = get_object_or_404(Project, pk=project_id)
    try:
        project.forms.all().delete()
        project.datasets.all().delete()
        project.delete()
    except ProtectedError:
        raise Problem("The project is still in use.", "Remove what uses it first.") from None
    messages.success(request, f"The project {project.name} is removed. Its databases were not touched.")
    return redirect("projects")
