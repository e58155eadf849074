"""Datasets and forms: listed, looked at, and changed in the small things."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.dataset.asked import own_rows
from enlace.core.dataset.order import sorted_terms, sorted_text
from enlace.core.problem import Problem

from . import layout
from .details import (
    add_detail,
    add_query,
    all_above,
    chosen,
    forget,
    only_off,
    possible_choices,
    possible_queries,
    remove_if_unused,
)
from .linking import add_linked
from .local import is_local
from .models import Dataset, Detail, Form, Project, Rule
from .place import clean_name, free_name, stand_in
from .sheet import drift
from .sheet_views import sheet_context
from .tiles import put_tile


@builder_only
def datasets(request: HttpRequest, project_id: int) -> HttpResponse:
    """The datasets of a project."""
    project = get_object_or_404(Project, pk=project_id)
    stand_in(request, project, "Datasets")
    several = project.datasets.select_related("connection").prefetch_related("forms")
    context = {"project": project, "datasets": several.exclude(pk__in=only_off(project))}
    return render(request, "workshop/datasets.html", context)


@builder_only
def dataset(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """A dataset: its field sheet, how it is saved, its rules."""
    return dataset_page(
        request, get_object_or_404(Dataset.objects.select_related("project", "connection"), pk=dataset_id)
    )


def dataset_page(request: HttpRequest, dataset: Dataset, told: Problem | None = None, at: str = "") -> HttpResponse:
    """The page of a dataset. told: what is wrong with what was typed in one of its parts; that stays as it was typed."""
    stand_in(request, dataset.project, "Datasets")
    context = {"project": dataset.project, "fields": dataset.fields.all(), "problem": "", **sheet_context(dataset)}
    context |= {"compares": Dataset.Compare.choices, "rules": dataset.rules.all(), "severities": Rule.Severity.choices}
    context |= {"times": Rule.Runs.choices, "local": is_local(dataset.connection)}
    typed = {
        "severity": "error",
        "runs": "always",
        "sorted_by": sorted_text(dataset.sorted_by),
        "only": dataset.row_condition,
    }
    if told is not None:
        typed |= {**request.POST.dict(), "marks": request.POST.getlist("marks")}
    context |= {"typed": typed, "refused": told, "refused_at": at}
    try:
        context["drift"] = drift(dataset)
        context["gone"] = {field.name for field in context["drift"].gone}
    except Problem as problem:
        context["problem"] = str(problem)
    return render(request, "workshop/dataset.html", context, status=400 if told is not None else 200)


@require_POST
@builder_only
def saving(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """What is compared when a record of the dataset is saved, and when it is saved."""
    dataset = get_object_or_404(Dataset.objects.select_related("project"), pk=dataset_id)
    compare, version = request.POST.get("compare", ""), request.POST.get("version", "")
    if compare not in Dataset.Compare.values:
        raise Problem("Say what is to be compared.", "Choose one of the three ways.", code="bad")
    if compare == Dataset.Compare.VERSION and not dataset.fields.filter(name=version).exists():
        raise Problem("The version field is missing.", "Choose the field that changes with every save.", code="bad")
    dataset.compare, dataset.version = compare, version if compare == Dataset.Compare.VERSION else ""
    dataset.each = "each" in request.POST
    dataset.save(update_fields=["compare", "version", "each"])
    dataset.touch()
    messages.success(request, "Applied. All forms of this dataset save in this way from now on.")
    return redirect(dataset)


@require_POST
@builder_only
def sorting(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """Which rows the dataset has, and in which order they come where nobody asks for another."""
    dataset = get_object_or_404(Dataset.objects.select_related("project", "connection"), pk=dataset_id)
    try:
        spec, only = dataset.to_spec(), request.POST.get("only", "").strip()[:2000]
        terms = sorted_terms(spec, request.POST.get("sorted_by", "")[:500])
        if only:
            spec = replace(spec, row_condition=only)
            own_rows(spec, dataset.connection.kind)
    except Problem as problem:
        return dataset_page(request, dataset, problem, "order")
    Dataset.objects.filter(pk=dataset.pk).update(sorted_by=[list(term) for term in terms], row_condition=only)
    dataset.touch()
    messages.success(request, "Applied. All forms of this dataset show these rows, in this order, from now on.")
    return redirect(dataset)


@builder_only
def forms(request: HttpRequest, project_id: int) -> HttpResponse:
    """The forms of a project."""
    return forms_page(request, get_object_or_404(Project, pk=project_id))


def forms_page(
    request: HttpRequest, project: Project, tiles: Sequence[Form] | None = None, told: str = "", refused: str = ""
) -> HttpResponse:
    """The page of a project's forms. tiles, told: what could not be taken of their tiles, as it was typed, and why. refused:
    why no new form was made."""
    stand_in(request, project, "Forms")
    forms = project.forms.select_related("dataset__connection")
    tiles = forms.tiles() if tiles is None else tiles
    sections = sorted({tile.section for tile in tiles if tile.section})
    datasets = project.datasets.select_related("connection").exclude(pk__in=only_off(project))
    context = {"project": project, "forms": forms, "tiles": tiles, "sections": sections, "told": told}
    context |= {"datasets": datasets, "connections": project.connections.all(), "refused": refused}
    return render(request, "workshop/forms.html", context, status=400 if told or refused else 200)


@require_POST
@builder_only
def new_form(request: HttpRequest, project_id: int) -> HttpResponse:
    """One more form of a dataset of the project: whole, or a sheet with nothing on it (begin: "empty")."""
    project = get_object_or_404(Project, pk=project_id)
    number = request.POST.get("dataset", "")
    dataset = get_object_or_404(project.datasets, pk=int(number[:18]) if number.isdecimal() else 0)
    try:
        typed = request.POST.get("title", "").strip()
        title = clean_name(typed, "form", 120) if typed else dataset.name
    except Problem as problem:
        return forms_page(request, project, refused=str(problem))
    made = Form.make(dataset, free_name(set(project.forms.values_list("title", flat=True)), title))
    if request.POST.get("begin") == "empty":
        made.document = replace(layout.document(made), controls=()).to_json()
        made.save(update_fields=["document"])
    messages.success(request, f"The form “{made.title}” is there.")
    return redirect("compose", made.pk)


@builder_only
def form(request: HttpRequest, form_id: int) -> HttpResponse:
    """A form: its title and the controls it has."""
    opened = get_object_or_404(Form.objects.select_related("project", "dataset__connection"), pk=form_id)
    stand_in(request, opened.project, "Forms")
    told = ""
    if request.method == "POST":
        try:
            before, opened.title = opened.title, clean_name(request.POST.get("title", ""), "form", 120)
            opened.whole = request.POST.get("policy", "whole") != "keep"
            opened.most_failures = _failures(request) if not opened.whole else None
            opened.may_keep = "may_keep" in request.POST and not opened.dataset.query  # a copy holds whole tables only
            put_tile(opened, request.POST)
            opened.save()
            if opened.title != before:
                layout.form_renamed(opened, before)
            messages.success(request, "Applied.")
            return redirect(opened)
        except Problem as problem:
            told = str(problem)
    return form_page(request, opened, told=told)


def form_page(request: HttpRequest, form: Form, **wrong: str) -> HttpResponse:
    """The page of a form. wrong: what could not be taken, as it was typed, and why."""
    stand_in(request, form.project, "Forms")
    context = {
        "project": form.project,
        "form": form,
        "details": form.details.select_related("dataset"),
        "above": [(above, possible_choices(above), possible_queries(above)) for above in all_above(form)],
        "actions": form.actions.all(),
        **wrong,
    }
    return render(request, "workshop/form.html", context, status=400 if any(wrong.values()) else 200)


def _failures(request: HttpRequest) -> int | None:
    text = request.POST.get("most_failures", "").strip()
    if not text:
        return None
    if not text.isdecimal() or not 0 < int(text[:9]) < 100_000:
        raise Problem("This is not a number of failures.", "Type a whole number from 1, or nothing.", code="bad")
    return int(text)


@require_POST
@builder_only
def details(request: HttpRequest, form_id: int) -> HttpResponse:
    """Add a detail to a form by a reference of the schema, or take one away."""
    form = get_object_or_404(Form.objects.select_related("project", "dataset__connection"), pk=form_id)
    if request.POST.get("act") == "remove":
        detail = get_object_or_404(form.details, pk=request.POST.get("detail", "0") or 0)
        messages.success(request, layout.remove_source(form, request.user, form.layout, detail.name))
        return redirect(form)
    above = next((above for above in all_above(form) if str(above.number) == request.POST.get("of", "")), None)
    if above is None:
        raise Problem("There is no such detail.", "Choose one from the page's list.", code="missing")
    if request.POST.get("act") == "query":
        query = next(
            (query for query in possible_queries(above) if str(query.pk) == request.POST.get("query", "")), None
        )
        if query is None:
            raise Problem("There is no such query.", "Choose one from the page's list.", code="missing")
        detail = layout.add_source(form, request.user, lambda: add_query(above, query))
        messages.success(request, f"{detail.title} shows its rows for the current record of this form.")
        return redirect(form)
    if request.POST.get("act") == "link":
        try:
            said = request.POST.get("link", "")[:1000]
            detail = layout.add_source(form, request.user, lambda: add_linked(above, said))
        except Problem as problem:
            return form_page(
                request, form, link_told=str(problem), link=request.POST.get("link", ""), link_of=str(above.number)
            )
    else:
        choice = chosen(above, request.POST.get("reference", ""))
        detail = layout.add_source(form, request.user, lambda: add_detail(above, choice.reference, choice.dataset))
    messages.success(request, f"{detail.title} is a detail of this form: it shows what belongs to the current record.")
    return redirect(form)


@require_POST
@builder_only
def remove_form(request: HttpRequest, form_id: int) -> HttpResponse:
    """Remove a form, its drafts, and its dataset when no other form uses it."""
    form = get_object_or_404(Form.objects.select_related("project", "dataset"), pk=form_id)
    dataset = form.dataset
    forget(Detail.everything.filter(form=form))
    form.delete()
    remove_if_unused(dataset)
    messages.success(request, f"The form {form.title} is removed. Its table was not touched.")
    return redirect("forms", form.project_id)
