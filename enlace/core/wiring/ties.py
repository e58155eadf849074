"""Controls without what they show: a source, a field, or one that is gone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..form import CONTROL_KINDS, Control
from ..form.edit import remove, setting
from ..form.fields import fields_of
from ..form.kinds import ControlKind
from ..kinds import KINDS
from .base import Fault, Wired


def ties(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        kind = CONTROL_KINDS.get(control.kind)
        if kind is None:
            yield _fault(control, f"Nothing here knows a control of the kind {control.kind}.", "")
        elif not kind.source or (kind.name == "button" and not control.source):
            continue
        elif control.source not in wired.datasets:
            yield _fault(control, f"{wired.named(control)} is tied to no source.", "")
        elif wired.datasets[control.source] is None:
            sentence = f"The records of {control.source} are not there any more."
            yield Fault("ties", sentence, "error", control.id, control.source)
        elif sentence := _untied(wired, control, kind):
            yield _fault(control, sentence, control.source)
        elif kind.lists and not _shown(wired, control):
            yield _empty(wired, control, kind)


def _fault(control: Control, sentence: str, source: str) -> Fault:
    return Fault("ties", sentence, "error", control.id, source, partial(remove, ids=[control.id]), "Remove it")


def _untied(wired: Wired, control: Control, kind: ControlKind) -> str:
    """What is wrong with the field that a control is tied to; "" where nothing is, or where it needs none."""
    if not kind.field:
        return ""
    if not control.field:
        return f"{wired.named(control)} is tied to no field."
    field = wired.field(control.source, control.field)
    if field is None:
        return f"{wired.named(control)} is tied to {control.field}, which is not there any more."
    if kind.fields and field.kind not in kind.fields:
        return f"{wired.named(control)} is tied to {field.label}, which is {KINDS[field.kind].phrase}."
    return ""


def _empty(wired: Wired, control: Control, kind: ControlKind) -> Fault:
    """A control of several fields that shows none: what somebody chose for it is gone."""
    sentence = f"{wired.named(control)} shows no field."
    if not control.settings.get(kind.lists):
        return _fault(control, sentence, control.source)
    anew = partial(setting, identifier=control.id, name=kind.lists, text="")
    return Fault("ties", sentence, "error", control.id, control.source, anew, "Show what it shows by itself")


def _shown(wired: Wired, control: Control) -> list[str]:
    """The fields that a grid, or another control of several, shows and that are there to be shown."""
    dataset = wired.datasets[control.source]
    known = {field.name for field in dataset.shown} if dataset else set()
    return [name for name in fields_of(control, dataset) if name in known] if dataset else []
