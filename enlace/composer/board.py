"""The link board: for each source a crossbar of its fields and the controls that show them. No markup here."""

from __future__ import annotations

from dataclasses import dataclass, replace

from enlace.core.dataset import FieldSpec
from enlace.core.form import CONTROL_KINDS, Control, FormDocument, Source
from enlace.core.form.document import put
from enlace.core.problem import Problem
from enlace.core.wiring import Wired

LISTS = {
    "grid": "columns",
    "panel": "fields",
    "cards": "fields",
}  # kinds that show several fields: the setting that names them


@dataclass(frozen=True)
class Strand:
    """One field across the board. knots: for each control, whether it is tied to it. frayed: why it hangs loose; "" when not."""

    field: FieldSpec
    knots: tuple[tuple[Control, bool], ...]
    frayed: str


@dataclass(frozen=True)
class Board:
    """The crossbar of one source."""

    source: Source
    controls: tuple[Control, ...]
    strands: tuple[Strand, ...]
    above: str  # the title of the source that it belongs to


def boards(wired: Wired, faults_by_field: dict[tuple[str, str], str]) -> list[Board]:
    """A board for each source of a form whose dataset is there."""
    found = []
    for source in wired.document.sources:
        dataset = wired.datasets.get(source.name)
        if dataset is None:
            continue
        controls = tuple(
            one for one in wired.document.tied(source.name) if one.kind in LISTS or CONTROL_KINDS[one.kind].field
        )
        shown = [f.name for f in dataset.shown]
        strands = []
        for field in dataset.shown:
            knots = tuple((one, field.name in fields_of(one, shown)) for one in controls)
            strands.append(Strand(field, knots, faults_by_field.get((source.name, field.name), "")))
        above = next((one.title or one.name for one in wired.document.sources if one.name == source.parent), "")
        found.append(Board(source, controls, tuple(strands), above))
    return found


def fields_of(control: Control, shown: list[str]) -> list[str]:
    """The fields that a control shows."""
    if control.kind in LISTS:
        named = CONTROL_KINDS[control.kind].value(control.settings, LISTS[control.kind])
        return list(named) or (shown if control.kind != "cards" else shown[:5])
    return [control.field] if control.field else []


def cross(document: FormDocument, identifier: str, field: str, shown: list[str]) -> FormDocument:
    """Tie a control and a field, or untie them. shown: the fields of the source, in order."""
    control = document.control(identifier)
    if field not in shown:
        raise Problem("There is no such field.", "Reload the page; the dataset may have changed.", code="bad")
    if control.kind not in LISTS:
        return put(document, replace(control, field="" if control.field == field else field))
    named = fields_of(control, shown)
    left = (
        [one for one in named if one != field] if field in named else [one for one in shown if one in {*named, field}]
    )
    if not left:
        raise Problem("Something has to be left to show.", "Remove the control instead.", code="bad")
    settings = {**control.settings, LISTS[control.kind]: left}
    if left == shown:
        settings.pop(LISTS[control.kind])
    return put(document, replace(control, settings=settings))
