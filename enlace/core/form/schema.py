"""The published schema of a form's document (JSON Schema, draft 2020-12)."""

from __future__ import annotations

from typing import Any

from .columns import PROPERTIES
from .document import COLUMNS, MOST_ROWS, NAME, READS
from .kinds import CONTROL_KINDS, Setting
from .opening import ACTS, FAILINGS, MOST_STEPS, RECORDS

TYPES = {
    "text": "string", "lines": "string", "yes or no": "boolean", "number": "integer", "choice": "string",
    "condition": "string", "field": "string", "target": "string", "letter": "string",
}  # fmt: skip
TYPE_NAMES = {str: "string", int: "integer", bool: "boolean"}


def schema() -> dict[str, Any]:
    """The schema, made from the same constants and kinds that the code uses."""
    name = {"type": "string", "pattern": f"^{NAME.pattern}$"}
    texts = {"type": "array", "items": {"type": "string"}}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A form of Enlace",
        "type": "object",
        "required": ["sources", "version"],
        "additionalProperties": False,
        "properties": {
            "version": {"enum": list(READS)},
            "opening": {"anyOf": [{"enum": ["", *RECORDS]}, {"$ref": "#/$defs/opening"}]},
            "sources": {"type": "array", "minItems": 1, "items": {"$ref": "#/$defs/source"}},
            "controls": {"type": "array", "items": {"$ref": "#/$defs/control"}},
        },
        "$defs": {
            "source": {
                "type": "object",
                "required": ["name", "dataset"],
                "additionalProperties": False,
                "properties": {
                    "name": name,
                    "dataset": {"type": "string", "minLength": 1},
                    "title": {"type": "string"},
                    "parent": {"type": "string"},
                    "columns": texts,
                    "parent_columns": texts,
                },
            },
            "opening": {
                "type": "array",
                "maxItems": MOST_STEPS,
                "items": {
                    "type": "object",
                    "required": ["act"],
                    "additionalProperties": False,
                    "properties": {
                        "act": {"enum": list(ACTS)},
                        "field": {"type": "string"},
                        "value": {"type": "string"},
                        "failing": {"enum": list(FAILINGS)},
                    },
                },
            },
            "place": {
                "type": "object",
                "additionalProperties": False,
                "properties": {
                    "x": {"type": "integer", "minimum": 1, "maximum": COLUMNS},
                    "y": {"type": "integer", "minimum": 1, "maximum": MOST_ROWS},
                    "w": {"type": "integer", "minimum": 1, "maximum": COLUMNS},
                    "h": {"type": "integer", "minimum": 1, "maximum": MOST_ROWS},
                    "fill": {"type": "boolean"},
                },
            },
            "control": {
                "type": "object",
                "required": ["id", "kind"],
                "additionalProperties": False,
                "properties": {
                    "id": name,
                    "kind": {"type": "string", "minLength": 1},
                    "source": {"type": "string"},
                    "field": {"type": "string"},
                    "place": {"$ref": "#/$defs/place"},
                    "settings": {"type": "object"},
                    "children": {"type": "array", "items": {"$ref": "#/$defs/control"}},
                },
                "allOf": [
                    {
                        "if": {"properties": {"kind": {"const": kind.name}}},
                        "then": {
                            "properties": {"settings": {"properties": {s.name: _setting(s) for s in kind.settings}}}
                        },
                    }
                    for kind in CONTROL_KINDS.values()
                ],
            },
        },
    }


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
