"""What differs between two documents of a form, in sentences."""

from __future__ import annotations

from collections.abc import Iterator
from textwrap import shorten

from .document import Control, FormDocument, Place
from .kinds import CONTROL_KINDS
from .kinds.base import Setting

MOST = 40  # sentences
SHOWN = 60  # characters of a setting


def differences(before: FormDocument, after: FormDocument) -> list[str]:
    """One sentence for each thing that was added, removed or changed; at most MOST of them."""
    told = list(_told(before, after))
    # All controls are the same and stand at the same places, so only the order in which they are listed is left.
    if not told and before != after:
        told = ["The order in which Tab goes through the sheet was changed."]
    return told if len(told) <= MOST else [*told[:MOST], f"And {len(told) - MOST} more."]


def _told(before: FormDocument, after: FormDocument) -> Iterator[str]:
    old, new = ({control.id: (control, holder) for control, holder in _all(document)} for document in (before, after))
    for name, (control, _) in new.items():
        if name not in old:
            yield f"{title_of(control, after)} was added."
    for name, (control, _) in old.items():
        if name not in new:
            yield f"{title_of(control, before)} was removed."
    for name in old:
        if name in new:
            yield from _changed(title_of(old[name][0], before), *old[name], *new[name])
    sources = {source.name: source for source in before.sources}
    for source in after.sources:
        if sources.pop(source.name, None) is None:
            yield f"The records of {source.title or source.name} were added."
    for source in sources.values():
        yield f"The records of {source.title or source.name} were removed."
    if before.opening != after.opening:
        yield "How the form opens was changed."


def _all(document: FormDocument) -> Iterator[tuple[Control, str]]:
    def within(several: tuple[Control, ...], holder: str) -> Iterator[tuple[Control, str]]:
        for control in several:
            yield control, holder
            yield from within(control.children, control.id)

    yield from within(document.controls, "")


def title_of(control: Control, document: FormDocument, field: str = "") -> str:
    """What people know a control by: its kind, and its label, title or field, what it does, or whose records it shows.

    field: the label of its field, where that is known.
    """
    kind = CONTROL_KINDS.get(control.kind)
    called = kind.label if kind else control.kind
    own = control.settings.get("label") or control.settings.get("title") or (control.field and (field or control.field))
    if not own and control.kind == "button" and kind:
        own = dict(kind.setting("act").choices).get(str(kind.value(control.settings, "act")))
    if own:
        return f"{called} {own}"
    source = next((source for source in document.sources if source.name == control.source), None)
    return f"{called} of {source.title or source.name}" if source else called


def _changed(name: str, was: Control, lay_on: str, now: Control, lies_on: str) -> Iterator[str]:
    # All its settings are others then; to tell each would say the same thing ten times.
    if was.kind != now.kind:
        yield f"{name} became another kind of control."
        return
    if (was.source, was.field) != (now.source, now.field):
        yield f"{name} was tied to {now.field or now.source or 'nothing'}."
    if lay_on != lies_on:
        yield f"{name} was laid on {lies_on or 'the sheet itself'}."
    elif was.place != now.place:
        yield f"{name} was {_placed(was.place, now.place)}."
    kind = CONTROL_KINDS.get(was.kind)
    known = {setting.name: setting for setting in kind.settings} if kind else {}
    for part in sorted({*was.settings, *now.settings}):
        if was.settings.get(part) != now.settings.get(part):
            yield f"{name}: {_set(known.get(part) or Setting(part, part), was, now)}"


def _set(setting: Setting, was: Control, now: Control) -> str:
    """A setting that was changed, with what it was and is where a sentence has room for that."""
    old, new = (control.settings.get(setting.name, setting.default) for control in (was, now))
    label = f"“{setting.label}”"
    if isinstance(old, bool) and isinstance(new, bool):
        return f"{label} was switched {'on' if new else 'off'}."
    if not isinstance(old, str | int) or not isinstance(new, str | int):
        return f"{label} was changed."
    before, after = (shorten(str(dict(setting.choices).get(str(v), v)), SHOWN, placeholder="…") for v in (old, new))
    if before == after:  # told apart by what is cut off
        return f"{label} was changed."
    return f"{label} from {_quoted(before)} to {_quoted(after)}."


def _quoted(text: str) -> str:
    return f"“{text}”" if text else "nothing"


def _placed(was: Place, now: Place) -> str:
    moved = (was.x, was.y) != (now.x, now.y)
    sized = (was.w, was.h) != (now.w, now.h)
    if was.fill != now.fill and not moved and not sized:
        return "made to fill the height" if now.fill else "made to keep its height"
    return "moved and resized" if moved and sized else "moved" if moved else "resized"
