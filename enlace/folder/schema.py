"""The published JSON Schema (2020-12) of a project's files; `docs/project.schema.json` is what this gives."""

from __future__ import annotations

from typing import Any

from django.db import models

from enlace.desk.models import Arrangement, KeptView
from enlace.workshop.models import Connection, Dataset, Detail, Field, Form, Project, Rule, ServerAction

from .bodies import COLUMNS
from .shapes import SHAPES
from .writing import FORMAT, VERSION

TYPES: dict[type[models.Field], str] = {
    models.BooleanField: "boolean",
    models.PositiveIntegerField: "integer",
    models.PositiveSmallIntegerField: "integer",
    models.CharField: "string",
    models.TextField: "string",
}


def schema() -> dict[str, Any]:
    """One definition for each kind of file, and for what stands in lists within them."""
    text = {"type": "string"}
    listed = lambda name: {"type": "array", "items": {"$ref": f"#/$defs/{name}"}}  # noqa: E731
    project = {"format": {"const": FORMAT}, "version": {"type": "integer", "minimum": 1, "maximum": VERSION}}
    project |= {name: {"type": "array", "items": text} for name in ("datasets", "forms")}
    definitions = {
        "project": _object(Project, project, ["format", "version", "name"]),
        "connection": _object(Connection, {}, ["name"]),
        "dataset": _object(Dataset, {"connection": text, "fields": listed("field"), "rules": listed("rule")}, ["name", "connection", "fields"]),
        "field": _object(Field, {}, ["name", "label", "kind"]),
        "rule": _object(Rule, {}, ["expression"]),
        "form": _object(
            Form,
            {"dataset": text, "sheet": {"$comment": "form.schema.json without its sources", "type": "object"}, "details": listed("detail"),
             "actions": listed("action"), "arrangements": listed("arrangement"), "views": listed("view")},
            ["title", "dataset"],
        ),
        "detail": _object(Detail, {"dataset": text, "of": text}, ["dataset", "columns", "master_columns"]),
        "action": _object(ServerAction, {}, ["title", "statements"]),
        "arrangement": _object(Arrangement, {}, []),
        "view": _object(KeptView, {}, ["name", "asked"]),
    }  # fmt: skip
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A project of Enlace as text",
        "description": "Each file is one of the definitions: project.yaml, connections/*, datasets/*, forms/*.",
        "$defs": definitions,
        "anyOf": [{"$ref": f"#/$defs/{name}"} for name in ("project", "connection", "dataset", "form")],
    }


def _object(model: type[models.Model], beside: dict[str, Any], required: list[str]) -> dict[str, Any]:
    own = {name: SHAPES.get((model, name)) or _column(model._meta.get_field(name)) for name in COLUMNS[model]}
    body: dict[str, Any] = {"type": "object", "additionalProperties": False, "properties": {**own, **beside}}
    return {**body, "required": required} if required else body


def _column(field: Any) -> dict[str, Any]:
    kind = TYPES[type(field)]
    said: dict[str, Any] = {"type": [kind, "null"] if field.null else kind}
    if field.choices:
        said["enum"] = [value for value, _ in field.flatchoices]
    if kind == "string" and field.max_length:
        said["maxLength"] = field.max_length
    return said
