"""Rows of a Data Package in an archive: a resource at a time, as its descriptor says it is written (Data Package v2)."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import Any

from ..problem import Problem
from .book_in import TORN, checked
from .incoming import LONGEST, Look, Rows, headed
from .table_schema import names_of, readings

DESCRIPTOR = "datapackage.json"
MOST_DESCRIPTOR = 5_000_000  # bytes
SEPARATED = ("csv", "tsv", "txt", "tab")


def look(path: Path, wanted: Look) -> Look:
    """The resources of a package that are tables."""
    names = tuple(_resources(path))
    if not names:
        raise Problem("The package has no table of separated values in it.", "Choose another file.", code="bad")
    return replace(wanted, sheets=names, sheet=wanted.sheet if wanted.sheet in names else names[0])


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the line."""
    # What is in it says itself how it is written, and whether it has headings.
    look = replace(look, heads=True, above=0, written="")
    resource = _resource(path, look)
    several = headed(_lines(path, resource), look)
    heads = next(several)
    yield heads
    read = readings(resource.get("schema"), heads[1])
    for number, row in several:
        yield number, [own(text) for own, text in zip(read, row, strict=True)]


def descriptor(path: Path) -> dict[str, Any]:
    """What a package says of itself. Raises Problem."""
    checked(path)
    with zipfile.ZipFile(path) as archive:
        try:
            # Read whole, unlike the data; so it is measured first.
            if archive.getinfo(DESCRIPTOR).file_size > MOST_DESCRIPTOR:
                raise Problem(f"The {DESCRIPTOR} is too large.", "", code="bad")
            said = json.loads(archive.read(DESCRIPTOR))
        except KeyError:
            raise Problem(f"There is no {DESCRIPTOR} in the archive.", "Choose a Data Package.", code="bad") from None
        except (RecursionError, *TORN) as error:
            raise Problem(f"The {DESCRIPTOR} can't be read: {error}.", "Mend it in the package.", code="bad") from None
    if not isinstance(said, dict) or not isinstance(said.get("resources"), list):
        raise Problem(f"The {DESCRIPTOR} names no resources.", "Mend it in the package.", code="bad")
    return said


def _resources(path: Path) -> dict[str, dict[str, Any]]:
    """By name, the resources that are tables: one file of separated values within the archive, or rows in the descriptor."""
    made = {}
    for number, item in enumerate(descriptor(path)["resources"], 1):
        if not isinstance(item, dict):
            continue
        place = item.get("path")
        # Version 1 of the specification kept one file as a list of one.
        place = place[0] if isinstance(place, list) and len(place) == 1 else place
        if isinstance(item.get("data"), list) or (
            isinstance(place, str) and _inside(place) and _separated(item, place)
        ):
            made[str(item.get("name") or f"resource {number}")] = {**item, "path": place}
    return made


def _inside(place: str) -> bool:
    """By the specification a path stays inside the package."""
    return "://" not in place and ".." not in PurePosixPath(place).parts and place[:1] != "/"


def _separated(item: dict[str, Any], place: str) -> bool:
    return str(item.get("format") or PurePosixPath(place).suffix[1:] or "csv").lower() in SEPARATED


def _resource(path: Path, look: Look) -> dict[str, Any]:
    resource = _resources(path).get(look.sheet)
    if resource is None:
        raise Problem(f"The package has no {look.sheet}.", "Choose one of its tables.", code="bad")
    return resource


def _lines(path: Path, resource: dict[str, Any]) -> Iterator[tuple[int, Sequence[Any]]]:
    dialect = resource.get("dialect") if isinstance(resource.get("dialect"), dict) else {}
    assert isinstance(dialect, dict)
    if isinstance(resource.get("data"), list):
        yield from _within(resource["data"])
        return
    if dialect.get("header") is False:
        yield 0, names_of(resource.get("schema"))
    comment = str(dialect.get("commentChar") or "")
    csv.field_size_limit(LONGEST + 1)
    number = 0
    with zipfile.ZipFile(path) as archive:
        try:
            with archive.open(resource["path"]) as raw:
                file = io.TextIOWrapper(raw, str(resource.get("encoding") or "utf-8"), newline="")
                reader = csv.reader(file, strict=True, **_dialect(dialect))
                while True:
                    number = reader.line_num + 1
                    row = next(reader, None)
                    if row is None:
                        return
                    if row and not (comment and row[0].startswith(comment)):
                        yield number, row
        except KeyError:
            raise Problem(
                f"The package has no file {resource['path']}.", "Get the whole package.", code="bad"
            ) from None
        except (csv.Error, LookupError, TypeError, *TORN) as error:
            sentence = f"{resource['path']} can't be read from line {number:,} on: {error}."
            raise Problem(sentence, "Mend it in the package.", code="bad") from None


def _dialect(said: dict[str, Any]) -> dict[str, Any]:
    """What Table Dialect (v2) says of separated values, as Python's reader wants it."""
    own: dict[str, Any] = {"delimiter": str(said.get("delimiter") or ",")[:1]}
    own["quotechar"] = str(said.get("quoteChar") or '"')[:1]
    own["doublequote"] = said.get("doubleQuote") is not False
    own["skipinitialspace"] = said.get("skipInitialSpace") is True
    if said.get("escapeChar"):
        own["escapechar"] = str(said["escapeChar"])[:1]
    return own


def _within(data: Sequence[Any]) -> Iterator[tuple[int, Sequence[Any]]]:
    """Rows that stand in the descriptor itself: objects, or lists of which the first has the names."""
    names = list(dict.fromkeys(name for item in data if isinstance(item, dict) for name in item))
    if names:
        yield 0, names
    for number, item in enumerate(data, 1):
        if not isinstance(item, dict if names else list):
            raise Problem(
                f"Row {number:,} of the data is no row like the others.", "Mend it in the package.", code="bad"
            )
        yield number, [_cell(value) for value in (map(item.get, names) if isinstance(item, dict) else item)]


def _cell(value: Any) -> Any:
    return json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else value
