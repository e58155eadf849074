"""Controls without what they show: a source, a field, or one that is gone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..form import CONTROL_KINDS
from ..form.edit import remove
from .base import Fault, Wired


def ties(wired: Wired) -> Iterator[Fault]:
    for one in wired.document.all():
        kind = CONTROL_KINDS.get(one.kind)
        taken_out = partial(remove, ids=[one.id])
        if kind is None:
            yield Fault(
                "ties",
                f"Nothing here knows a control of the kind {one.kind}.",
                "error",
                one.id,
                "",
                taken_out,
                "Remove it",
            )
            continue
        label = kind.label.lower()
        if not kind.source or (kind.name == "button" and not one.source):
            continue
        if not one.source or one.source not in wired.datasets:
            yield Fault(
                "ties", f"The {label} {one.id} is tied to no source.", "error", one.id, "", taken_out, "Remove it"
            )
        elif wired.datasets[one.source] is None:
            yield Fault("ties", f"The records of {one.source} are not there any more.", "error", one.id, one.source)
        elif kind.field and not one.field:
            yield Fault(
                "ties",
                f"The {label} {one.id} is tied to no field.",
                "error",
                one.id,
                one.source,
                taken_out,
                "Remove it",
            )
        elif kind.field and wired.field(one.source, one.field) is None:
            sentence = f"The {label} {one.id} is tied to {one.field}, which is not there any more."
            yield Fault("ties", sentence, "error", one.id, one.source, taken_out, "Remove it")
