"""The document of a form: frozen values, JSON out and in without loss.

A document says nothing of a database: a source names its dataset as whoever keeps documents names it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields, replace
from dataclasses import field as with_default
from functools import cached_property
from typing import Any

from ..problem import Problem
from .opening import ACTS, FAILINGS, GO, MOST_STEPS, RECORDS, OpeningStep

VERSION = 2
READS = (1, 2)  # versions: the first had the record that it opens at, as a word, in place of steps
COLUMNS = 12  # of a sheet
MOST_ROWS = 200  # of a sheet
MOST_CONTROLS = 400
MOST_SOURCES = 30
MOST_DEPTH = 6
NAME = re.compile(r"[a-z][a-z0-9_]{0,59}")


@dataclass(frozen=True)
class Place:
    """Where a control lies on its sheet: column and row of its first cell, counted from 1, and how many cells it takes.

    fill: it takes what is left of the page's height as well.
    """

    x: int = 1
    y: int = 1
    w: int = COLUMNS
    h: int = 1
    fill: bool = False

    @property
    def right(self) -> int:
        """The last column that it takes."""
        return self.x + self.w - 1

    @property
    def bottom(self) -> int:
        """The last row that it takes."""
        return self.y + self.h - 1

    def meets(self, other: Place) -> bool:
        """Whether two places share a cell."""
        return self.x <= other.right and other.x <= self.right and self.y <= other.bottom and other.y <= self.bottom


@dataclass(frozen=True)
class Control:
    """One control: a kind, the source and the field that it is tied to, where it has them, and settings of its kind.

    children: the controls that lie on it, each placed on its own twelve columns.
    """

    id: str
    kind: str
    source: str = ""
    field: str = ""
    place: Place = Place()
    settings: Mapping[str, Any] = with_default(default_factory=dict)
    children: tuple[Control, ...] = ()

    # Settings are a mapping and can't be hashed; ids are unique in a document.
    def __hash__(self) -> int:
        return hash(self.id)

    def all(self) -> Iterator[Control]:
        """The control and all that lie on it, to any depth."""
        yield self
        for child in self.children:
            yield from child.all()


@dataclass(frozen=True)
class Source:
    """Records that controls show. parent: the source whose record these belong to, linked by columns; "" for the form's own."""

    name: str
    dataset: str
    title: str = ""
    parent: str = ""
    columns: tuple[str, ...] = ()
    parent_columns: tuple[str, ...] = ()


@dataclass(frozen=True)
class FormDocument:
    """A form. opening: what happens when it opens, unless an address says where it stands."""

    sources: tuple[Source, ...]
    controls: tuple[Control, ...] = ()
    opening: tuple[OpeningStep, ...] = ()
    version: int = VERSION

    @property
    def main(self) -> Source:
        """The form's own source."""
        return self.sources[0]

    def source(self, name: str) -> Source:
        """A source by its name. Raises Problem."""
        for other_source in self.sources:
            if other_source.name == name:
                return other_source
        raise _wrong(f"There is no source {name}.", "Choose one of the form's.")

    def under(self, name: str) -> tuple[Source, ...]:
        """The sources whose records belong to a record of this one."""
        return tuple(source for source in self.sources if source.parent == name and source.name != name)

    def all(self) -> tuple[Control, ...]:
        """All controls, to any depth, in reading order."""
        return self._all

    @cached_property
    def _all(self) -> tuple[Control, ...]:
        return tuple(inner for control in self.controls for inner in control.all())

    def control(self, identifier: str) -> Control:
        """A control by its id. Raises Problem."""
        for other_control in self.all():
            if other_control.id == identifier:
                return other_control
        raise _wrong("That control is not there any more.", "Choose another one.")

    def tied(self, source: str) -> list[Control]:
        """The controls that show records of a source."""
        return list(self._tied.get(source, ()))

    @cached_property
    def _tied(self) -> dict[str, list[Control]]:
        by_source: dict[str, list[Control]] = {}
        for control in self._all:
            by_source.setdefault(control.source, []).append(control)
        return by_source

    @cached_property
    def closed(self) -> frozenset[str]:
        """The sources that nobody sees as the form opens: all controls of each, and of what belongs to it, lie on pages of
        tabs that are not the first."""
        hidden = {
            inner.id for tabs in self._all if tabs.kind == "tabs" for page in tabs.children[1:] for inner in page.all()
        }
        apart = {s.name for s in self.sources if s.parent and all(c.id in hidden for c in self.tied(s.name))}
        return frozenset(name for name in apart if self._below(name) <= apart)

    def _below(self, name: str) -> set[str]:
        """All sources whose records belong to those of one, to any depth."""
        own = {source.name for source in self.under(name)}
        return own.union(*(self._below(other) for other in own))

    def to_json(self) -> str:
        """The document as text; `document_of` gives an equal one again."""
        return json.dumps(as_values(self), ensure_ascii=False, sort_keys=True)


