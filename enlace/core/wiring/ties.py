"""Controls without what they show: a source, a field, or one that is gone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..form import CONTROL_KINDS
from ..form.edit import remove
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
