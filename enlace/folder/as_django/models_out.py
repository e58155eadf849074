"""Tables as models that leave them alone."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from enlace.core.model.dataset import ColumnSpec, DatasetSpec, FieldSpec
from enlace.workshop.models import Dataset

from .naming import attribute, class_name, heading

KINDS = {
    "whole": "BigIntegerField", "date": "DateField", "time": "TimeField", "datetime": "DateTimeField",
    "yesno": "BooleanField", "longtext": "TextField", "picture": "BinaryField", "binary": "BinaryField",
}  # fmt: skip


@dataclass
class Model:
    """A table as a model. attributes: by column. listed: what lists show of it."""

    name: str
    table: str
    spec: DatasetSpec
    listed: tuple[str, ...] = ()
    attributes: dict[str, str] = field(default_factory=dict)


def models_of(datasets: list[Dataset], told: list[str]) -> dict[str, Model]:
    """By table, the first dataset of each, and the tables that only lists show."""
    models: dict[str, Model] = {}
    for dataset in datasets:
        spec = dataset.to_spec()
        if spec.query or spec.table in models:
            continue
        if not sayable(spec.table):
            told.append(f"{spec.table}: Django has no table called so.")
            continue
        if not spec.key or not spec.by_name.keys() >= set(spec.key) or not all(map(sayable, spec.key)):
            told.append(f"{spec.table}: no columns of it are its key, so it is no model.")
            continue
        told += [f"{spec.table}: Django has no column called {f.name}." for f in spec.fields if not sayable(f.name)]
        models[spec.table] = Model(class_name(spec.table, (m.name for m in models.values())), spec.table, spec)
    for model in list(models.values()):
        for one in model.spec.fields:
            lookup = one.lookup
            listed = lookup and lookup.table and not lookup.query and lookup.table not in models and lookup.unique
            if lookup and listed and sayable(lookup.table) and sayable(lookup.target):
                spec = DatasetSpec(lookup.table, tuple(map(_as_field, lookup.columns)), (lookup.target,))
                name = class_name(lookup.table, (m.name for m in models.values()))
                models[lookup.table] = Model(name, lookup.table, spec)
            if lookup and lookup.table in models and not models[lookup.table].listed:
                models[lookup.table].listed = lookup.shows
    for model in models.values():
        _name_fields(model, models)
    return models


def sayable(name: str) -> bool:
    """Whether Django can name a table or column so: it takes each % of a statement for the place of a value, and quotes names
    as if no quote could be in them."""
    return not any(sign in name for sign in '%"`')


def _name_fields(model: Model, models: dict[str, Model]) -> None:
    """Give each column an attribute, a reference one whose `_id` is nobody else's. What the database computes has none."""
    used: set[str] = set()
    for one in sorted(model.spec.fields, key=lambda one: target_of(one, models) is not None):
        if (one.computed and one.name not in model.spec.key) or not sayable(one.name):
            continue
        name = attribute(one.name, used)
        if target_of(one, models) is not None:
            name = attribute(re.sub(r"_(id|code|no)$", "", one.name) or one.name, used)
            while f"{name}_id" in used:
                name = attribute(f"{name}_one", used)
            used.add(f"{name}_id")
        used.add(name)
        model.attributes[one.name] = name


def _as_field(column: ColumnSpec) -> FieldSpec:
    return FieldSpec(column.name, column.name.replace("_", " ").capitalize(), column.kind, nullable=column.nullable)


def target_of(one: FieldSpec, models: dict[str, Model]) -> Model | None:
    """The model that a field refers to by its key; None where it is a value of its own."""
    lookup = one.lookup
    model = models.get(lookup.table) if lookup and lookup.table and not lookup.also and not lookup.query else None
    return model if lookup and model and model.spec.key == (lookup.target,) and not lookup.others else None


def head_of_models() -> str:
    return (
        heading("Tables that are there already: Django reads and writes rows of them, and makes none.")
        + "from django.db import models\nfrom django.db.models.expressions import RawSQL  # noqa: F401"
    )


def model_text(model: Model, models: dict[str, Model]) -> str:
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
    return model.attributes[column] + ("_id" if target_of(one, models) else "")


def _field(model: Model, one: FieldSpec, models: dict[str, Model]) -> str:
    given = [f"{one.label!r}", f"db_column={one.name!r}"]
    target = target_of(one, models)
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
