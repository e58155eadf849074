"""Rows as a Data Package (v2): separated values and a descriptor with their Table Schema, in one archive."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterable, Sequence
from typing import IO, Any

from ..model.catalog import Table
from ..model.dataset import DatasetSpec, FieldSpec
from .package_in import DESCRIPTOR

# By kind, the type and format of Table Schema (v2); what has none is a string.
TYPES = {
    "whole": ("integer", ""),
    "decimal": ("number", ""),
    "yesno": ("boolean", ""),
    "date": ("date", ""),
    "time": ("time", ""),
    "datetime": ("datetime", "any"),
    "json": ("any", ""),
    "uuid": ("string", "uuid"),
}


def resource_name(text: str) -> str:
    """A name as the specification wants it: small letters, digits, dots, dashes and underscores."""
    return re.sub(r"[^a-z0-9._-]+", "-", text.lower()).strip("-._") or "rows"


def write_package(
    into: IO[bytes],
    title: str,
    dataset: DatasetSpec,
    fields: Sequence[FieldSpec],
    rows: Iterable[Sequence[Any]],
    table: Table | None,
) -> None:
    """Write a package of one table. Values: None, yes and no, numbers, texts, dates and times. table: what the catalog knows."""
    name = resource_name(dataset.table or title)
    resource = {
        "name": name,
        "type": "table",
        "path": f"{name}.csv",
        "scheme": "file",
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
    }
    resource["schema"] = schema_of(dataset, fields, table)  # type: ignore[assignment]
    said = {
        "$schema": "https://datapackage.org/profiles/2.0/datapackage.json",
        "name": name,
        "title": title,
        "resources": [resource],
    }
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(DESCRIPTOR, json.dumps(said, ensure_ascii=False, indent=2))
        with (
            archive.open(f"{name}.csv", "w", force_zip64=True) as raw,
            io.TextIOWrapper(raw, "utf-8", newline="") as file,
        ):
            writer = csv.writer(file)
            writer.writerow([field.name for field in fields])
            for row in rows:
                writer.writerow([_text(value) for value in row])


def schema_of(dataset: DatasetSpec, fields: Sequence[FieldSpec], table: Table | None = None) -> dict[str, Any]:
    """The Table Schema of some fields: types, constraints, the key, and what refers to where."""
    names = {field.name for field in fields}
    schema: dict[str, Any] = {"fields": [_field(dataset, field) for field in fields], "missingValues": [""]}
    # Half of a key is none: with hidden columns left out rows may come twice.
    if dataset.key and names.issuperset(dataset.key):
        schema["primaryKey"] = list(dataset.key)
    if several := [
        list(columns) for columns in dataset.uniques if names.issuperset(columns) and tuple(columns) != dataset.key
    ]:
        schema["uniqueKeys"] = several
    foreign = [
        {
            "fields": list(r.columns),
            "reference": {"resource": resource_name(r.target), "fields": list(r.target_columns)},
        }
        for r in (table.references if table else ())
        # To other tables there is no file in the package that a reader could follow.
        if names.issuperset(r.columns) and r.target == r.table
    ]
    return {**schema, "foreignKeys": foreign} if foreign else schema


def _field(dataset: DatasetSpec, field: FieldSpec) -> dict[str, Any]:
    type_name, format_name = TYPES.get(field.kind, ("string", ""))
    said: dict[str, Any] = {"name": field.name, "type": type_name, "title": field.label}
    if format_name:
        said["format"] = format_name
    if field.help:
        said["description"] = field.help
    constraints: dict[str, Any] = {}
    if field.required or field.name in dataset.key:
        constraints["required"] = True
    if dataset.key == (field.name,) or (field.name,) in dataset.uniques:
        constraints["unique"] = True
    if field.length and type_name == "string":
        constraints["maxLength"] = field.length
    return {**said, "constraints": constraints} if constraints else said


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return value.isoformat() if hasattr(value, "isoformat") else str(value)
