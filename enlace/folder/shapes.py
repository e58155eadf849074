"""What lists and mappings within a project's files look like, as JSON Schema (2020-12): said in the published schema, and held to."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import MISSING, fields
from functools import lru_cache
from types import UnionType
from typing import Any, get_args, get_origin, get_type_hints

from django.db import models
from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match

from enlace.core.form.columns import GridColumn
from enlace.core.kinds import KINDS
from enlace.core.kinds.knowledge import KNOWN
from enlace.core.model.dataset import DetailSpec, LookupSpec
from enlace.desk.models import Arrangement, KeptView
from enlace.workshop.models import Connection, Dataset, Detail, Field, Rule

Shape = dict[str, Any]
TEXT: Shape = {"type": "string"}
PLAIN: dict[Any, Shape] = {str: TEXT, bool: {"type": "boolean"}, int: {"type": "integer"}, type(None): {"type": "null"}}


def shape_of(kind: Any) -> Shape:
    """The JSON of a value of a type: plain ones, tuples, and dataclasses of such.

    >>> shape_of(tuple[str, ...])
    {'type': 'array', 'items': {'type': 'string'}}
    """
    if kind in PLAIN:
        return PLAIN[kind]
    if get_origin(kind) is UnionType:
        return {"anyOf": [shape_of(one) for one in get_args(kind)]}
    if get_origin(kind) is tuple:
        first, *others = get_args(kind)
        if others == [...]:
            return _several(shape_of(first))
        return _row(*map(shape_of, (first, *others)))
    hints = get_type_hints(kind)
    own = [item for item in fields(kind) if not item.name.startswith("_")]
    needed = [item.name for item in own if item.default is MISSING and item.default_factory is MISSING]
    shape = {
        "type": "object",
        "additionalProperties": False,
        "properties": {f.name: shape_of(hints[f.name]) for f in own},
    }
    return {**shape, "required": needed} if needed else shape


def _several(one: Shape) -> Shape:
    return {"type": "array", "items": one}


def _row(*parts: Shape) -> Shape:
    return {"type": "array", "prefixItems": list(parts), "minItems": len(parts), "maxItems": len(parts)}


TEXTS = _several(TEXT)
# By model and column.
SHAPES: dict[tuple[type[models.Model], str], Shape] = {
    (Connection, "parameters"): {"type": "object", "additionalProperties": {"type": ["string", "integer"]}},
    (Dataset, "key"): TEXTS,
    (Dataset, "uniques"): _several(TEXTS),
    (Dataset, "details_known"): _several(shape_of(DetailSpec)),
    (Dataset, "sorted_by"): _several(_row(TEXT, PLAIN[bool])),
    (Field, "conditional_formats"): _several(_row(TEXT, TEXT)),
    (Field, "lookup"): {"anyOf": [shape_of(LookupSpec), {"type": "null"}]},
    (Rule, "marks"): TEXTS,
    (Detail, "columns"): TEXTS,
    (Detail, "master_columns"): TEXTS,
    (Arrangement, "columns"): _several({"anyOf": [TEXT, shape_of(GridColumn)]}),
    (Arrangement, "totals"): _several(_row(TEXT, TEXT)),
    (KeptView, "asked"): {"type": "object"},  # `core.view.Asked` says what is wrong in it
}


def misshapen(model: type[models.Model], column: str, value: Any) -> str:
    """What a column's value does not fit, with its place within the value; "" where it fits."""
    judge = _judge(model, column)  # type: ignore[arg-type]
    error = best_match(judge.iter_errors(value)) if judge else None
    if error is None:
        return next(_unknown(column, value, ""), "") if model in (Field, Dataset) else ""
    place = "".join(f"[{part}]" if isinstance(part, int) else f", {part}" for part in error.absolute_path)
    return f"{place}: {error.message[:200]}"


def _unknown(name: str, value: Any, place: str) -> Iterator[str]:
    """What is named that nothing here is called: extensions may add to it, so that the published schema can't say it."""
    if name in CALLED and isinstance(value, str):
        words, known = CALLED[name]
        if not value and name == "kind":
            yield f"{place}: a {words} is missing. There is {', '.join(known)}"
        elif value and value not in known:
            yield f"{place}: there is no {words} called {value[:40]}. There is {', '.join(known)}"
    elif isinstance(value, dict):
        for inner, one in value.items():
            yield from _unknown(inner, one, f"{place}, {inner}")
    elif isinstance(value, list | tuple):
        for at, one in enumerate(value):
            yield from _unknown("", one, f"{place}[{at}]")


# By a property's name, what its texts call.
CALLED: dict[str, tuple[str, Collection[str]]] = {
    "kind": ("kind of field", KINDS),
    "text_check": ("check of a text", KNOWN),
}


@lru_cache(maxsize=64)
def _judge(model: type[models.Model], column: str) -> Draft202012Validator | None:
    shape = SHAPES.get((model, column))
    return Draft202012Validator(shape) if shape else None
