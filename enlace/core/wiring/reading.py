"""What one meets in the wrong order, sheets without anything, tabs without pages, headings without words."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from ..form import Control, FormDocument
from ..form.edit import add_page, in_reading_order, remove, setting
from .base import Fault, Wired


def reading(wired: Wired) -> Iterator[Fault]:
    if not wired.document.controls:
        yield Fault("reading", "Nothing is on the sheet yet. Add a control.", "error")
    for control in wired.document.all():
        if control.kind == "tabs" and not control.children:
            yield Fault(
                "reading",
                f"{wired.named(control)} have no page.",
                "error",
                control.id,
                "",
                partial(_with_page, tabs=control.id),
                "Add a page",
            )
        if control.kind in ("group", "page") and not control.children:
            yield Fault(
                "reading",
                f"Nothing lies on {wired.title(control)}.",
                "warning",
                control.id,
                "",
                partial(remove, ids=[control.id]),
                "Remove it",
            )
        if control.kind == "heading" and not str(control.settings.get("text", "Heading")).strip():
            yield Fault(
                "reading",
                "The heading has no words.",
                "warning",
                control.id,
                "",
                partial(setting, identifier=control.id, name="text", text="Heading"),
                "Give it some",
            )
        yield from _covered(wired, control.children)
    yield from _covered(wired, wired.document.controls)


def _with_page(document: FormDocument, tabs: str) -> FormDocument:
    return add_page(document, tabs)[0]


def order(wired: Wired) -> Iterator[Fault]:
    if _sorted(wired.document.controls) != wired.document.controls:
        sentence = "Tab goes through the sheet in another order than one reads it."
        yield Fault("order", sentence, "warning", "", "", _in_reading_order, "Put them in reading order")


def _sorted(several: tuple[Control, ...]) -> tuple[Control, ...]:
    """Controls in reading order; pages of tabs in their own."""
    inner = tuple(replace(control, children=_sorted(control.children)) for control in several)
    if any(control.kind == "page" for control in inner):
        return inner
    return in_reading_order(inner)


def _in_reading_order(document: FormDocument) -> FormDocument:
    return replace(document, controls=_sorted(document.controls))


def _covered(wired: Wired, several: tuple[Control, ...]) -> Iterator[Fault]:
    if any(control.kind == "page" for control in several):
        return  # pages lie behind one another
    for i, control in enumerate(several):
        for other in several[i + 1 :]:
            if control.place.meets(other.place):
                sentence = f"{wired.title(control)} and {wired.title(other)} lie over one another."
                yield Fault("reading", sentence, "warning", other.id, other.source)
