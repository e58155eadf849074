"""The form that Enlace makes by itself for some sources: a sheet that fits what they have."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from . import edit
from .document import Control, FormDocument, Place, Source, put

BESIDE, BELOW = 9, 24  # fields: so many editors stand beside the grid, below it in columns, or on a page of their own
ROWS = 12  # of a grid on a first view
ABOVE, UNDER = 7, 6  # of a grid with details, and of one of these


def document_for(sources: tuple[Source, ...], fields: Mapping[str, Sequence[str]]) -> FormDocument:
    """A form over sources. fields: the fields that each of them shows, by its name.

    Few editors stand beside the grid; more stand below it, in columns. Details are pages of tabs below; what their master
    gives all rows of one, nobody has to read in each of them.
    """
    main = sources[0].name
    document = FormDocument(sources)
    details = document.under(main)
    controls = [_navigator(main), *_records(sources[0], fields, 2, ABOVE if details else ROWS)]
    if details:
        # With pages below, nothing above can take what is left of the height.
        controls = [replace(control, place=replace(control.place, fill=False)) for control in controls]
        bottom = max(control.place.bottom for control in controls)
        controls.append(_tabs(document, main, fields, bottom + 1))
    return replace(document, controls=tuple(controls))


def _navigator(source: str) -> Control:
    return Control(f"{source}_navigator", "navigator", source)


def own_fields(source: Source, names: Sequence[str]) -> list[str]:
    """Those of some fields that are not the same in all rows of a master; none where all are, or none is."""
    own = [name for name in names if name not in source.columns]
    return own if len(own) < len(names) else []


def _records(of: Source, fields: Mapping[str, Sequence[str]], y: int, rows: int) -> list[Control]:
    source, names = of.name, fields.get(of.name, ())
    own = own_fields(of, names)
    grid = Control(f"{source}_grid", "grid", source, settings={"columns": own} if own else {})
    panel = Control(f"{source}_panel", "panel", source, settings={"fields": own} if own else {})
    count = len(own or names)
    # Beside the grid as long as they fit one screen: the eye goes from the row to its editors without a scroll.
    if count <= BELOW:
        width = 8 if count > BESIDE else 9
        return [
            replace(grid, place=Place(1, y, width, rows, fill=True)),
            replace(panel, place=Place(width + 1, y, 12 - width, rows, fill=True)),
        ]
    below = replace(panel, settings={**panel.settings, "columns": 4}, place=Place(1, y + rows, 12, ROWS))
    return [replace(grid, place=Place(1, y, 12, rows)), below]


def _tabs(document: FormDocument, master: str, fields: Mapping[str, Sequence[str]], y: int) -> Control:
    """A page for each detail of a master; details of details below theirs."""
    pages = [_page(document, source, fields) for source in document.under(master)]
    return _tabs_of(master, pages, y)


def _tabs_of(master: str, pages: Sequence[Control], y: int) -> Control:
    height = max(page.place.h for page in pages) + 1
    return Control(f"{master}_details", "tabs", place=Place(1, y, 12, height), children=tuple(pages))


def _page(document: FormDocument, source: Source, fields: Mapping[str, Sequence[str]]) -> Control:
    controls = [_navigator(source.name), *_records(source, fields, 2, UNDER)]
    controls = [replace(c, place=replace(c.place, fill=False)) for c in controls]
    if document.under(source.name):
        controls.append(_tabs(document, source.name, fields, max(c.place.bottom for c in controls) + 1))
    height = max(c.place.bottom for c in controls)
    title = {"title": source.title or source.name}
    return Control(f"{source.name}_page", "page", place=Place(h=height), settings=title, children=tuple(controls))


def with_detail(document: FormDocument, name: str, fields: Sequence[str]) -> FormDocument:
    """A sheet that somebody laid out, with one more detail on it: a page of the tabs that show others of the same master, or
    of tabs of its own. fields: those that it shows."""
    source = document.source(name)
    page = _page(document, source, {name: fields})
    others = {other.name for other in document.under(source.parent)} - {name}
    tabs = next((control for control in document.all() if _shows_some(control, others, source.parent)), None)
    if tabs is not None:
        return _grown(edit.take_page(document, tabs.id, page), tabs.id)
    lies_on = [edit.holder_of(document, control.id) for control in document.tied(source.parent)]
    on = next((holder for holder in lies_on if holder and document.control(holder).kind == "page"), "")
    made, [identifier] = edit.paste(document, [_tabs_of(source.parent, [page], 1)], on)
    return _grown(made, identifier)


def _shows_some(control: Control, details: Collection[str], master: str) -> bool:
    """Whether a control is tabs with some of a master's details; those that show the master too hold them further within."""
    shown = {inner.source for inner in control.all()}
    return control.kind == "tabs" and master not in shown and not shown.isdisjoint(details)


def _grown(document: FormDocument, identifier: str) -> FormDocument:
    """What a control lies on, and these lie on, as high as what lies on them needs."""
    while identifier:
        control = document.control(identifier)
        needed = max((child.place.bottom for child in control.children), default=0) + (control.kind == "tabs")
        if control.place.h < needed:
            if control.kind == "page":
                document = put(document, replace(control, place=replace(control.place, h=needed)))
            else:
                document = edit.resize(document, [identifier], 0, needed - control.place.h)
        identifier = edit.holder_of(document, identifier)
    return document
