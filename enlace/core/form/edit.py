"""Changes of a form's document: each takes one and gives another, or says why not. Nothing is changed in place."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import replace
from itertools import chain, count

from ..problem import Problem
from .columns import GridColumn, columns_of, moved, with_property
from .document import COLUMNS, MOST_ROWS, Control, FormDocument, Place, Source, checked, put
from .kinds import CONTROL_KINDS, ControlKind


def kind_of(control: Control) -> ControlKind:
    """The kind of a control. Raises Problem for one that nobody knows."""
    kind = CONTROL_KINDS.get(control.kind)
    if kind is None:
        raise Problem(
            f"There is no kind of control called {control.kind}.", "Remove it, or install what has it.", code="bad"
        )
    return kind


def add(
    document: FormDocument, kind: str, source: str = "", field: str = "", on: str = "", place: Place | None = None
) -> tuple[FormDocument, str]:
    """The document with a new control, and its id. on: the control that it lies on; place: None puts it below the others."""
    known = CONTROL_KINDS.get(kind)
    if known is None:
        raise Problem("There is no such kind of control.", "Choose one of the list.", code="bad")
    if known.source:
        source = document.source(source or document.main.name).name
    neighbours = document.control(on).children if on else document.controls
    made = Control(_free_id(document, kind, field), kind, source if known.source else "", field if known.field else "")
    width, height = known.size
    made = replace(made, place=place or below(neighbours, width, height))
    # Tabs without a page would be a control on which nothing can be put.
    if known.name == "tabs":
        made = replace(made, children=(Control(_free_id(document, "page"), "page", place=Place(h=height)),))
    return checked(
        _among(document, on, lambda several: make_room((*several, made), made.id, read=is_read(several)))
    ), made.id


def remove(document: FormDocument, ids: Iterable[str]) -> FormDocument:
    """The document without some controls, and what lies on them."""
    gone = set(ids)

    def within(several: tuple[Control, ...]) -> tuple[Control, ...]:
        return tuple(
            replace(control, children=within(control.children)) for control in several if control.id not in gone
        )

    return replace(document, controls=within(document.controls))


def move(document: FormDocument, ids: Sequence[str], dx: int, dy: int) -> FormDocument:
    """Some controls moved by columns and rows, kept on the sheet; what they would cover gives way downwards."""
    return _placed(
        document,
        ids,
        lambda p: replace(p, x=_held(p.x + dx, COLUMNS - p.w + 1), y=_held(p.y + dy, MOST_ROWS - p.h + 1)),
    )


def resize(document: FormDocument, ids: Sequence[str], dw: int, dh: int) -> FormDocument:
    """Some controls made wider and higher by columns and rows."""
    return _placed(
        document,
        ids,
        lambda p: replace(p, w=_held(p.w + dw, COLUMNS - p.x + 1), h=_held(p.h + dh, MOST_ROWS - p.y + 1)),
    )


def lay(document: FormDocument, identifier: str, place: Place) -> FormDocument:
    """A control at a place."""
    x = _held(place.x, COLUMNS)
    fitted = replace(
        place, x=x, y=_held(place.y, MOST_ROWS), w=_held(place.w, COLUMNS - x + 1), h=_held(place.h, MOST_ROWS)
    )
    return _placed(document, [identifier], lambda _: fitted)


def fill(document: FormDocument, ids: Sequence[str]) -> FormDocument:
    """Some controls take what is left of the height, or do not any more."""
    # One press for several: as long as one of them does not fill, all do; only then none.
    on = not all(document.control(identifier).place.fill for identifier in ids)
    return _placed(document, ids, lambda p: replace(p, fill=on))


def align(document: FormDocument, ids: Sequence[str], how: str) -> FormDocument:
    """Some controls with the same left edge, top or width as the first of them."""
    # By the one that was chosen first: people choose the one that stands right, then those that should follow.
    first = document.control(ids[0]).place if ids else Place()
    ways: dict[str, Callable[[Place], Place]] = {
        "left": lambda p: replace(p, x=_held(first.x, COLUMNS - p.w + 1)),
        "top": lambda p: replace(p, y=first.y),
        "width": lambda p: replace(p, w=_held(first.w, COLUMNS - p.x + 1)),
    }
    if how not in ways:
        raise Problem("Controls can't be aligned so.", "Choose left, top or width.", code="bad")
    return _placed(document, ids, ways[how])


def tie(document: FormDocument, identifier: str, source: str, field: str) -> FormDocument:
    """A control tied to a source and a field; "" for both unties it."""
    control = document.control(identifier)
    if source:
        document.source(source)
    kind = kind_of(control)
    return put(document, replace(control, source=source if kind.source else "", field=field if kind.field else ""))


def setting(document: FormDocument, identifier: str, name: str, text: str) -> FormDocument:
    """A control with a setting as typed; what is as it always is is not kept."""
    control = document.control(identifier)
    other_setting = kind_of(control).setting(name)
    value = other_setting.read(text)
    settings = {key: kept for key, kept in control.settings.items() if key != name}
    # What says nothing is not kept, so that a better default of a later version reaches the forms that never differed.
    if value != other_setting.default:
        settings[name] = value
    return put(document, replace(control, settings=settings))


def column(
    document: FormDocument, identifier: str, names: Sequence[str], field: str, change: str, text: str
) -> FormDocument:
    """A control with one of the fields that it lists changed. names: those that it shows by itself, in order.

    change: "shown", "earlier" or "later" in their order, or what the column of a grid says differently. Raises Problem.
    """
    control = document.control(identifier)
    kind = kind_of(control)
    if not kind.lists:
        raise Problem(f"A {kind.label.lower()} lists no fields.", "Choose a grid, or a panel.", code="bad")
    kept = columns_of(kind.value(control.settings, kind.lists)) or tuple(GridColumn(name) for name in names)
    at = next((i for i, other in enumerate(kept) if other.field == field), None)
    several = list(kept)
    if change == "shown" and at is None:
        several.append(GridColumn(field))
    elif at is None:
        raise Problem("It does not show this field.", "Tick it first.", code="bad")
    elif change == "shown":
        del several[at]
    elif change in ("earlier", "later"):
        several = moved(several, at, change)
    elif kind.setting(kind.lists).kind == "columns":
        several[at] = with_property(several[at], change, text)
    else:
        raise Problem("Only the columns of a grid say anything differently.", "Choose a grid.", code="bad")
    return listing(document, control, several, names)


def listing(
    document: FormDocument, control: Control, several: Sequence[GridColumn], names: Sequence[str]
) -> FormDocument:
    """A control that lists some columns or fields. names: those that it shows by itself. Raises Problem for none."""
    if not several:
        raise Problem("Something has to be left to show.", "Remove the control instead.", code="bad")
    setting_name = kind_of(control).lists
    settings = {**control.settings, setting_name: [other.kept() for other in several]}
    # Just what the control shows by itself: said by nothing, so that a field that is added later appears too.
    if settings[setting_name] == list(names):
        del settings[setting_name]
    return put(document, replace(control, settings=settings))


def dock(document: FormDocument, identifier: str, side: str) -> FormDocument:
    """A control along a side of its sheet: above or below all others, or beside them over their whole height."""
    control, holder = document.control(identifier), holder_of(document, identifier)
    others = [
        other for other in (document.control(holder).children if holder else document.controls) if other != control
    ]
    bottom = max((other.place.bottom for other in others), default=0)
    place = control.place
    width = min(place.w, COLUMNS // 2)
    places = {
        "top": replace(place, x=1, y=1, w=COLUMNS),
        "bottom": replace(place, x=1, y=min(bottom + 1, MOST_ROWS - place.h + 1), w=COLUMNS),
        "left": replace(place, x=1, y=1, w=width, h=max(bottom, place.h)),
        "right": replace(place, x=COLUMNS - width + 1, y=1, w=width, h=max(bottom, place.h)),
    }
    if side not in places:
        raise Problem("There is no such side.", "Choose top, bottom, left or right.", code="bad")
    # Those beside it keep out of its columns now; otherwise making room would push them all below it.
    if side in ("left", "right"):
        first, last = (width + 1, COLUMNS) if side == "left" else (1, COLUMNS - width)
        for other in others:
            beside = replace(other.place, x=max(other.place.x, first)) if side == "left" else other.place
            beside = replace(beside, x=min(beside.x, last), w=max(1, min(beside.w, last - min(beside.x, last) + 1)))
            document = put(document, replace(other, place=beside))
    return lay(document, identifier, places[side])


def paste(document: FormDocument, controls: Iterable[Control], on: str = "") -> tuple[FormDocument, list[str]]:
    """Controls of any form, with ids of their own here, below what is there; what is tied to a source that this form
    does not have is tied to the main one.
    """
    names = {source.name for source in document.sources}
    made: list[str] = []

    def tied(control: Control) -> Control:
        # By name, so that what is copied from one form of calls to another stays tied to the calls.
        source = control.source if not control.source or control.source in names else document.main.name
        return replace(control, source=source, children=tuple(map(tied, control.children)))

    for control in controls:
        kind_of(control)
        copy = tied(_renamed(control, {other.id for other in document.all()}, keep=True))
        neighbours = document.control(on).children if on else document.controls
        copy = replace(copy, place=replace(below(neighbours, copy.place.w, copy.place.h), x=copy.place.x))
        document = _among(document, on, lambda several, copy=copy: make_room((*several, copy), read=is_read(several)))  # type: ignore[misc]
        made.append(copy.id)
    return checked(document), made


def duplicate(document: FormDocument, ids: Sequence[str]) -> tuple[FormDocument, list[str]]:
    """Copies of some controls, below what is there, and their ids."""
    made: list[str] = []
    for identifier in ids:
        control = document.control(identifier)
        on = holder_of(document, identifier)
        taken = {control.id for control in document.all()}
        copy = _renamed(control, taken)
        neighbours = document.control(on).children if on else document.controls
        copy = replace(copy, place=replace(below(neighbours, control.place.w, control.place.h), x=control.place.x))
        document = _among(document, on, lambda several, copy=copy: (*several, copy))  # type: ignore[misc]
        made.append(copy.id)
    return checked(document), made


def add_page(document: FormDocument, tabs: str) -> tuple[FormDocument, str]:
    """One more page of tabs, and its id."""
    control = document.control(tabs)
    page = Control(_free_id(document, "page"), "page", place=Place(h=control.place.h))
    page = replace(page, settings={"title": f"Page {len(control.children) + 1}"})
    return checked(put(document, replace(control, children=(*control.children, page)))), page.id


def take_page(document: FormDocument, tabs: str, page: Control) -> FormDocument:
    """Tabs with one more page, which is there already but for the ids of what lies on it."""
    control = document.control(tabs)
    copy = _renamed(page, {other.id for other in document.all()}, keep=True)
    return checked(put(document, replace(control, children=(*control.children, copy))))


def add_source(document: FormDocument, source: Source) -> FormDocument:
    """The document with one more source. Raises Problem."""
    return checked(replace(document, sources=(*document.sources, source)))


def remove_source(document: FormDocument, name: str) -> FormDocument:
    """The document without a source, what belongs to it, and the controls that show them. Raises Problem for the main one."""
    if name == document.main.name:
        raise Problem("The form's own records can't be taken out.", "Remove the form instead.", code="bad")
    gone = {name}
    for source in document.sources:
        if source.parent in gone:
            gone.add(source.name)
    document = _without_empty(document, [control.id for control in document.all() if control.source in gone])
    return checked(replace(document, sources=tuple(source for source in document.sources if source.name not in gone)))


def _without_empty(document: FormDocument, ids: Collection[str]) -> FormDocument:
    """The document without some controls, and without what held nothing else: a page of them has nothing to show."""
    there, gone = document.all(), set(ids)
    for control in reversed(there):  # what holds stands before what it holds
        if control.children and all(child.id in gone for child in control.children):
            gone.add(control.id)
    return remove(document, gone)


def below(several: Sequence[Control], width: int, height: int) -> Place:
    """A place of a size under all others; beside the last one where there is room."""
    bottom = max((control.place.bottom for control in several), default=0)
    if several:
        last = max(several, key=lambda control: (control.place.y, control.place.right)).place
        # A row of buttons or editors grows to the side as one adds them, as a hand would lay them.
        beside = Place(last.right + 1, last.y, width, height) if last.right + width <= COLUMNS else None
        if beside and height <= last.h and not any(beside.meets(control.place) for control in several):
            return beside
    return Place(1, min(bottom + 1, MOST_ROWS - height + 1), width, height)


def in_reading_order(several: Iterable[Control]) -> tuple[Control, ...]:
    """The controls of one sheet as one reads them, which is the order of the tab key too where nobody said another one."""
    return tuple(sorted(several, key=lambda control: (control.place.y, control.place.x)))


def is_read(several: tuple[Control, ...]) -> bool:
    """Whether the tab key goes through the controls of one sheet as one reads them."""
    return in_reading_order(several) == several


def tab_order(document: FormDocument, identifier: str, way: str) -> FormDocument:
    """The document with a control one place "earlier" or "later" in the order of the tab key, among those of its sheet."""

    def changed(several: tuple[Control, ...]) -> tuple[Control, ...]:
        at = next(i for i, control in enumerate(several) if control.id == identifier)
        rest = several[:at] + several[at + 1 :]
        to = max(0, min(at + (1 if way == "later" else -1), len(rest)))
        return (*rest[:to], several[at], *rest[to:])

    document.control(identifier)  # tells when it is not there
    return _among(document, holder_of(document, identifier), changed)


def make_room(several: tuple[Control, ...], *first: str, read: bool = True) -> tuple[Control, ...]:
    """The controls of one sheet, none over another: those named first stay, what they cover goes below them. read: whether
    they are put in reading order, too."""
    order = sorted(several, key=lambda control: (control.id not in first, control.place.y, control.place.x))
    placed: dict[str, Place] = {}
    for control in order:
        place = control.place
        while hit := next((other for other in placed.values() if place.meets(other)), None):
            # At the end of the sheet nothing gives way any more: better one over another, which the check tells, than a
            # loop.
            if hit.bottom + place.h > MOST_ROWS:
                break
            place = replace(place, y=hit.bottom + 1)
        placed[control.id] = place
    moved = tuple(replace(control, place=placed[control.id]) for control in several)
    return in_reading_order(moved) if read else moved


def holder_of(document: FormDocument, identifier: str) -> str:
    """The id of the control that one lies on; "" for the sheet itself."""
    return next(
        (control.id for control in document.all() if any(child.id == identifier for child in control.children)), ""
    )


def _placed(document: FormDocument, ids: Sequence[str], change: Callable[[Place], Place]) -> FormDocument:
    # Sheet by sheet: controls that lie on different ones do not get into each other’s way.
    for holder in dict.fromkeys(holder_of(document, identifier) for identifier in ids):
        mine = [identifier for identifier in ids if holder_of(document, identifier) == holder]

        def changed(several: tuple[Control, ...], mine: list[str] = mine) -> tuple[Control, ...]:
            moved = tuple(
                replace(control, place=change(control.place)) if control.id in mine else control for control in several
            )
            return make_room(moved, *mine, read=is_read(several))

        document = _among(document, holder, changed)
    for identifier in ids:
        document.control(identifier)  # tells when it is not there
    return document


def _among(
    document: FormDocument, on: str, change: Callable[[tuple[Control, ...]], tuple[Control, ...]]
) -> FormDocument:
    """The document with the controls of one sheet changed."""
    if not on:
        return replace(document, controls=change(document.controls))
    holder = document.control(on)
    if not kind_of(holder).holds:
        raise Problem(
            "Nothing can lie on that control.", "Choose the sheet, a group box or a page of tabs.", code="bad"
        )
    return put(document, replace(holder, children=change(holder.children)))


def _held(value: int, most: int) -> int:
    return max(1, min(value, most))


def free_name(stem: str, taken: Collection[str]) -> str:
    """A name that is not taken: the stem itself, or with a number behind it."""
    return next(name for name in chain([stem], (f"{stem}_{n}" for n in count(2))) if name not in taken)


def source_name(text: str, taken: Collection[str] = ()) -> str:
    """A stable name for a source: of its table, with a number where two are of the same one."""
    stem = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:50] or "records"
    # It stands in addresses and in ids of the page, which begin with a letter.
    return free_name(stem if stem[0].isalpha() else f"t_{stem}", taken)


def _free_id(document: FormDocument, kind: str, field: str = "") -> str:
    taken = {control.id for control in document.all()}
    stem = "".join(c if c.isascii() and c.isalnum() else "_" for c in (field or kind).lower())[:40].strip("_") or kind
    return free_name(stem if stem[0].isalpha() else f"c_{stem}", taken)


def _renamed(control: Control, taken: set[str], keep: bool = False) -> Control:
    """A control, and what lies on it, with ids that are not taken. keep: its own one where that is free."""
    # The copy of berth_2 is berth_3, not berth_2_2.
    stem = control.id.rstrip("0123456789").rstrip("_") or control.kind
    identifier = control.id if keep and control.id not in taken else free_name(stem, {*taken, stem})
    taken.add(identifier)
    return replace(control, id=identifier, children=tuple(_renamed(child, taken, keep) for child in control.children))
