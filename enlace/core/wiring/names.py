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
    for control in wired.document.all():
        dataset = wired.datasets.get(control.source)
        for part in ("columns", "fields"):
            listed = control.settings.get(part)
            if dataset is None or not isinstance(listed, list):
                continue
            gone = [name for name in listed if name not in dataset.any_name]
            if gone:
                left = ", ".join(name for name in listed if name in dataset.any_name)
                repair = partial(setting, identifier=control.id, name=part, text=left)
                yield Fault(
                    "names",
                    f"{control.id} names {', '.join(gone)}, which is not there.",
                    "error",
                    control.id,
                    control.source,
                    repair,
                    "Leave it out",
                )
        yield from _button(control, wired)


def conditions(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        text, dataset = control.settings.get("shown_when"), wired.datasets.get(control.source)
        if not text or dataset is None or not isinstance(text, str):
            continue
        wrong = read_condition(dataset, text)
        if isinstance(wrong, str):
            repair = partial(setting, identifier=control.id, name="shown_when", text="")
            yield Fault(
                "conditions",
                wrong if wrong.endswith(".") else f"{wrong}.",
                "error",
                control.id,
                control.source,
                repair,
                "Show it always",
            )


def _button(control: Control, wired: Wired) -> Iterator[Fault]:
    if control.kind != "button":
        return
    act, to = control.settings.get("act"), str(control.settings.get("to", ""))
    if act == "form" and to not in wired.forms:
        yield Fault(
            "names",
            f"The button {control.id} opens the form “{to}”, which is not there.",
            "error",
            control.id,
            control.source,
        )
    if act == "action" and to not in wired.actions:
        yield Fault(
            "names",
            f"The button {control.id} runs “{to}”, which this form does not have.",
            "error",
            control.id,
            control.source,
        )


def shortcuts(wired: Wired) -> Iterator[Fault]:
    buttons = [
        control for control in wired.document.all() if control.kind == "button" and control.settings.get("shortcut")
    ]
    counted = Counter(str(button.settings["shortcut"]).lower() for button in buttons)
    seen: set[str] = set()
    for button in buttons:
        key = str(button.settings["shortcut"]).lower()
        if counted[key] > 1 and key in seen:
            repair = partial(setting, identifier=button.id, name="shortcut", text="")
            yield Fault(
                "shortcuts",
                f"Alt+Shift+{key.upper()} is given twice.",
                "error",
                button.id,
                button.source,
                repair,
                "Take it from this one",
            )
        seen.add(key)


def labels(wired: Wired) -> Iterator[Fault]:
    seen: dict[tuple[str, str], str] = {}
    for control in wired.document.all():
        label = str(control.settings.get("label", "")).strip()
        if control.kind != "editor" or not label:
            continue
        if (control.source, label.lower()) in seen:
            repair = partial(_own_label, identifier=control.id)
            yield Fault(
                "labels",
                f"Two editors are called “{label}”.",
                "warning",
                control.id,
                control.source,
                repair,
                "Use the field's own label",
            )
        seen[control.source, label.lower()] = control.id


def _own_label(document: FormDocument, identifier: str) -> FormDocument:
    return setting(document, identifier, "label", "")
