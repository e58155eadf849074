"""The admin's pages."""

from __future__ import annotations

from enlace.workshop.models import Detail, Form

from .models_out import Model, target_of
from .naming import heading

SHOWN = 8  # columns of a list


def admin_text(forms: list[Form], models: dict[str, Model], classes: dict[int, str], told: list[str]) -> str:
    text = ""
    registered: set[str] = set()
    for form in forms:
        model = models[form.dataset.table]
        if model.name in registered:
            continue
        if len(model.spec.key) > 1:
            told.append(f"{model.table}: Django's admin has no page for a key of several columns.")
            continue
        registered.add(model.name)
        inlines = [inline for detail in form.all_details if (inline := _inline(detail, model, models))]
        text += "".join(f"\n\n{body}" for _, body in inlines)
        spec = form.dataset.to_spec()
        shown = [
            model.attributes[o.name]
            for o in spec.shown
            if o.name in model.attributes and o.kind not in ("longtext", "picture", "binary")
        ]
        found = [
            model.attributes[o.name]
            for o in spec.shown
            if o.name in model.attributes and o.kind == "text" and not target_of(o, models)
        ]
        text += f"\n\n@admin.register(models.{model.name})\nclass {model.name}Admin(admin.ModelAdmin):\n    form = forms.{classes[form.pk]}\n"
        text += f"    list_display = {shown[:SHOWN] or ['__str__']!r}\n    search_fields = {found!r}\n"
        text += f"    inlines = [{', '.join(name for name, _ in inlines)}]\n" if inlines else ""
    needs = "from django.contrib import admin\n\nfrom . import forms, models\n" if registered else ""
    return heading("The admin's pages.") + needs + text


def _inline(detail: Detail, master: Model, models: dict[str, Model]) -> tuple[str, str] | None:
    """A detail that refers to its master by the key of that, as an inline; None for others."""
    model, columns = models.get(detail.dataset.table), tuple(detail.columns)
    if (
        detail.of_id
        or model is None
        or len(model.spec.key) != 1
        or len(columns) != 1
        or columns[0] not in model.attributes
    ):
        return None
    if target_of(model.spec.by_name[columns[0]], models) is not master:
        return None
    name = f"{model.name}Of{master.name}"
    body = f"class {name}(admin.TabularInline):\n    model = models.{model.name}\n    fk_name = {model.attributes[columns[0]]!r}\n    extra = 0\n"
    return name, body
