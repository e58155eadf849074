"""The files of a Django application after a project."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from enlace.core.model.dataset import ColumnSpec, DatasetSpec, FieldSpec
from enlace.core.problem import Problem
from enlace.workshop.models import Dataset, Detail, Form, Project

from .naming import attribute, class_name
from .rules_out import key_of, rules_of

NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")
SHOWN = 8  # columns of a list in the admin
KINDS = {
    "whole": "BigIntegerField", "date": "DateField", "time": "TimeField", "datetime": "DateTimeField",
    "yesno": "BooleanField", "longtext": "TextField", "picture": "BinaryField", "binary": "BinaryField",
}  # fmt: skip
HEAD = '"""{} Made from a project of Enlace; it needs nothing of that."""\n\n'


@dataclass
class Application:
    """The text of each file by its path. told: what has no counterpart."""

    files: dict[str, str] = field(default_factory=dict)
    told: list[str] = field(default_factory=list)


@dataclass
class Model:
    """A table as a model. attributes: by column. listed: what lists show of it."""

    name: str
    table: str
    spec: DatasetSpec
    listed: tuple[str, ...] = ()
    attributes: dict[str, str] = field(default_factory=dict)


def application_of(project: Project, name: str) -> Application:
    """A project as the Django application NAME. Raises Problem for a name that is none, or a project of several connections."""
    if not NAME.fullmatch(name):
        raise Problem(f"“{name}” can't be the name of an application.", "Use small letters, digits and _.", code="bad")
    datasets = list(project.datasets.select_related("connection").order_by("pk"))
    kinds = {dataset.connection.kind for dataset in datasets}
    if len({dataset.connection_id for dataset in datasets}) != 1:
        raise Problem(
            "The project's datasets are not of one connection.", "An application has one database.", code="bad"
        )
    made = Application()
    models = _models(datasets, made.told)
    server = kinds.pop()
    made.files["__init__.py"] = HEAD.format(f"{project.name}.")
    made.files["apps.py"] = _apps(name, project.name)
    made.files["models.py"] = (
        "\n\n\n".join([_models_head(), *(_model(model, models) for model in models.values())]) + "\n"
    )
    made.files["asking_rules.py"] = (Path(__file__).parent / "asking_rules.py").read_text()
    made.files["rules.py"], ruled = _rules(datasets, server, made.told)
    forms = [form for form in project.forms.select_related("dataset").order_by("pk") if form.dataset.table in models]
    made.files["forms.py"], classes = _forms(forms, models, ruled)
    made.files["admin.py"] = _admin(forms, models, classes, made.told)
    made.told += [f"{form.title}: its rows are a query's." for form in project.forms.all() if form.dataset.query]
    made.told = list(dict.fromkeys(made.told))  # two datasets of a table have the same rules
    return made


# -- models ---------------------------------------------------------------------------------------------------


def _models(datasets: list[Dataset], told: list[str]) -> dict[str, Model]:
    """By table, the first dataset of each, and the tables that only lists show."""
    models: dict[str, Model] = {}
    for dataset in datasets:
        spec = dataset.to_spec()
        if spec.query or spec.table in models:
            continue
        if not spec.key or not spec.by_name.keys() >= set(spec.key) or any("%" in name for name in spec.key):
            told.append(f"{spec.table}: no columns of it are its key, so it is no model.")
            continue
        told += [f"{spec.table}: Django has no column called {one.name}." for one in spec.fields if "%" in one.name]
        models[spec.table] = Model(class_name(spec.table, (m.name for m in models.values())), spec.table, spec)
    for model in list(models.values()):
        for one in model.spec.fields:
            lookup = one.lookup
            if lookup and lookup.table and not lookup.query and lookup.table not in models and lookup.unique:
                spec = DatasetSpec(lookup.table, tuple(map(_as_field, lookup.columns)), (lookup.target,))
                name = class_name(lookup.table, (m.name for m in models.values()))
                models[lookup.table] = Model(name, lookup.table, spec)
            if lookup and lookup.table in models and not models[lookup.table].listed:
                models[lookup.table].listed = lookup.shows
    for model in models.values():
        _name_fields(model, models)
    return models


def _name_fields(model: Model, models: dict[str, Model]) -> None:
    """Give each column an attribute, a reference one whose `_id` is nobody else's. What the database computes has none."""
    used: set[str] = set()
    for one in sorted(model.spec.fields, key=lambda one: _target(one, models) is not None):
        if (one.computed and one.name not in model.spec.key) or "%" in one.name:
            continue  # its statements could not be shown: Django takes each % for the place of a value
        name = attribute(one.name, used)
        if _target(one, models) is not None:
            name = attribute(re.sub(r"_(id|code|no)$", "", one.name) or one.name, used)
            while f"{name}_id" in used:
                name = attribute(f"{name}_one", used)
            used.add(f"{name}_id")
        used.add(name)
        model.attributes[one.name] = name


