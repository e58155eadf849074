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
SPACE = "{http://www.w3.org/XML/1998/namespace}space"


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
    return named(enumerate(_records(path, look.path), 1), look)


def _records(path: Path, wanted: str) -> Iterator[dict[str, str]]:
    names: list[str] = []
    above: list[Element] = []
    kept: list[bool] = []  # of each element that is open, whether blanks around a text belong to it
    for event, element in _events(path):
        if event == "start":
            names.append(_plain(element.tag))
            above.append(element)
            kept.append(_keeps(element, bool(kept) and kept[-1]))
            continue
        here = "/".join(names)
        keeps = kept.pop()
        names.pop()
        above.pop()
        if here == wanted:
            yield _record(element, keeps)
            if above:
                above[-1].clear()  # what was read leaves memory


def _keeps(element: Element, around: bool) -> bool:
    """Whether the blanks of an element are to be kept, as it says itself or the one around it (XML 1.0, section 2.10)."""
    said = element.get(SPACE)
    return around if said is None else said == "preserve"


def _record(element: Element, keeps: bool) -> dict[str, str]:
    record = {_plain(name): marked(text) for name, text in element.attrib.items() if name != SPACE}
    for child in element:
        text = "".join(child.itertext())
        if not _keeps(child, keeps):
            # An element with nothing in it is an empty text; with a line end alone it is none at all.
            text = marked(text.strip()) if text.strip() or not text else ""
        else:
            text = marked(text)
        _put(record, _name_of(child)[0], text)
    if not len(element) and (text := (element.text or "").strip()):
        record.setdefault(_plain(element.tag), text)
    return record


def _put(record: dict[str, str], name: str, text: str) -> None:
    """Put in what has a name; of one that comes again with something else both are kept."""
    own, count = name, 1
    while record.get(own, text) != text:
        count += 1
        own = f"{name} ({count})"
    record[own] = text


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
