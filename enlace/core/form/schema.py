"""The published schema of a form's document (JSON Schema, draft 2020-12)."""

from __future__ import annotations

from typing import Any

from .columns import PROPERTIES
from .document import COLUMNS, MOST_ROWS, NAME, READS
from .kinds import CONTROL_KINDS, ControlKind, Setting
from .opening import ACTS, FAILINGS, MOST_STEPS, RECORDS

TYPES = {
    "text": "string", "lines": "string", "yes or no": "boolean", "number": "integer", "choice": "string",
    "condition": "string", "field": "string", "target": "string", "letter": "string",
}  # fmt: skip
TYPE_NAMES = {str: "string", int: "integer", bool: "boolean"}


TEXT = {"type": "string"}
TEXTS = {"type": "array", "items": TEXT}
IDENTIFIER = {"type": "string", "pattern": f"^{NAME.pattern}$"}
SOURCE = {
    "name": IDENTIFIER, "dataset": {"type": "string", "minLength": 1}, "title": TEXT, "parent": TEXT, "columns": TEXTS,
    "parent_columns": TEXTS,
}  # fmt: skip
STEP = {"act": {"enum": list(ACTS)}, "field": TEXT, "value": TEXT, "failing": {"enum": list(FAILINGS)}}
PLACE = {
    "x": {"type": "integer", "minimum": 1, "maximum": COLUMNS},
    "y": {"type": "integer", "minimum": 1, "maximum": MOST_ROWS},
    "w": {"type": "integer", "minimum": 1, "maximum": COLUMNS},
    "h": {"type": "integer", "minimum": 1, "maximum": MOST_ROWS},
    "fill": {"type": "boolean"},
}
CONTROL = {
    "id": IDENTIFIER, "kind": {"type": "string", "minLength": 1}, "source": TEXT, "field": TEXT,
    "place": {"$ref": "#/$defs/place"}, "settings": {"type": "object"},
    "children": {"type": "array", "items": {"$ref": "#/$defs/control"}},
}  # fmt: skip
FORM = {
    "version": {"enum": list(READS)},
    "opening": {"anyOf": [{"enum": ["", *RECORDS]}, {"$ref": "#/$defs/opening"}]},
    "sources": {"type": "array", "minItems": 1, "items": {"$ref": "#/$defs/source"}},
    "controls": {"type": "array", "items": {"$ref": "#/$defs/control"}},
}


def schema() -> dict[str, Any]:
    """The schema, made from the same constants and kinds that the code uses."""
    head = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "A form of Enlace"}
    parts = {
        "source": _made_of(SOURCE, "name", "dataset"),
        "opening": {"type": "array", "maxItems": MOST_STEPS, "items": _made_of(STEP, "act")},
        "place": _made_of(PLACE),
        # Read when it is asked for: kinds of controls may come from other packages.
        "control": _made_of(CONTROL, "id", "kind") | {"allOf": [_kind(kind) for kind in CONTROL_KINDS.values()]},
    }
    return {**head, **_made_of(FORM, "sources", "version"), "$defs": parts}


def _made_of(properties: dict[str, Any], *required: str) -> dict[str, Any]:
    """A value of some properties, and of no others."""
    needed = {"required": list(required)} if required else {}
    return {"type": "object", **needed, "additionalProperties": False, "properties": properties}


def _kind(kind: ControlKind) -> dict[str, Any]:
    """What a kind of control has for settings."""
    settings = {setting.name: _setting(setting) for setting in kind.settings}
    then = {"properties": {"settings": {"properties": settings}}}
    return {"if": {"properties": {"kind": {"const": kind.name}}}, "then": then}


def _setting(setting: Setting) -> dict[str, Any]:
    if setting.kind == "fields":
        return {"type": "array", "items": {"type": "string"}}
    if setting.kind == "columns":
        properties = {
            item.name: {"type": TYPE_NAMES[type(item.default)]} for item in PROPERTIES.values() if item.name != "field"
        }
        column = {"type": "object", "required": ["field"], "additionalProperties": False}
        column["properties"] = {"field": {"type": "string"}, **properties}
        return {"type": "array", "items": {"anyOf": [{"type": "string"}, column]}}
    body: dict[str, Any] = {"type": TYPES[setting.kind]}
    if setting.kind == "choice":
        body["enum"] = [value for value, _ in setting.choices]
    if setting.kind == "number":
        body |= {"minimum": setting.least, "maximum": setting.most}
    return body