def _as_field(column: ColumnSpec) -> FieldSpec:
    return FieldSpec(column.name, column.name.replace("_", " ").capitalize(), column.kind, nullable=column.nullable)


def _target(one: FieldSpec, models: dict[str, Model]) -> Model | None:
    """The model that a field refers to by its key; None where it is a value of its own."""
    lookup = one.lookup
    model = models.get(lookup.table) if lookup and lookup.table and not lookup.also and not lookup.query else None
    return model if lookup and model and model.spec.key == (lookup.target,) and not lookup.others else None


def _models_head() -> str:
    return (
        HEAD.format("Tables that are there already: Django reads and writes rows of them, and makes none.")
        + "from django.db import models\nfrom django.db.models.expressions import RawSQL  # noqa: F401"
    )


def _model(model: Model, models: dict[str, Model]) -> str:
    lines = [f"class {model.name}(models.Model):"]
    if len(model.spec.key) > 1:
        parts = ", ".join(repr(_raw(model, column, models)) for column in model.spec.key)
        lines.append(f"    pk = models.CompositePrimaryKey({parts})")
    for one in model.spec.fields:
        if one.name in model.attributes:
            lines.append(f"    {model.attributes[one.name]} = {_field(model, one, models)}")
    title = model.spec.table.replace("_", " ")
    order = [
        ("-" if down else "") + model.attributes[name]
        for name, down in model.spec.sorted_by
        if name in model.attributes
    ]
    lines += [
        "",
        "    class Meta:",
        "        managed = False",
        f"        db_table = {model.table!r}",
        f"        verbose_name = {title!r}",
    ]
    lines += [f"        ordering = {order!r}"] if order else []
    # Of a reference its key: what is called after another may be called after this in turn.
    shown = [_raw(model, name, models) for name in model.listed if name in model.attributes]
    said = " · ".join(f"{{self.{name}}}" for name in shown)
    lines += ["", "    def __str__(self):", f'        return f"{said}"' if said else "        return str(self.pk)"]
    return "\n".join(lines)


def _raw(model: Model, column: str, models: dict[str, Model]) -> str:
    """What holds a column's own value: of a reference the key."""
    one = model.spec.by_name[column]
    return model.attributes[column] + ("_id" if _target(one, models) else "")