def as_values(value: Any) -> Any:
    """A document, or a part of it, as what `json` can write; what is as it always is is left out."""
    if isinstance(value, tuple):
        return [as_values(item) for item in value]
    if not isinstance(value, FormDocument | Control | Source | Place | OpeningStep):
        return dict(value) if isinstance(value, Mapping) else value
    body = {}
    for field in fields(value):
        part = getattr(value, field.name)
        always = field.default if field.default_factory is not dict else {}
        # A place is written in full: its defaults may change, where a control lies must not.
        if part != always or field.name in ("version", "x", "y", "w", "h"):
            body[field.name] = as_values(part)
    return body


def document_of(text: str | Mapping[str, Any]) -> FormDocument:
    """The document behind what `to_json` made, checked. Raises Problem with a sentence that says where it is wrong."""
    if isinstance(text, str):
        try:
            text = json.loads(text)
        except ValueError as error:
            raise _wrong("The form's document is no JSON.", "Look at the place that is named.", str(error)) from None
    kept = _object(text, "form", {"sources", "controls", "opening", "version"})
    # Before anything else is read: a newer version may have what this one would call a mistake.
    if kept.get("version", VERSION) not in READS:
        raise _wrong(
            f"The form's document is of version {kept.get('version')}.",
            f"This Enlace reads version {VERSION} and those before it.",
        )
    sources = tuple(_source(item, f"sources[{i}]") for i, item in enumerate(_list(kept, "sources", "form")))
    controls = tuple(_control(item, f"controls[{i}]", 1) for i, item in enumerate(_list(kept, "controls", "form")))
    return checked(FormDocument(sources, controls, _opening(kept.get("opening", []))))


def checked(document: FormDocument) -> FormDocument:
    """The document itself, when it holds together. Raises Problem."""
    if not document.sources:
        raise _wrong("A form needs a source.", "Add one.")
    if len(document.sources) > MOST_SOURCES:
        raise _wrong("A form has too many sources.", f"At most {MOST_SOURCES} fit.")
    known: set[str] = set()
    for source in document.sources:
        if source.name in known:
            raise _wrong(f"Two sources are called {source.name}.", "Give one of them another name.")
        # In this order a reader meets each master before its details, and a ring can't be written at all.
        if source.parent and source.parent not in known:
            raise _wrong(
                f"The source {source.name} belongs to {source.parent}, which does not come before it.",
                "Put that first.",
            )
        if len(source.columns) != len(source.parent_columns):
            raise _wrong(f"The link of {source.name} names more columns on one side.", "Name as many on both.")
        known.add(source.name)
    # A second one without a master would have no record to follow, and no page to be on.
    if any(not source.parent for source in document.sources[1:]):
        raise _wrong("Only the first source of a form belongs to no other.", "Say what the others belong to.")
    ids = [control.id for control in document.all()]
    if len(ids) > MOST_CONTROLS:
        raise _wrong("The form has too many controls.", f"At most {MOST_CONTROLS} fit on one; make a second form.")
    if len(set(ids)) < len(ids):
        raise _wrong("Two controls have the same id.", "Give one of them another id.")
    return document


def put(document: FormDocument, control: Control) -> FormDocument:
    """The document with a control in place of the one of its id."""

    def within(several: tuple[Control, ...]) -> tuple[Control, ...]:
        return tuple(
            control
            if other_control.id == control.id
            else replace(other_control, children=within(other_control.children))
            for other_control in several
        )

    return replace(document, controls=within(document.controls))


def _source(kept: Any, at: str) -> Source:
    body = _object(kept, at, {field.name for field in fields(Source)})
    name = _text(body, "name", at)
    if not NAME.fullmatch(name):
        raise _wrong(f"{at}: “{name[:40]}” is no name of a source.", "Use small letters, digits and underscores.")
    columns, parents = (tuple(_texts(body, part, at)) for part in ("columns", "parent_columns"))
    return Source(
        name, _text(body, "dataset", at), _text(body, "title", at, ""), _text(body, "parent", at, ""), columns, parents
    )


