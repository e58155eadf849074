"""Rules, and forms that ask them."""

from __future__ import annotations

from collections.abc import Iterator

from enlace.core.model.dataset import DatasetSpec, FieldSpec
from enlace.workshop.models import Dataset, Form

from .models_out import Model
from .naming import class_name, heading
from .rules_out import key_of, rules_of


def rules_text(datasets: list[Dataset], server: str, told: list[str]) -> tuple[str, dict[int, str]]:
    """The rules of each dataset that has some; by its number, what they are called."""
    lines: list[str] = []
    called: dict[int, str] = {}
    for dataset in datasets:
        spec = dataset.to_spec()
        rules, lacking = rules_of(spec, server)
        told += lacking
        if not rules or spec.query:
            continue
        name = called[dataset.pk] = class_name(dataset.name, called.values()).upper()
        lines.append(f"{name} = (")
        for rule in rules:
            columns = tuple((key_of(spec, column), column) for column in rule.columns)
            lines.append(f"    Rule(\n        {rule.condition!r},\n        {columns!r},\n        {rule.sentence!r},")
            lines.append(f"        {rule.marks!r},\n        {rule.error!r},\n    ),")
        lines.append(")\n")
    head = heading("What records have to keep.") + ("from .asking_rules import Rule\n" if lines else "")
    return "\n".join([head, *lines]), called


FORM = '''

class {form}(forms.ModelForm):
    """{title}"""

    columns = {columns!r}

    class Meta:
        model = models.{model}
        fields = {fields!r}
        labels = {labels!r}

    def clean(self):
        values = super().clean()
        # By column; of a reference its key. What could not be read is asked about by no rule.
        record = {{c: getattr(values[n], "pk", values[n]) for c, n in self.columns.items() if n in values}}
        told = broken({rules}, {{column: None if value == "" else value for column, value in record.items()}}, router.db_for_write(self._meta.model))
        if (errors := errors_of(told, self.columns)) is not None:
            raise errors
        return values
'''


def forms_text(forms: list[Form], models: dict[str, Model], ruled: dict[int, str]) -> tuple[str, dict[int, str]]:
    """A form for each; by its number, what it is called."""
    text = heading("Forms that ask the rules.")
    if forms:
        own = "models, rules" if any(form.dataset_id in ruled for form in forms) else "models"
        text += f"from django import forms\nfrom django.db import router\n\nfrom . import {own}\n"
        text += "from .asking_rules import broken, errors_of\n"
    called: dict[int, str] = {}
    for form in forms:
        spec, model = form.dataset.to_spec(), models[form.dataset.table]
        columns = {one.name: model.attributes[one.name] for one in _entered(spec, model)}
        called[form.pk] = class_name(f"{form.title} form", called.values())
        rules = ruled.get(form.dataset_id)
        text += FORM.format(
            form=called[form.pk], title=f"{form.title}.".replace("\\", "/").replace('"', "'"), columns=columns, model=model.name,
            fields=list(columns.values()), labels={model.attributes[o.name]: o.label for o in _entered(spec, model)},
            rules=f"rules.{rules}" if rules else "()",
        )  # fmt: skip
    return text, called


def _entered(spec: DatasetSpec, model: Model) -> Iterator[FieldSpec]:
    """The fields that people enter."""
    for one in spec.shown:
        own = model.spec.by_name.get(one.name)
        if (
            own is None
            or one.name not in model.attributes
            or one.generated
            or one.read_only
            or own.read_only
            or one.formula
            or one.outside
        ):
            continue
        if one.kind not in ("picture", "binary") and not (own.numbered and model.spec.key == (one.name,)):
            yield one