def _field(model: Model, one: FieldSpec, models: dict[str, Model]) -> str:
    given = [f"{one.label!r}", f"db_column={one.name!r}"]
    target = _target(one, models)
    sole = model.spec.key == (one.name,)
    if sole:
        given.append("primary_key=True")
    if one.nullable and one.name not in model.spec.key:
        given.append("null=True")
    if not one.required or one.generated:
        given.append("blank=True")
    if one.default and not sole:
        given.append(f"db_default=RawSQL({one.default!r}, ())")
    if one.help:
        given.append(f"help_text={one.help!r}")
    unique = any(columns == (one.name,) for columns in model.spec.uniques)
    if unique and target is None:
        given.append("unique=True")
    if target is not None:
        reference = "OneToOneField" if sole or unique else "ForeignKey"
        more = f"on_delete=models.DO_NOTHING, related_name={'+'!r}" if not sole else "on_delete=models.DO_NOTHING"
        return f"models.{reference}({target.name!r}, {more}, verbose_name={', '.join(given)})"
    if one.numbered and sole:
        return f"models.BigAutoField({', '.join(given)})"
    if one.lookup and one.lookup.choices:
        read = int if one.kind == "whole" else str
        given.append(f"choices={[(read(value), shown) for value, shown in one.lookup.choices]!r}")
    if one.kind == "decimal":
        scale = one.scale if one.scale is not None else 6
        given.append(f"max_digits={one.precision or 30}, decimal_places={scale}")
    if one.kind in ("picture", "binary") or one.read_only:
        given.append("editable=False")
    if one.kind == "text" and one.length:
        return f"models.CharField({', '.join([*given, f'max_length={one.length}'])})"
    return f"models.{KINDS.get(one.kind, 'DecimalField' if one.kind == 'decimal' else 'TextField')}({', '.join(given)})"


# -- rules and forms ------------------------------------------------------------------------------------------


def _rules(datasets: list[Dataset], server: str, told: list[str]) -> tuple[str, dict[int, str]]:
    """The rules of each dataset that has some; by its number, what they are called."""
    lines = [HEAD.format("What records have to keep.") + "from .asking_rules import Rule\n"]
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
    return "\n".join(lines), called


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


def _forms(forms: list[Form], models: dict[str, Model], ruled: dict[int, str]) -> tuple[str, dict[int, str]]:
    """A form for each; by its number, what it is called."""
    text = HEAD.format("Forms that ask the rules.")
    text += "from django import forms\nfrom django.db import router\n\nfrom . import models, rules\n"
    text += "from .asking_rules import broken, errors_of\n"
    called: dict[int, str] = {}
    for form in forms:
        spec, model = form.dataset.to_spec(), models[form.dataset.table]
        columns = {one.name: model.attributes[one.name] for one in _entered(spec, model)}
        called[form.pk] = class_name(f"{form.title} form", called.values())
        rules = ruled.get(form.dataset_id)
        text += FORM.format(
            form=called[form.pk], title=f"{form.title}.".replace('"', "'"), columns=columns, model=model.name,
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


# -- the admin ------------------------------------------------------------------------------------------------


def _admin(forms: list[Form], models: dict[str, Model], classes: dict[int, str], told: list[str]) -> str:
    text = HEAD.format("The admin's pages.") + "from django.contrib import admin\n\nfrom . import forms, models\n"
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
            if o.name in model.attributes and o.kind == "text" and not _target(o, models)
        ]
        text += f"\n\n@admin.register(models.{model.name})\nclass {model.name}Admin(admin.ModelAdmin):\n    form = forms.{classes[form.pk]}\n"
        text += f"    list_display = {shown[:SHOWN] or ['__str__']!r}\n    search_fields = {found!r}\n"
        text += f"    inlines = [{', '.join(name for name, _ in inlines)}]\n" if inlines else ""
    return text


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
    if _target(model.spec.by_name[columns[0]], models) is not master:
        return None
    name = f"{model.name}Of{master.name}"
    body = f"class {name}(admin.TabularInline):\n    model = models.{model.name}\n    fk_name = {model.attributes[columns[0]]!r}\n    extra = 0\n"
    return name, body


def _apps(name: str, title: str) -> str:
    kind = class_name(name, ())
    return (
        HEAD.format("The application.")
        + f"from django.apps import AppConfig\n\n\nclass {kind}Config(AppConfig):\n    name = {name!r}\n    verbose_name = {title!r}\n"
    )
