"""Controls without what they show: a source, a field, or one that is gone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..form import CONTROL_KINDS, Control
from ..form.edit import remove, setting
from ..form.fields import fields_of
from ..kinds import KINDS
from .base import Fault, Wired


def ties(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        kind = CONTROL_KINDS.get(control.kind)
        taken_out = partial(remove, ids=[control.id])
        if kind is None:
            yield Fault(
                "ties",
                f"Nothing here knows a control of the kind {control.kind}.",
                "error",
                control.id,
                "",
                taken_out,
                "Remove it",
            )
            continue
        label = kind.label.lower()
        if not kind.source or (kind.name == "button" and not control.source):
            continue
        if not control.source or control.source not in wired.datasets:
            yield Fault(
                "ties",
                f"The {label} {control.id} is tied to no source.",
                "error",
                control.id,
                "",
                taken_out,
                "Remove it",
            )
        elif wired.datasets[control.source] is None:
            yield Fault(
                "ties", f"The records of {control.source} are not there any more.", "error", control.id, control.source
            )
        elif kind.field and not control.field:
            yield Fault(
                "ties",
                f"The {label} {control.id} is tied to no field.",
                "error",
                control.id,
                control.source,
                taken_out,
                "Remove it",
            )
        elif kind.field and wired.field(control.source, control.field) is None:
            sentence = f"The {label} {control.id} is tied to {control.field}, which is not there any more."
            yield Fault("ties", sentence, "error", control.id, control.source, taken_out, "Remove it")
        elif (field := wired.field(control.source, control.field)) and kind.fields and field.kind not in kind.fields:
            sentence = f"The {label} {control.id} is tied to {field.label}, which is {KINDS[field.kind].phrase}."
            yield Fault("ties", sentence, "error", control.id, control.source, taken_out, "Remove it")
        elif kind.lists and not _shown(wired, control):
            sentence = f"The {label} {control.id} shows no field."
            anew = bool(control.settings.get(kind.lists))
            repair = partial(setting, identifier=control.id, name=kind.lists, text="") if anew else taken_out
            words = "Show what it shows by itself" if anew else "Remove it"
            yield Fault("ties", sentence, "error", control.id, control.source, repair, words)


def _shown(wired: Wired, control: Control) -> list[str]:
    """The fields that a grid, or another control of several, shows and that are there to be shown."""
    dataset = wired.datasets[control.source]
    known = {field.name for field in dataset.shown} if dataset else set()
    return [name for name in fields_of(control, dataset) if name in known] if dataset else []
