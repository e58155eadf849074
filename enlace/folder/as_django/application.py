"""The files of a Django application after a project."""

from __future__ import annotations

import keyword
import re
from dataclasses import dataclass, field
from pathlib import Path

from enlace.core.problem import Problem
from enlace.workshop.models import Project

from .admin_out import admin_text
from .forms_out import forms_text, rules_text
from .models_out import head_of_models, model_text, models_of
from .naming import class_name, heading

NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")


@dataclass
class Application:
    """The text of each file by its path. told: what has no counterpart."""

    files: dict[str, str] = field(default_factory=dict)
    told: list[str] = field(default_factory=list)


def application_of(project: Project, name: str) -> Application:
    """A project as the Django application NAME. Raises Problem for a name that is none, or a project of several connections."""
    if not NAME.fullmatch(name) or keyword.iskeyword(name):
        raise Problem(f"“{name}” can't be the name of an application.", "Use small letters, digits and _.", code="bad")
    datasets = list(project.datasets.select_related("connection").order_by("pk"))
    kinds = {dataset.connection.kind for dataset in datasets}
    if not datasets:
        raise Problem("The project has no datasets.", "Make a form of a table first.", code="bad")
    if len({dataset.connection_id for dataset in datasets}) != 1:
        raise Problem(
            "The project's datasets are not of one connection.", "An application has one database.", code="bad"
        )
    made = Application()
    models = models_of(datasets, made.told)
    server = kinds.pop()
    made.files["__init__.py"] = heading(f"{project.name}.")
    made.files["apps.py"] = _apps(name, project.name)
    made.files["models.py"] = (
        "\n\n\n".join([head_of_models(), *(model_text(model, models) for model in models.values())]) + "\n"
    )
    made.files["asking_rules.py"] = (Path(__file__).parent / "asking_rules.py").read_text()
    made.files["rules.py"], ruled = rules_text(datasets, server, made.told)
    forms = [form for form in project.forms.select_related("dataset").order_by("pk") if form.dataset.table in models]
    made.files["forms.py"], classes = forms_text(forms, models, ruled)
    made.files["admin.py"] = admin_text(forms, models, classes, made.told)
    made.told += [f"{form.title}: its rows are a query's." for form in project.forms.all() if form.dataset.query]
    made.told = list(dict.fromkeys(made.told))  # two datasets of a table have the same rules
    return made


def _apps(name: str, title: str) -> str:
    kind = class_name(name, ())
    return (
        heading("The application.")
        + f"from django.apps import AppConfig\n\n\nclass {kind}Config(AppConfig):\n    name = {name!r}\n    verbose_name = {title!r}\n"
    )
