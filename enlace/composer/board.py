"""The link board: for each source a crossbar of its fields and the controls that show them. No markup here."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.form import CONTROL_KINDS, Control, FormDocument, Source
from enlace.core.form.columns import GridColumn, columns_of
from enlace.core.form.document import put
from enlace.core.form.edit import kind_of, listing
from enlace.core.form.fields import fields_of
from enlace.core.problem import Problem
from enlace.core.wiring import Wired


@dataclass(frozen=True)
class Strand:
    """One field across the board. knots: by the id of each control, whether it is tied to it. frayed: why it hangs loose; ""
    when not."""

    field: FieldSpec
    knots: tuple[tuple[str, bool], ...]
    frayed: str


@dataclass(frozen=True)
class Head:
    """A control over its column. words: what it is, short, and not the same as another one's on its board."""

    id: str
    words: str


@dataclass(frozen=True)
class Board:
    """The crossbar of one source. controls: where they lie, and what else is set of them, is not shown here."""

    source: Source
    controls: tuple[Head, ...]
    strands: tuple[Strand, ...]
    above: str  # the title of the source that it belongs to


def boards(wired: Wired, faults_by_field: dict[tuple[str, str], str]) -> list[Board]:
    """A board for each source of a form whose dataset is there."""
    made = []
    for source in wired.document.sources:
        dataset = wired.datasets.get(source.name)
        # The wiring check tells that its dataset is gone; here there is nothing to draw of it.
        if dataset is None:
            continue
        controls = tuple(control for control in wired.document.tied(source.name) if _shows_fields(control))
        tied = [set(fields_of(control, dataset)) for control in controls]
        strands = []
        for field in dataset.shown:
            knots = tuple((control.id, field.name in names) for control, names in zip(controls, tied, strict=True))
            strands.append(Strand(field, knots, faults_by_field.get((source.name, field.name), "")))
        above = next(
            (
                other_source.title or other_source.name
                for other_source in wired.document.sources
                if other_source.name == source.parent
            ),
            "",
        )
        made.append(Board(source, _heads(controls, dataset), tuple(strands), above))
    return made


def _heads(controls: Sequence[Control], dataset: DatasetSpec) -> tuple[Head, ...]:
    met: Counter[str] = Counter()
    made = []
    for control in controls:
        field = dataset.any_name.get(control.field)
        # Their ids begin alike, with the source's name, and a column of the board is narrow. What is set of a control is not
        # said: the board is drawn anew only when its wires change.
        words = field.label if field else CONTROL_KINDS[control.kind].label
        met[words] += 1
        made.append(Head(control.id, words if met[words] == 1 else f"{words} {met[words]}"))
    return tuple(made)


def _shows_fields(control: Control) -> bool:
    kind = CONTROL_KINDS.get(control.kind)
    return kind is not None and bool(kind.lists or kind.field)


def cross(document: FormDocument, identifier: str, field: str, dataset: DatasetSpec) -> FormDocument:
    """Tie a control and a field of the dataset behind its source, or untie them."""
    control, shown = document.control(identifier), [field.name for field in dataset.shown]
    if field not in shown:
        raise Problem("There is no such field.", "Reload the page; the dataset may have changed.", code="bad")
    setting = kind_of(control).lists
    # A control of one field swaps it: tied to another one it lets the former go.
    if not setting:
        return put(document, replace(control, field="" if control.field == field else field))
    named = fields_of(control, dataset)
    left = (
        [name for name in named if name != field]
        if field in named
        else [name for name in shown if name in {*named, field}]
    )
    # What a builder said of a column (its heading, its width) stays when columns beside it come or go.
    known = {column.field: column for column in columns_of(control.settings.get(setting, ()))}
    several = [known.get(name, GridColumn(name)) for name in left]
    return listing(document, control, several, fields_of(replace(control, settings={}), dataset))
