"""The published schema of a form's document (JSON Schema, draft 2020-12)."""

from __future__ import annotations

from typing import Any

from .document import COLUMNS, MOST_ROWS, NAME, OPENINGS, VERSION
from .kinds import CONTROL_KINDS, Setting

TYPES = {"text": "string", "lines": "string", "yes or no": "boolean", "number": "integer", "choice": "string"}


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
            "version": {"const": VERSION},
            "opening": {"enum": list(OPENINGS)},
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
    body: dict[str, Any] = {"type": TYPES[setting.kind]}
    if setting.kind == "choice":
        body["enum"] = [value for value, _ in setting.choices]
    if setting.kind == "number":
        body |= {"minimum": setting.least, "maximum": setting.most}
    return body
