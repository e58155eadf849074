"""Rows of XML: elements of one path, their attributes and children as columns. No entities, nothing from outside."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import iterparse

from ..problem import Problem
from .empties import marked
from .incoming import Look, Rows, named

SEEN = 50_000  # elements that the paths are found by
MOST_DEPTH = 60


def look(path: Path, wanted: Look) -> Look:
    """The paths of elements that come more than once under one parent, the most frequent first."""
    counts: Counter[str] = Counter()
    names: list[str] = []
    for event, element in islice(_events(path), SEEN):
        if event == "start":
            names.append(_plain(element.tag))
            if len(names) > MOST_DEPTH:
                raise Problem("The file is too deep in itself.", "", code="bad")
        else:
            # An element with neither is a value of the row around it.
            if len(element) or (element.attrib and not _name_of(element)[1]):
                counts["/".join(names)] += 1
            names.pop()
            if len(names) < 2:
                element.clear()
    paths = tuple(name for name, count in counts.most_common() if count > 1 and "/" in name)
    # A file of a single row has no element twice.
    paths = paths or tuple(name for name, _ in counts.most_common() if "/" in name)
    if not paths:
        raise Problem("The file has no elements that could be rows.", "Choose another file.", code="bad")
    return replace(wanted, paths=paths, path=wanted.path if wanted.path in paths else paths[0])


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the place."""
    return named(_records(path, look.path), look, "element")


def _records(path: Path, wanted: str) -> Iterator[dict[str, str]]:
    names: list[str] = []
    above: list[Element] = []
    for event, element in _events(path):
        if event == "start":
            names.append(_plain(element.tag))
            above.append(element)
            continue
        here = "/".join(names)
        names.pop()
        above.pop()
        if here == wanted:
            yield _record(element)
            if above:
                above[-1].clear()  # what was read leaves memory


def _record(element: Element) -> dict[str, str]:
    record = {_plain(name): marked(text) for name, text in element.attrib.items()}
    for child in element:
        # An attribute and a child of one name: the attribute stands first, and what is told by both is told alike.
        text = "".join(child.itertext())
        # An element with nothing in it is an empty text; of no value there is none.
        record.setdefault(_name_of(child)[0], marked(text.strip()) if text.strip() or not text else "")
    if not len(element) and (text := (element.text or "").strip()):
        record.setdefault(_plain(element.tag), text)
    return record


def _name_of(element: Element) -> tuple[str, bool]:
    """What an element is called, and whether it says so in an attribute, since its name is none of XML (see `xml_out`)."""
    told = _plain(element.tag) == "value" and set(element.attrib) == {"name"} and not len(element)
    return (element.attrib["name"], True) if told else (_plain(element.tag), False)


def _plain(name: Any) -> str:
    """A name without its namespace."""
    return str(name).rpartition("}")[2]


def _events(path: Path) -> Iterator[tuple[str, Element]]:
    try:
        yield from iterparse(
            # A DOCTYPE alone does nothing, and many programs write one.
            path,
            events=("start", "end"),
            forbid_dtd=False,
            forbid_entities=True,
            forbid_external=True,
        )
    except DefusedXmlException:
        hint = "Have it written without entities and without anything from outside."
        raise Problem(
            "The file defines entities, or takes something from outside; such files are not read.", hint, code="bad"
        ) from None
    except ParseError as error:
        line, column = error.position
        sentence = f"The file is no XML from line {line:,}, column {column + 1:,} on: {str(error).split(':')[0]}."
        raise Problem(sentence, "Mend it in the file, or get the whole file.", code="bad") from None
