"""Rows of JSON (RFC 8259) and of JSON Lines: objects, read one after another."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any

from ..problem import Problem
from .incoming import Look, Rows, headed, text_of

SAMPLE = 1_000  # objects that the columns are found by; those that come later have no others
PIECE = 1 << 16
MOST_DEPTH = 40


def look(path: Path, wanted: Look) -> Look:
    """The lists of objects that a JSON file has; of JSON Lines there is but one."""
    wanted = replace(wanted, encoding=wanted.encoding or "utf-8-sig")
    if wanted.format == "jsonl":
        return wanted
    with path.open(encoding=wanted.encoding) as file:
        first = next((c for c in iter(lambda: file.read(1), "") if not c.isspace()), "")
    if first == "[":
        return wanted
    lists = tuple(_lists(_whole(path, wanted), "", 0))
    return replace(wanted, paths=lists, path=wanted.path if wanted.path in lists else (lists[0] if lists else ""))


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the line or the object."""
    objects = _objects(path, look)
    first = list(islice(objects, SAMPLE))
    names = list(dict.fromkeys(name for item in first for name in item))
    heads: list[Any] = [*names] or [""]
    return headed(_all(heads, names, first, objects), replace(look, heads=True), "object")


def _all(
    heads: list[Any], names: list[str], first: list[dict[str, Any]], rest: Iterator[dict[str, Any]]
) -> Iterator[Any]:
    yield heads
    for number, item in enumerate(first, 1):
        yield _row(names, item, number)
    for number, item in enumerate(rest, len(first) + 1):
        if beyond := set(item) - set(names):
            sentence = f"Object {number:,} has {sorted(beyond)[0]}, which the first {SAMPLE:,} do not."
            raise Problem(sentence, "Give one of the first the name too, empty.", code="bad")
        yield _row(names, item, number)


def _row(names: list[str], item: dict[str, Any], number: int) -> list[str]:
    texts = []
    for name in names:
        value = item.get(name)
        # What is a list or an object itself stays JSON: a field of JSON takes it, others say what is wrong.
        texts.append(json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else text_of(value))
    return texts


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
