"""What can be done on the composer, by name: each takes a document and what the page sent, and gives the next document."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from enlace.core.dataset import DatasetSpec
from enlace.core.form import CONTROL_KINDS, FormDocument, Place, edit
from enlace.core.form.document import checked, document_of, put
from enlace.core.form.fields import fields_of
from enlace.core.form.opening import ACTS as OPENING_ACTS
from enlace.core.form.opening import FAILINGS, GO, MOST_STEPS, OpeningStep
from enlace.core.problem import Problem
from enlace.core.wiring import Wired, faults_of
from enlace.workshop import layout
from enlace.workshop.details import without_links
from enlace.workshop.models import Form

from .board import cross

MOST_PASTED = 400_000  # characters


@dataclass
class Asked:
    """What a page asks for. ids: the chosen controls. chosen: those to be chosen afterwards. rows: gives those by which the
    page's wiring check measures."""

    form: Form
    data: Mapping[str, str]
    ids: list[str]
    chosen: list[str]
    rows: Callable[[], Mapping[str, Any]] = dict

    @cached_property
    def wired(self) -> Wired:
        """The form as the wiring check sees it: only few acts need it, and it asks the server."""
        return layout.wired(self.form)

    def number(self, name: str, default: int = 0) -> int:
        """A whole number that the page sent. Raises Problem."""
        text = self.data.get(name, "")
        if not text:
            return default
        try:
            return max(-1000, min(int(text[:8]), 1000))
        except ValueError:
            raise Problem("The place is not usable.", "Try again.", code="bad") from None

    def dataset(self, source: str) -> DatasetSpec:
        """The dataset behind a source. Raises Problem."""
        dataset = self.wired.datasets.get(source)
        if dataset is None:
            raise Problem("These records are not there any more.", "Reload the page.", code="bad")
        return dataset


Act = Callable[[FormDocument, Asked], FormDocument]


def _add(document: FormDocument, asked: Asked) -> FormDocument:
    data = asked.data
    kind, source = data.get("kind", ""), data.get("source", "")
    place, known = None, CONTROL_KINDS.get(kind)
    if data.get("x"):
        width, height = known.size if known else (4, 2)
        x = max(1, min(asked.number("x", 1), 13 - width))
        place = Place(x, max(1, min(asked.number("y", 1), 190)), width, height)
    field = data.get("field", "") or _fitting(document, asked, kind, source)
    made, identifier = _added(document, asked, kind, source, field, data.get("into", ""), place)
    asked.chosen[:] = [identifier]
    if kind == "chart" and (by := _grouped_by(asked, made.control(identifier).source)):
        made = edit.setting(made, identifier, "by", by)
    return made


def _added(
    document: FormDocument, asked: Asked, kind: str, source: str, field: str, into: str, place: Place | None = None
) -> tuple[FormDocument, str]:
    """A new control, and its id. One that shows several fields of a detail leaves out what its master gives it."""
    made, identifier = edit.add(document, kind, source, field, into, place)
    control = made.control(identifier)
    if control.source and CONTROL_KINDS[control.kind].lists:
        dataset, columns = asked.dataset(control.source), made.source(control.source).columns
        own = fields_of(control, without_links(dataset, columns))
        if own != fields_of(control, dataset):
            settings = {**control.settings, CONTROL_KINDS[control.kind].lists: own}
            made = put(made, replace(control, settings=settings))
    return made, identifier


def _fitting(document: FormDocument, asked: Asked, kind: str, source: str) -> str:
    """The field that a new control is for, where its kind suits few: the first one that no such control shows yet."""
    known = CONTROL_KINDS.get(kind)
    if known is None or not known.fields:
        return ""
    name = source or document.main.name
    several = [field.name for field in asked.dataset(name).fields if field.kind in known.fields]
    shown = {control.field for control in document.tied(name) if control.kind == kind}
    return next((field for field in several if field not in shown), several[0] if several else "")


def _grouped_by(asked: Asked, source: str) -> str:
    """What a new chart counts by, so that it shows something at once: the first field of few values."""
    several = [field for field in asked.dataset(source).shown if field.lookup or field.kind == "yesno"]
    # A list of the dataset's own is short; one in a table may be as long as any.
    several.sort(key=lambda field: bool(field.lookup and field.lookup.table))
    return several[0].name if several else ""


def _duplicate(document: FormDocument, asked: Asked) -> FormDocument:
    made, asked.chosen[:] = edit.duplicate(document, asked.ids)
    return made


def _remove(document: FormDocument, asked: Asked) -> FormDocument:
    asked.chosen[:] = []
    return edit.remove(document, asked.ids)


def _lay(document: FormDocument, asked: Asked) -> FormDocument:
    now = document.control(asked.ids[0]).place
    place = replace(
        now,
        x=asked.number("x", now.x),
        y=asked.number("y", now.y),
        w=asked.number("w", now.w),
        h=asked.number("h", now.h),
    )
    return edit.lay(document, asked.ids[0], place)


def _cross(document: FormDocument, asked: Asked) -> FormDocument:
    control = document.control(asked.data.get("control", ""))
    return cross(document, control.id, asked.data.get("field", ""), asked.dataset(control.source))


def _page(document: FormDocument, asked: Asked) -> FormDocument:
    made, identifier = edit.add_page(document, asked.ids[0])
    asked.chosen[:] = [identifier]
    return made


