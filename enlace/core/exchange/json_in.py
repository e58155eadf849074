"""Rows of JSON (RFC 8259) and of JSON Lines: objects, read one after another."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import IO, Any

from ..problem import Problem
from .empties import marked
from .incoming import Exact, Look, Rows, named, own_names

PIECE = 1 << 16
MOST_DEPTH = 40


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object; of a name that comes twice, which RFC 8259 leaves to the reader, both values are kept."""
    made = dict(pairs)
    if len(made) == len(pairs):
        return made
    names, values = zip(*pairs, strict=True)
    return dict(zip(own_names(names), values, strict=True))


DECODER = json.JSONDecoder(parse_float=Exact, object_pairs_hook=_object)


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
    return named(((number, _plain(item)) for number, item in _objects(path, look)), look)


def _plain(item: dict[str, Any]) -> dict[str, Any]:
    """What is a list or an object itself stays JSON: a field of JSON takes it, others say what is wrong."""
    return {name: _cell(value) for name, value in item.items()}


def _cell(value: Any) -> Any:
    if isinstance(value, list | dict):
        return json.dumps(value, ensure_ascii=False)
    return marked(value) if isinstance(value, str) else value


def _objects(path: Path, look: Look) -> Iterator[tuple[int, dict[str, Any]]]:
    if look.format == "jsonl":
        several = _lines(path, look)
    elif look.path:
        several = enumerate(_at(_whole(path, look), look.path), 1)
    else:
        several = enumerate(_elements(path, look), 1)
    for number, item in several:
        if not isinstance(item, dict):
            sentence = f"{look.place.capitalize()} {number:,} is no object with names and values."
            raise Problem(sentence, "Choose a list of objects.", code="bad")
        yield number, item


def _lines(path: Path, look: Look) -> Iterator[tuple[int, Any]]:
    with path.open(encoding=look.encoding, errors="strict") as file:
        number = 1
        try:
            for line in file:
                if line.strip():
                    yield number, DECODER.decode(line)
                number += 1
        except (ValueError, RecursionError) as error:
            raise _wrong("The file is no JSON", error, number) from None


class _Ahead:
    """A file read ahead in pieces. text: what is read and not passed yet; line, column: where that begins, counted from 1."""

    def __init__(self, file: IO[str]) -> None:
        self.file, self.text, self.line, self.column = file, "", 1, 1

    def more(self) -> bool:
        """Read on; False at the end of the file."""
        piece = self.file.read(PIECE)
        self.text += piece
        return bool(piece)

    def passed(self, size: int) -> None:
        """Go on behind some characters."""
        gone, self.text = self.text[:size], self.text[size:]
        lines = gone.count("\n")
        self.line += lines
        self.column = len(gone) - gone.rfind("\n") if lines else self.column + len(gone)

    def next(self) -> str:
        """The next character that is no blank, "" where there is none; it is not passed."""
        while True:
            self.passed(len(self.text) - len(self.text.lstrip()))
            if self.text or not self.more():
                return self.text[:1]

    def element(self) -> Any:
        """The element that begins here, which is passed; more of the file is read as long as it is torn."""
        while True:
            try:
                element, end = DECODER.raw_decode(self.text)
            except ValueError:
                if not self.more():
                    raise
                continue
            # A number at the end of what was read may go on.
            if end < len(self.text) or not self.more():
                self.passed(end)
                return element


def _elements(path: Path, look: Look) -> Iterator[Any]:
    """The elements of a list, without having the whole list in memory."""
    with path.open(encoding=look.encoding) as file:
        ahead, number = _Ahead(file), 0
        try:
            if ahead.next() != "[":
                raise Problem("The file is no list of objects.", "Choose another format.", code="bad")
            ahead.passed(1)
            while (sign := ahead.next()) != "]":
                # A comma between elements; one before the first is told as the mistake that it is.
                if sign and number:
                    if sign != ",":
                        raise json.JSONDecodeError("Expecting ',' delimiter", ahead.text, 0)
                    ahead.passed(1)
                    sign = ahead.next()
                if not sign:
                    sentence = "The list is never closed: the file ends in the middle."
                    raise Problem(sentence, "Get the whole file.", code="bad")
                number += 1
                yield ahead.element()
            ahead.passed(1)
            if ahead.next():
                # Another list, of which nobody would miss the rows.
                sentence = f"Line {ahead.line:,}, column {ahead.column:,}: something stands behind the end of the list."
                raise Problem(sentence, "Mend it in the file.", code="bad")
        except (ValueError, RecursionError) as error:
            raise _wrong(f"Object {number:,} is no JSON", error, ahead.line, ahead.column) from None


def _whole(path: Path, look: Look) -> Any:
    try:
        with path.open(encoding=look.encoding) as file:
            return DECODER.decode(file.read())
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


# What Python's reader says of a place, as a sentence.
SAID = {
    "Unterminated string starting at": "the text that begins there is never closed",
    "Expecting value": "a value is missing there",
    "Expecting ':' delimiter": "a colon is missing there",
    "Expecting ',' delimiter": "a comma is missing there",
    "Expecting property name enclosed in double quotes": "a name in double quotes is missing there",
    "Extra data": "something stands behind its end",
    "Invalid control character at": "a line end, or another control character, stands in a text",
    "Invalid \\escape": "a backslash stands before what it can't stand before",
    "Invalid \\uXXXX escape": "four digits are missing behind \\u",
}


def _wrong(what: str, error: Exception, line: int = 1, column: int = 1) -> Problem:
    """line, column: where in the file the text begins that was read."""
    if isinstance(error, RecursionError):
        return Problem(f"{what}: it is too deep in itself.", "", code="bad")
    if isinstance(error, UnicodeDecodeError):
        return Problem(f"{what}: it is not written in {error.encoding}.", "Choose another encoding.", code="bad")
    if not isinstance(error, json.JSONDecodeError):
        return Problem(f"{what}: {error}.", "Mend it in the file.", code="bad")
    place = f"line {line + error.lineno - 1:,}, column {error.colno + (column - 1 if error.lineno == 1 else 0):,}"
    told = SAID.get(error.msg.partition(": ")[0], error.msg)
    return Problem(f"{what}, {place}: {told}.", "Mend it in the file.", code="bad")
