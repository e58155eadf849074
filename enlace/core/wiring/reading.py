"""What one meets in the wrong order, sheets without anything, tabs without pages, headings without words."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..form import Control, FormDocument
from ..form.edit import add_page, remove, setting
from .base import Fault, Wired


def reading(wired: Wired) -> Iterator[Fault]:
    if not wired.document.controls:
        yield Fault("reading", "Nothing is on the sheet yet. Add a control.", "error")
    for one in wired.document.all():
        if one.kind == "tabs" and not one.children:
            yield Fault(
                "reading",
                f"The tabs {one.id} have no page.",
                "error",
                one.id,
                "",
                partial(_with_page, tabs=one.id),
                "Add a page",
            )
        if one.kind in ("group", "page") and not one.children:
            yield Fault(
                "reading",
                f"Nothing lies on {one.settings.get('title') or one.id}.",
                "warning",
                one.id,
                "",
                partial(remove, ids=[one.id]),
                "Remove it",
            )
        if one.kind == "heading" and not str(one.settings.get("text", "Heading")).strip():
            yield Fault(
                "reading",
                f"The heading {one.id} has no words.",
                "warning",
                one.id,
                "",
                partial(setting, identifier=one.id, name="text", text="Heading"),
                "Give it some",
            )
        yield from _covered(one.children)
    yield from _covered(wired.document.controls)


def _with_page(document: FormDocument, tabs: str) -> FormDocument:
    return add_page(document, tabs)[0]


def _covered(several: tuple[Control, ...]) -> Iterator[Fault]:
    if any(one.kind == "page" for one in several):
        return  # pages lie behind one another
    for i, one in enumerate(several):
        for other in several[i + 1 :]:
            if one.place.meets(other.place):
                yield Fault(
                    "reading", f"{one.id} and {other.id} lie over one another.", "warning", other.id, other.source
                )
