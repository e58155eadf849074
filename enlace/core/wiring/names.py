"""Names in settings that lead nowhere: fields, forms, actions; shortcuts and labels that are used twice."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import partial

from ..form import Control, FormDocument
from ..form.conditions import read_condition
from ..form.edit import setting
from .base import Fault, Wired


def names(wired: Wired) -> Iterator[Fault]:
    for one in wired.document.all():
        dataset = wired.datasets.get(one.source)
        for part in ("columns", "fields"):
            listed = one.settings.get(part)
            if dataset is None or not isinstance(listed, list):
                continue
            gone = [name for name in listed if name not in dataset.any_name]
            if gone:
                left = ", ".join(name for name in listed if name in dataset.any_name)
                repair = partial(setting, identifier=one.id, name=part, text=left)
                yield Fault(
                    "names",
                    f"{one.id} names {', '.join(gone)}, which is not there.",
                    "error",
                    one.id,
                    one.source,
                    repair,
                    "Leave it out",
                )
        yield from _button(one, wired)


def conditions(wired: Wired) -> Iterator[Fault]:
    for one in wired.document.all():
        text, dataset = one.settings.get("shown_when"), wired.datasets.get(one.source)
        if not text or dataset is None or not isinstance(text, str):
            continue
        wrong = read_condition(dataset, text)
        if isinstance(wrong, str):
            repair = partial(setting, identifier=one.id, name="shown_when", text="")
            yield Fault(
                "conditions",
                wrong if wrong.endswith(".") else f"{wrong}.",
                "error",
                one.id,
                one.source,
                repair,
                "Show it always",
            )


def _button(one: Control, wired: Wired) -> Iterator[Fault]:
    if one.kind != "button":
        return
    act, to = one.settings.get("act"), str(one.settings.get("to", ""))
    if act == "form" and to not in wired.forms:
        yield Fault(
            "names", f"The button {one.id} opens the form “{to}”, which is not there.", "error", one.id, one.source
        )
    if act == "action" and to not in wired.actions:
        yield Fault(
            "names", f"The button {one.id} runs “{to}”, which this form does not have.", "error", one.id, one.source
        )


def shortcuts(wired: Wired) -> Iterator[Fault]:
    buttons = [one for one in wired.document.all() if one.kind == "button" and one.settings.get("shortcut")]
    counted = Counter(str(one.settings["shortcut"]).lower() for one in buttons)
    seen: set[str] = set()
    for one in buttons:
        key = str(one.settings["shortcut"]).lower()
        if counted[key] > 1 and key in seen:
            repair = partial(setting, identifier=one.id, name="shortcut", text="")
            yield Fault(
                "shortcuts",
                f"Alt+Shift+{key.upper()} is given twice.",
                "error",
                one.id,
                one.source,
                repair,
                "Take it from this one",
            )
        seen.add(key)


def labels(wired: Wired) -> Iterator[Fault]:
    seen: dict[tuple[str, str], str] = {}
    for one in wired.document.all():
        label = str(one.settings.get("label", "")).strip()
        if one.kind != "editor" or not label:
            continue
        if (one.source, label.lower()) in seen:
            repair = partial(_own_label, identifier=one.id)
            yield Fault(
                "labels",
                f"Two editors are called “{label}”.",
                "warning",
                one.id,
                one.source,
                repair,
                "Use the field's own label",
            )
        seen[one.source, label.lower()] = one.id


def _own_label(document: FormDocument, identifier: str) -> FormDocument:
    return setting(document, identifier, "label", "")
