"""A project as files: by path, the value that each of them says. Nothing in them is a secret."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from typing import Any

from django.db.models import Prefetch

from enlace.core.form.document import as_values
from enlace.desk.models import Arrangement, KeptView
from enlace.workshop import layout
from enlace.workshop.details import only_off
from enlace.workshop.models import Dataset, Detail, Form, Project

from .bodies import body
from .texts import written

FORMAT, VERSION = "enlace project", 2
Files = dict[str, Any]


def slugs(items: Iterable[tuple[int, str]]) -> dict[int, str]:
    """By number, what a file is called after a name: small letters, digits and dashes, a number behind the second of one name."""
    made: dict[int, str] = {}
    for number, name in items:
        # Letters that each file system and archive writes alike.
        plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
        stem = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or "unnamed"
        own, count = stem, 1
        # By the order in which they were made, so that the second of a name stays the second.
        while own in made.values():
            count += 1
            own = f"{stem}-{count}"
        made[number] = own
    return made


def files_of(project: Project) -> Files:
    """By path, what each file of a project says."""
    connections = list(project.connections.order_by("pk"))
    several = project.datasets.select_related("connection").prefetch_related("fields", "rules")
    datasets = list(several.exclude(pk__in=only_off(project)).order_by("pk"))
    several_forms = project.forms.select_related("dataset", "project").prefetch_related(
        Prefetch("details", Detail.objects.select_related("of").order_by("place", "pk")), "actions"
    )
    forms = list(several_forms.order_by("pk"))
    head = {"format": FORMAT, "version": VERSION, **body(project)}
    called = slugs((item.pk, item.name) for item in connections)
    files: Files = {f"connections/{called[item.pk]}.yaml": body(item) for item in connections}
    of = slugs((item.pk, item.name) for item in datasets)
    files |= {
        f"datasets/{of[item.pk]}.yaml": {"connection": item.connection.name, **_dataset(item)} for item in datasets
    }
    forms_called = slugs((item.pk, item.title) for item in forms)
    views = {name: _of_forms(model, forms, *order) for name, (model, order) in VIEWS.items()}
    files |= {f"forms/{forms_called[item.pk]}.yaml": _form(item, of, views) for item in forms}
    # In the order in which they were made, which is the one that they are made in where they are brought in.
    orders = {"datasets": [*of.values()], "forms": [*forms_called.values()]}
    files["project.yaml"] = {**head, **{name: order for name, order in orders.items() if order}}
    return files


def texts_of(project: Project, files: Files | None = None) -> dict[str, str]:
    """By path, the text of each file of a project, in a stable order. files: what they say, where it is known."""
    known = files_of(project) if files is None else files
    return {path: written(value) for path, value in sorted(known.items())}


def _dataset(dataset: Dataset) -> dict[str, Any]:
    said = {**body(dataset), "fields": [body(field) for field in dataset.fields.all()]}
    rules = [body(rule) for rule in dataset.rules.all()]
    return {**said, "rules": rules} if rules else said


# By what their list is called in a file, the views of a form that are everybody's: the model, and their order.
VIEWS: dict[str, tuple[type[Arrangement | KeptView], tuple[str, ...]]] = {
    "arrangements": (Arrangement, ("part", "grid", "name")),
    "views": (KeptView, ("part", "name")),
}
ByForm = dict[int, list[dict[str, Any]]]


def _of_forms(model: type[Arrangement | KeptView], forms: list[Form], *order: str) -> ByForm:
    """By form, what its file says of the views of one model."""
    made: ByForm = {}
    for item in model.objects.filter(form__in=forms, person=None).order_by(*order):
        made.setdefault(item.form_id, []).append(body(item))
    return made


def _form(form: Form, datasets: dict[int, str], views: dict[str, ByForm]) -> dict[str, Any]:
    said: dict[str, Any] = {**body(form), "dataset": datasets[form.dataset_id]}
    details = []
    for detail in form.details.all():
        own = {**body(detail), "dataset": datasets[detail.dataset_id]}
        details.append({**own, "of": detail.of.name} if detail.of else own)
    parts = {"details": details, "actions": [body(action) for action in form.actions.all()]}
    parts |= {name: several.get(form.pk, []) for name, several in views.items()}
    said |= {name: several for name, several in parts.items() if several}
    if form.document:
        sheet = as_values(layout.document(form))
        sheet.pop("sources", None)  # they are the dataset and the details
        said["sheet"] = _plain(sheet)
    return said


def _plain(value: Any) -> Any:
    """Lists and mappings of the plainest types."""
    if isinstance(value, dict):
        return {str(name): _plain(item) for name, item in value.items()}
    return [_plain(item) for item in value] if isinstance(value, list | tuple) else value
