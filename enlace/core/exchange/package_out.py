"""Rows as a Data Package (v2): separated values and a descriptor with their Table Schema, in one archive."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Collection, Iterable, Sequence
from typing import IO, Any

from ..model.catalog import Table
from ..model.dataset import DatasetSpec, FieldSpec
from .empties import marked
from .incoming import own_names
from .outgoing import Sheet
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


RESOURCE = {"type": "table", "scheme": "file", "format": "csv", "mediatype": "text/csv", "encoding": "utf-8"}


def resource_name(text: str) -> str:
    """A name as the specification wants it: small letters, digits, dots, dashes and underscores."""
    return re.sub(r"[^a-z0-9._-]+", "-", text.lower()).strip("-._") or "rows"


def write_package(into: IO[bytes], sheets: Iterable[Sheet]) -> None:
    """Write a package: a resource of separated values for each sheet, with its schema where it has one."""
    resources: list[dict[str, Any]] = []
    title = ""
    with zipfile.ZipFile(into, "w", zipfile.ZIP_DEFLATED) as archive:
        for sheet in sheets:
            title = title or sheet.title
            name = own_names([*(str(known["name"]) for known in resources), resource_name(sheet.name or sheet.title)])[
                -1
            ]
            name = resource_name(name)
            schema = dict(sheet.schema) or {"fields": [{"name": head} for head in sheet.heads], "missingValues": [""]}
            resources.append({**RESOURCE, "name": name, "path": f"{name}.csv", "schema": schema})
            with (
                archive.open(f"{name}.csv", "w", force_zip64=True) as raw,
                io.TextIOWrapper(raw, "utf-8", newline="") as file,
            ):
                writer = csv.writer(file)
                writer.writerow(sheet.heads)
                writer.writerows([_text(value) for value in row] for row in sheet.rows)
        said = {
            "$schema": "https://datapackage.org/profiles/2.0/datapackage.json",
            "name": resources[0]["name"] if resources else "rows",
            "title": title,
            "resources": resources,
        }
        archive.writestr(DESCRIPTOR, json.dumps(said, ensure_ascii=False, indent=2))


def schema_of(
    dataset: DatasetSpec, fields: Sequence[FieldSpec], table: Table | None = None, beside: Collection[str] = ()
) -> dict[str, Any]:
    """The Table Schema of some fields: types, constraints, the key, and what refers to where. beside: the other tables of
    the package, which references may lead to."""
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
        if names.issuperset(r.columns) and r.target in (r.table, *beside)
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
    if isinstance(value, str):
        return marked(value)
    return value.isoformat() if hasattr(value, "isoformat") else str(value)
