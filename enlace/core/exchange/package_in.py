"""Rows of a Data Package in an archive: a resource at a time, as its descriptor says it is written (Data Package v2)."""

from __future__ import annotations

import codecs
import csv
import json
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import Any

from ..problem import Problem
from .book_in import checked
from .incoming import LONGEST, Look, Rows, headed

DESCRIPTOR = "datapackage.json"
MOST_DESCRIPTOR = 5_000_000  # bytes


def look(path: Path, wanted: Look) -> Look:
    """The resources of a package that are tables."""
    names = tuple(_resources(path))
    if not names:
        raise Problem("The package has no table in it.", "Choose another file.", code="bad")
    return replace(wanted, sheets=names, sheet=wanted.sheet if wanted.sheet in names else names[0])


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the line."""
    return headed(_lines(path, look), look)


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
        except (ValueError, RecursionError, zipfile.BadZipFile) as error:
            raise Problem(f"The {DESCRIPTOR} can't be read: {error}.", "Mend it in the package.", code="bad") from None
    if not isinstance(said, dict) or not isinstance(said.get("resources"), list):
        raise Problem(f"The {DESCRIPTOR} names no resources.", "Mend it in the package.", code="bad")
    return said


def _resources(path: Path) -> dict[str, dict[str, Any]]:
    """By name, the resources that are one file of separated values within the archive."""
    made = {}
    for number, item in enumerate(descriptor(path)["resources"], 1):
        place = item.get("path") if isinstance(item, dict) else None
        # Version 1 of the specification kept one file as a list of one.
        place = place[0] if isinstance(place, list) and len(place) == 1 else place
        # By the specification a path stays inside the package.
        if (
            isinstance(place, str)
            and "://" not in place
            and ".." not in PurePosixPath(place).parts
            and place[:1] != "/"
        ):
            made[str(item.get("name") or f"resource {number}")] = {**item, "path": place}
    return made


def _lines(path: Path, look: Look) -> Iterator[list[str]]:
    resource = _resources(path).get(look.sheet)
    if resource is None:
        raise Problem(f"The package has no {look.sheet}.", "Choose one of its tables.", code="bad")
    dialect = resource.get("dialect") if isinstance(resource.get("dialect"), dict) else {}
    assert isinstance(dialect, dict)
    encoding, separator = str(resource.get("encoding") or "utf-8"), str(dialect.get("delimiter") or ",")
    missing = (
        set((resource.get("schema") or {}).get("missingValues", [""]))
        if isinstance(resource.get("schema"), dict)
        else {""}
    )
    csv.field_size_limit(LONGEST + 1)
    with zipfile.ZipFile(path) as archive:
        try:
            with archive.open(resource["path"]) as file:
                reader = csv.reader(codecs.iterdecode(file, encoding), delimiter=separator[:1], strict=True)
                for row in reader:
                    if row:
                        yield ["" if value in missing else value for value in row]
        except KeyError:
            raise Problem(
                f"The package has no file {resource['path']}.", "Get the whole package.", code="bad"
            ) from None
        except (csv.Error, UnicodeDecodeError, LookupError, zipfile.BadZipFile, TypeError) as error:
            raise Problem(
                f"{resource['path']} can't be read: {error}.", "Mend it in the package.", code="bad"
            ) from None
