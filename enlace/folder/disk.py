"""The files of a project in a folder, or in an archive of one."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path, PurePosixPath
from typing import IO

from enlace.core.problem import Problem

MOST_BYTES = 50_000_000  # of an archive, unpacked


def put(texts: Mapping[str, str], folder: Path) -> None:
    """Write texts into a folder: files of a project that it has beside them go, others are left alone."""
    there = {
        path.relative_to(folder).as_posix()
        for path in folder.glob("*/*.yaml")
        if path.parent.name in ("connections", "datasets", "forms")
    }
    for path in there - texts.keys():
        (folder / path).unlink()
    for path, text in texts.items():
        place = folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        # A file that says the same keeps its time, so that build tools and git see what has changed.
        if not place.exists() or place.read_text(encoding="utf-8") != text:
            place.write_text(text, encoding="utf-8")


def got(folder: Path) -> dict[str, str]:
    """The texts of a folder. Raises Problem."""
    if not (folder / "project.yaml").is_file():
        raise Problem(f"There is no project.yaml in {folder}.", "Give the folder of a project.", code="missing")
    files = [
        folder / "project.yaml",
        *(p for name in ("connections", "datasets", "forms") for p in sorted((folder / name).glob("*.yaml"))),
    ]
    return {(name := path.relative_to(folder).as_posix()): _text(path.read_bytes(), name) for path in files}


def _text(content: bytes, name: str) -> str:
    try:
        return content.decode()
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        raise Problem(f"{name}, line {line}: the file is not written in UTF-8.", "Write it so.", code="bad") from None


def packed(texts: Mapping[str, str], name: str) -> bytes:
    """An archive with the texts in one folder; the same texts give the same bytes."""
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, text in sorted(texts.items()):
            # Without a time of its own, which would make two archives of one state differ.
            archive.writestr(zipfile.ZipInfo(f"{name}/{path}"), text.encode())
    return file.getvalue()


def unpacked(file: IO[bytes]) -> dict[str, str]:
    """The texts of an archive, whichever folder they are in. Raises Problem."""
    try:
        with zipfile.ZipFile(file) as archive:
            items = [item for item in archive.infolist() if item.filename.endswith(".yaml")]
            # By what the archive says of itself: enough, since zipfile reads no more than that of each.
            if sum(item.file_size for item in items) > MOST_BYTES:
                raise Problem("Unpacked the archive would be too large.", "", code="bad")
            head = next(
                (PurePosixPath(i.filename) for i in items if PurePosixPath(i.filename).name == "project.yaml"), None
            )
            if head is None:
                raise Problem(
                    "There is no project.yaml in the archive.", "Choose one that was taken out here.", code="bad"
                )
            # An archive made by hand has one more folder around, or several beside it.
            inside = [item for item in items if PurePosixPath(item.filename).is_relative_to(head.parent)]
            named = {PurePosixPath(item.filename).relative_to(head.parent).as_posix(): item for item in inside}
            return {name: _text(archive.read(item), name) for name, item in named.items()}
    except RuntimeError:  # what zipfile raises for those
        hint = "Pack it without a password, in the common way."
        raise Problem(
            "The archive is locked by a password, or packed in a way that is not read.", hint, code="bad"
        ) from None
    except (zipfile.BadZipFile, OSError, ValueError, zlib.error):
        raise Problem(
            "The file is no archive, or cut off.", "Choose one that was taken out here.", code="bad"
        ) from None
