"""The form that Enlace makes by itself for some sources: a sheet that fits what they have."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from .document import Control, FormDocument, Place, Source

BESIDE, BELOW = 9, 24  # fields: so many editors stand beside the grid, below it in columns, or on a page of their own
ROWS = 12  # of a grid on a first view
ABOVE, UNDER = 7, 6  # of a grid with details, and of one of these


def document_for(sources: tuple[Source, ...], fields: Mapping[str, int]) -> FormDocument:
    """A form over sources. fields: how many fields each of them shows, by its name.

    Few editors stand beside the grid; more stand below it, in columns. Details are pages of tabs below.
    """
    main = sources[0].name
    document = FormDocument(sources)
    details = document.under(main)
    controls = [_navigator(main), *_records(main, fields.get(main, 0), 2, ABOVE if details else ROWS)]
    if details:
        # With pages below, nothing above can take what is left of the height.
        controls = [replace(control, place=replace(control.place, fill=False)) for control in controls]
        bottom = max(control.place.bottom for control in controls)
        controls.append(_tabs(document, main, fields, bottom + 1))
    return replace(document, controls=tuple(controls))


def _navigator(source: str) -> Control:
    return Control(f"{source}_navigator", "navigator", source)


def _records(source: str, fields: int, y: int, rows: int) -> list[Control]:
    grid, panel = Control(f"{source}_grid", "grid", source), Control(f"{source}_panel", "panel", source)
    # Beside the grid as long as they fit one screen: the eye goes from the row to its editors without a scroll.
    if fields <= BELOW:
        width = 8 if fields > BESIDE else 9
        return [
            replace(grid, place=Place(1, y, width, rows, fill=True)),
            replace(panel, place=Place(width + 1, y, 12 - width, rows, fill=True)),
        ]
    below = replace(panel, settings={"columns": 4}, place=Place(1, y + rows, 12, ROWS))
    return [replace(grid, place=Place(1, y, 12, rows)), below]


def _tabs(document: FormDocument, master: str, fields: Mapping[str, int], y: int) -> Control:
    """A page for each detail of a master; details of details below theirs."""
    pages = []
    for source in document.under(master):
        controls = [_navigator(source.name), *_records(source.name, fields.get(source.name, 0), 2, UNDER)]
        controls = [replace(c, place=replace(c.place, fill=False)) for c in controls]
        if document.under(source.name):
            controls.append(_tabs(document, source.name, fields, max(c.place.bottom for c in controls) + 1))
        height = max(c.place.bottom for c in controls)
        title = {"title": source.title or source.name}
        pages.append(
            Control(f"{source.name}_page", "page", place=Place(h=height), settings=title, children=tuple(controls))
        )
    height = max(page.place.h for page in pages) + 1
    return Control(f"{master}_details", "tabs", place=Place(1, y, 12, height), children=tuple(pages))