def _control(kept: Any, at: str, depth: int) -> Control:
    body = _object(kept, at, {field.name for field in fields(Control)})
    if depth > MOST_DEPTH:
        raise _wrong(f"{at}: controls lie too deep in one another.", f"At most {MOST_DEPTH} levels fit.")
    identifier, kind = _text(body, "id", at), _text(body, "kind", at)
    if not NAME.fullmatch(identifier):
        raise _wrong(f"{at}: “{identifier[:40]}” is no id of a control.", "Use small letters, digits and underscores.")
    settings = body.get("settings", {})
    if not isinstance(settings, dict) or not all(isinstance(setting, str) for setting in settings):
        raise _wrong(f"{at}.settings are no settings.", "They are names with values.")
    children = tuple(
        _control(item, f"{at}.children[{i}]", depth + 1) for i, item in enumerate(_list(body, "children", at))
    )
    place = _place(body.get("place", {}), f"{at}.place")
    return Control(
        identifier, kind, _text(body, "source", at, ""), _text(body, "field", at, ""), place, settings, children
    )


def _opening(kept: Any) -> tuple[OpeningStep, ...]:
    # As version 1 kept it.
    if isinstance(kept, str):
        word = _one_of(kept, ("", *RECORDS), "opening")
        return (OpeningStep(GO, value=word),) if word else ()
    if not isinstance(kept, list) or len(kept) > MOST_STEPS:
        raise _wrong("opening is no list of steps.", f"At most {MOST_STEPS} fit.")
    return tuple(_step(item, f"opening[{i}]") for i, item in enumerate(kept))


def _step(kept: Any, at: str) -> OpeningStep:
    body = _object(kept, at, {part.name for part in fields(OpeningStep)})
    act = _one_of(body.get("act"), ACTS, f"{at}.act")
    failing = _one_of(body.get("failing", OpeningStep.failing), FAILINGS, f"{at}.failing")
    return OpeningStep(act, _text(body, "field", at, ""), _text(body, "value", at, ""), failing)


def _place(kept: Any, at: str) -> Place:
    body = _object(kept, at, {"x", "y", "w", "h", "fill"})
    bounds = {"x": (1, COLUMNS), "y": (1, MOST_ROWS), "w": (1, COLUMNS), "h": (1, MOST_ROWS)}
    numbers: dict[str, int] = {}
    for name, (least, most) in bounds.items():
        value = body.get(name, getattr(Place(), name))
        # By the type itself, since True counts as 1 otherwise.
        if type(value) is not int or not least <= value <= most:
            raise _wrong(f"{at}.{name} is no number from {least} to {most}.", "Put the control within its sheet.")
        numbers[name] = value
    if numbers["x"] + numbers["w"] - 1 > COLUMNS:
        raise _wrong(f"{at} is wider than the sheet.", f"A sheet has {COLUMNS} columns.")
    return Place(**numbers, fill=body.get("fill", False) is True)


def _object(kept: Any, at: str, known: set[str]) -> dict[str, Any]:
    if not isinstance(kept, Mapping):
        raise _wrong(f"{at} is no object.", "Look at the published schema.")
    # Refused, not passed over: a name with a slip of the pen would be lost without a word.
    if unknown := sorted(set(kept) - known):
        raise _wrong(f"{at} has something that forms do not have: {unknown[0]}.", "Look at the published schema.")
    return dict(kept)


def _list(kept: Mapping[str, Any], name: str, at: str) -> list[Any]:
    value = kept.get(name, [])
    if not isinstance(value, list):
        raise _wrong(f"{at}.{name} is no list.", "Look at the published schema.")
    return value


def _text(kept: Mapping[str, Any], name: str, at: str, without: str | None = None) -> str:
    value = kept.get(name, without)
    if not isinstance(value, str) or (without is None and not value):
        raise _wrong(f"{at}.{name} is no text.", "Look at the published schema.")
    return value


def _texts(kept: Mapping[str, Any], name: str, at: str) -> list[str]:
    value = _list(kept, name, at)
    if not all(isinstance(item, str) for item in value):
        raise _wrong(f"{at}.{name} is no list of texts.", "Look at the published schema.")
    return value


def _one_of(value: Any, allowed: tuple[str, ...], at: str) -> str:
    if value not in allowed:
        raise _wrong(f"{at} is “{str(value)[:40]}”.", f"It can be {', '.join(item or 'left out' for item in allowed)}.")
    return str(value)


def _wrong(what: str, hint: str, words: str = "") -> Problem:
    return Problem(what, hint, words, "bad")
