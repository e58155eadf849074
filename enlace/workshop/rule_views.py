"""Rules that a builder makes: added, tried on all rows, removed."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.accounts.access import builder_only
from enlace.core.dataset import RuleSpec
from enlace.core.kinds import raw_text
from enlace.core.problem import Problem
from enlace.core.rules.trial import broken_rows, checked

from .definition_views import dataset_page
from .models import Dataset, Rule
from .place import stand_in

LONGEST = 2000


@require_POST
@builder_only
def add(request: HttpRequest, dataset_id: int) -> HttpResponse:
    """A new rule; all forms of the dataset check it from now on."""
    dataset = get_object_or_404(Dataset.objects.select_related("project", "connection"), pk=dataset_id)
    try:
        rule = _made(request, dataset)
    except Problem as problem:
        return dataset_page(request, dataset, problem, "rule")
    dataset.touch()
    messages.success(request, "The rule holds in all forms of this dataset. Here is what breaks it already.")
    return redirect("rule-try", rule.pk)


def _made(request: HttpRequest, dataset: Dataset) -> Rule:
    """The rule that was typed. Raises Problem."""
    severity = request.POST.get("severity", Rule.Severity.ERROR)
    if severity not in Rule.Severity.values:
        raise Problem("Say how severe the rule is.", "Choose error or warning.", code="bad")
    runs = request.POST.get("runs", Rule.Runs.ALWAYS)
    if runs not in Rule.Runs.values:
        raise Problem("Say when the rule runs.", "Choose one of the times in the list.", code="bad")
    if runs == Rule.Runs.SAVE and severity == Rule.Severity.WARNING:
        hint = "Let it run while one edits, or make it an error."
        raise Problem("A warning that runs on save only would be told too late.", hint, code="bad")
    expression = request.POST.get("expression", "").strip()[:LONGEST]
    message = " ".join(request.POST.get("message", "").split())[:300]
    checked(dataset.to_spec(), RuleSpec(expression))
    marks = [name for name in request.POST.getlist("marks") if dataset.fields.filter(name=name).exists()]
    return dataset.rules.create(
        expression=expression, message=message, severity=severity, own=True, marks=marks, runs=runs
    )


@builder_only
def attempt(request: HttpRequest, rule_id: int) -> HttpResponse:
    """The rows that break a rule as they are now."""
    rule = get_object_or_404(Rule.objects.select_related("dataset__project", "dataset__connection"), pk=rule_id)
    dataset = rule.dataset
    stand_in(request, dataset.project, "Datasets")
    spec = dataset.to_spec()
    trial = broken_rows(dataset.connection.to_spec(), spec, rule.to_spec())
    rows = [
        {"id": name, "key": _key(name), "values": [raw_text(v) if v is not None else "" for v in values]}
        for name, values in trial.rows
    ]
    labels = [spec.any_name[name].label if name in spec.any_name else name for name in trial.names]
    context = {"project": dataset.project, "dataset": dataset, "rule": rule, "trial": trial, "rows": rows}
    context |= {"labels": labels, "form": dataset.forms.first(), "left_out": trial.count - len(rows)}
    return render(request, "workshop/rule_tried.html", context)


def _key(identifier: str) -> str:
    from enlace.core.model.values import key_of

    return ", ".join(raw_text(part) for part in key_of(identifier)) if identifier else ""


@require_POST
@builder_only
def remove(request: HttpRequest, rule_id: int) -> HttpResponse:
    """Remove a rule that a builder made; the table's own conditions stay."""
    rule = get_object_or_404(Rule.objects.select_related("dataset"), pk=rule_id)
    if not rule.own:
        raise Problem("This condition is the table's own.", "The database checks it whatever is said here.", code="bad")
    dataset = rule.dataset
    rule.delete()
    dataset.touch()
    messages.success(request, "The rule is gone.")
    return redirect(dataset)
