"""Rows of JSON (RFC 8259) and of JSON Lines: objects, read one after another."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..problem import Problem
from .empties import marked
from .incoming import Look, Rows, named

PIECE = 1 << 16
MOST_DEPTH = 40


def look(path: Path, wanted: Look) -> Look:
    """The lists of objects that a JSON file has; of JSON Lines there is but one."""
    wanted = replace(wanted, encoding=wanted.encoding or "utf-8-sig")
    if wanted.format == "jsonl":
        return wanted
    with path.open(encoding=wanted.encoding) as file:
        first = next((c for c in iter(lambda: file.read(1), "") if not c.isspace()), "")
    # A list is read element by element; only an object has to be read whole to find the lists in it.
    if first == "[":
        return wanted
    lists = tuple(_lists(_whole(path, wanted), "", 0))
    return replace(wanted, paths=lists, path=wanted.path if wanted.path in lists else (lists[0] if lists else ""))


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the line or the object."""
    return named(map(_plain, _objects(path, look)), look, "object")


def _plain(item: dict[str, Any]) -> dict[str, Any]:
    """What is a list or an object itself stays JSON: a field of JSON takes it, others say what is wrong."""
    return {name: _cell(value) for name, value in item.items()}


def _cell(value: Any) -> Any:
    if isinstance(value, list | dict):
        return json.dumps(value, ensure_ascii=False)
    return marked(value) if isinstance(value, str) else value


def _objects(path: Path, look: Look) -> Iterator[dict[str, Any]]:
    if look.format == "jsonl":
        several = _lines(path, look)
    elif look.path:
        several = iter(_at(_whole(path, look), look.path))
    else:
        several = _elements(path, look)
    for number, item in enumerate(several, 1):
        if not isinstance(item, dict):
            hint = "Choose a list of objects."
            raise Problem(f"Element {number:,} is no object with names and values.", hint, code="bad")
        yield item


def _lines(path: Path, look: Look) -> Iterator[Any]:
    with path.open(encoding=look.encoding, errors="strict") as file:
        number = 1
        try:
            for line in file:
                if line.strip():
                    yield json.loads(line)
                number += 1
        except (ValueError, RecursionError) as error:
            raise _wrong(f"Line {number:,} is no JSON", error) from None


def _elements(path: Path, look: Look) -> Iterator[Any]:
    """The elements of a list, without having the whole list in memory."""
    decoder, text, number = json.JSONDecoder(), "", 0
    with path.open(encoding=look.encoding) as file:
        try:
            text = _more(file, text).lstrip()
            if not text.startswith("["):
                raise Problem("The file is no list of objects.", "Choose another format.", code="bad")
            text = text[1:]
            while True:
                # A comma between elements; one before the first is told as the mistake that it is.
                text = text.lstrip().removeprefix(",") if number else text
                text = text.lstrip()
                while not text:
                    if not (text := _more(file, text)):
                        raise Problem(
                            "The list is never closed: the file ends in the middle.", "Get the whole file.", code="bad"
                        )
                    text = text.lstrip()
                if text.startswith("]"):
                    return
                number += 1
                element, text = _next(decoder, file, text)
                yield element
        except (ValueError, RecursionError) as error:
            raise _wrong(f"Element {number:,} is no JSON", error) from None


def _next(decoder: json.JSONDecoder, file: Any, text: str) -> tuple[Any, str]:
    """The element that a text begins with, and what is behind it; more of the file is read as long as it is torn."""
    while True:
        try:
            element, end = decoder.raw_decode(text)
            # A number at the end of what was read may go on.
            if end < len(text) or not (more := _more(file, "")):
                return element, text[end:]
            text += more
        except ValueError:
            if not (more := _more(file, "")):
                raise
            text += more


def _more(file: Any, text: str) -> str:
    return text + str(file.read(PIECE))


def _whole(path: Path, look: Look) -> Any:
    try:
        with path.open(encoding=look.encoding) as file:
            return json.load(file)
    except (ValueError, RecursionError) as error:
        raise _wrong("The file is no JSON", error) from None


def _lists(value: Any, path: str, depth: int) -> Iterator[str]:
    """The paths of the lists of objects within a value."""
    if depth > MOST_DEPTH or not isinstance(value, dict):
        return
    for name, inner in value.items():
        here = f"{path}/{name}" if path else name
        # The first few tell what a list holds; one that is wrong further down is named when it is read.
        if isinstance(inner, list) and inner and all(isinstance(item, dict) for item in inner[:20]):
            yield here
        yield from _lists(inner, here, depth + 1)


def _at(value: Any, path: str) -> list[Any]:
    for name in path.split("/"):
        value = value.get(name) if isinstance(value, dict) else None
    if not isinstance(value, list):
        raise Problem(f"There is no list at {path}.", "Choose one of those that there are.", code="bad")
    return value


def _wrong(what: str, error: Exception) -> Problem:
    if isinstance(error, RecursionError):
        return Problem(f"{what}: it is too deep in itself.", "", code="bad")
    if isinstance(error, UnicodeDecodeError):
        return Problem(f"{what}: it is not written in UTF-8.", "Choose another encoding.", code="bad")
    place = f", line {error.lineno:,}, column {error.colno:,}" if isinstance(error, json.JSONDecodeError) else ""
    return Problem(f"{what}{place}: {error.msg if place else error}.", "Mend it in the file.", code="bad")  # type: ignore[attr-defined]