def _repair(document: FormDocument, asked: Asked) -> FormDocument:
    sentence, control = asked.data.get("sentence", ""), asked.data.get("control")
    for fault in faults_of(replace(asked.wired, document=document, rows=asked.rows())):
        # Two controls may have the same thing wrong with them.
        if fault.sentence == sentence and control in (fault.control, None) and fault.repair is not None:
            return fault.repair(document)
    raise Problem("That is not wrong any more.", "Look at the list anew.", code="bad")


def _opening(document: FormDocument, asked: Asked) -> FormDocument:
    """One more step of the opening, or (remove) one less. What it does first stays first."""
    steps = list(document.opening)
    if asked.data.get("remove"):
        at = asked.number("remove") - 1
        if not 0 <= at < len(steps):
            raise Problem("That step is not there any more.", "Look at the list anew.", code="bad")
        del steps[at]
        return replace(document, opening=tuple(steps))
    act, field = asked.data.get("step", ""), asked.data.get("field", "")
    failing = asked.data.get("failing", FAILINGS[1])
    if act not in OPENING_ACTS or failing not in FAILINGS or len(steps) >= MOST_STEPS:
        raise Problem("A form can't open so.", "Choose one of the list.", code="bad")
    if act != GO and not field.strip():
        raise Problem("The step names no field.", "Choose the field that it is about.", code="bad")
    made = OpeningStep(
        act, "" if act == GO else field.strip()[:120], asked.data.get("value", "").strip()[:200], failing
    )
    steps = [step for step in steps if step.act != GO] if act == GO else steps
    return checked(replace(document, opening=(*steps, made)))


def _column(document: FormDocument, asked: Asked) -> FormDocument:
    control = document.control(asked.ids[0])
    names = fields_of(replace(control, settings={}), asked.dataset(control.source))
    data = asked.data
    return edit.column(
        document, control.id, names, data.get("field", ""), data.get("change", ""), data.get("value", "")
    )


def _paste(document: FormDocument, asked: Asked) -> FormDocument:
    """Controls that were copied, here or on another form: they came as the text of a document."""
    text = asked.data.get("controls", "")[:MOST_PASTED]
    copied = document_of(text)
    made, asked.chosen[:] = edit.paste(document, copied.controls, asked.data.get("into", ""))
    return made


def copied(document: FormDocument, ids: Sequence[str]) -> str:
    """Some controls as the text that `paste` takes."""
    controls = tuple(document.control(identifier) for identifier in ids)
    return replace(document, controls=controls, opening=()).to_json()


def _bundle(document: FormDocument, asked: Asked) -> FormDocument:
    """All that one usually wants of a source: a grid with its navigator, or a navigator with editors or cards."""
    source, into = asked.data.get("source", ""), asked.data.get("into", "")
    wanted = {"grid": ("navigator", "grid"), "panel": ("navigator", "panel"), "cards": ("navigator", "cards")}
    kinds = wanted.get(asked.data.get("kind", ""))
    if kinds is None:
        raise Problem("Records can't be shown so.", "Choose a grid, editors or cards.", code="bad")
    asked.chosen.clear()
    for kind in kinds:
        if kind in ("navigator", "grid") and any(control.kind == kind for control in document.tied(source)):
            continue  # the records have one place and one order on a page
        document, identifier = _added(document, asked, kind, source, "", into)
        asked.chosen.append(identifier)
    if not asked.chosen:
        raise Problem("The sheet has them already.", "Choose another way to show these records.", code="bad")
    return document


def _ids(act: Callable[[FormDocument, Sequence[str], Asked], FormDocument]) -> Act:
    def with_ids(document: FormDocument, asked: Asked) -> FormDocument:
        if not asked.ids:
            raise Problem("No control is chosen.", "Choose one on the sheet.", code="bad")
        return act(document, asked.ids, asked)

    return with_ids


ACTS: dict[str, tuple[str, Act]] = {
    "add": ("a control added", _add),
    "remove": ("controls removed", _ids(lambda d, ids, asked: _remove(d, asked))),
    "move": ("controls moved", _ids(lambda d, ids, asked: edit.move(d, ids, asked.number("dx"), asked.number("dy")))),
    "resize": (
        "controls resized",
        _ids(lambda d, ids, asked: edit.resize(d, ids, asked.number("dw"), asked.number("dh"))),
    ),
    "lay": ("a control placed", _ids(lambda d, ids, asked: _lay(d, asked))),
    "dock": (
        "a control docked",
        _ids(lambda d, ids, asked: edit.dock(d, ids[0], asked.data.get("side", ""))),
    ),
    "column": ("a column", _ids(lambda d, ids, asked: _column(d, asked))),
    "paste": ("controls pasted", _paste),
    "bundle": ("records added", _bundle),
    "fill": ("controls that fill the height", _ids(lambda d, ids, asked: edit.fill(d, ids))),
    "align": ("controls aligned", _ids(lambda d, ids, asked: edit.align(d, ids, asked.data.get("how", "")))),
    "tab": ("the Tab order", _ids(lambda d, ids, asked: edit.tab_order(d, ids[0], asked.data.get("how", "")))),
    "duplicate": ("controls copied", _ids(lambda d, ids, asked: _duplicate(d, asked))),
    "tie": (
        "a control tied",
        _ids(lambda d, ids, asked: edit.tie(d, ids[0], asked.data.get("source", ""), asked.data.get("field", ""))),
    ),
    "cross": ("a knot", _cross),
    "set": (
        "a setting",
        _ids(lambda d, ids, asked: edit.setting(d, ids[0], asked.data.get("name", ""), asked.data.get("value", ""))),
    ),
    "page": ("a page of tabs added", _ids(lambda d, ids, asked: _page(d, asked))),
    "repair": ("a repair", _repair),
    "opening": ("how the form opens", _opening),
}
