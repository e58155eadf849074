"""Names in settings that lead nowhere: fields, forms, actions, controls; shortcuts and labels that are used twice."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from ..form import CONTROL_KINDS, Control, FormDocument
from ..form.columns import column_of
from ..form.conditions import read_condition
from ..form.document import put
from ..form.edit import setting
from ..form.kinds.base import SHOWN_WHEN, USABLE_WHEN
from ..form.opening import GO, PARAMETER, OpeningStep, words
from .base import Fault, Repair, Wired, ended


def names(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        dataset = wired.datasets.get(control.source)
        kind = CONTROL_KINDS.get(control.kind)
        for part in kind.settings if kind and dataset else ():
            value = control.settings.get(part.name)
            if part.kind == "field" and value and wired.field(control.source, str(value)) is None:
                repair = partial(setting, identifier=control.id, name=part.name, text="")
                yield _gone(wired, control, [str(value)], repair)
            # A column may be a name alone or a name with what it says differently; either names a field.
            if part.kind in ("fields", "columns") and isinstance(value, list):
                listed = [column.field for item in value if (column := column_of(item))]
                if gone := [name for name in listed if wired.field(control.source, name) is None]:
                    yield _gone(
                        wired, control, gone, partial(_without, identifier=control.id, part=part.name, gone=gone)
                    )
        yield from _button(control, wired)


def _gone(wired: Wired, control: Control, gone: list[str], repair: Repair) -> Fault:
    sentence = f"{wired.named(control)} names {', '.join(gone)}, which is not there."
    return Fault("names", sentence, "error", control.id, control.source, repair, "Leave it out")


def _without(document: FormDocument, identifier: str, part: str, gone: list[str]) -> FormDocument:
    control = document.control(identifier)
    left = [item for item in control.settings[part] if (column := column_of(item)) and column.field not in gone]
    settings = {name: value for name, value in control.settings.items() if name != part}
    # Without any left the setting goes too, so that the control shows what it shows by itself and not nothing.
    return put(document, replace(control, settings={**settings, part: left} if left else settings))


def opening(wired: Wired) -> Iterator[Fault]:
    main = wired.document.main.name
    dataset = wired.datasets.get(main)
    for step in wired.document.opening:
        # They name no field: a place, and a parameter that the query itself is asked about.
        if step.act in (GO, PARAMETER) or dataset is None:
            continue
        field = dataset.any_name.get(step.field)
        if field is None or field.hidden:
            sentence = f"The form opens {words(step)}, which is no field that it shows."
            yield Fault("opening", sentence, "error", "", main, partial(_without_step, step=step), "Leave the step out")


def _without_step(document: FormDocument, step: OpeningStep) -> FormDocument:
    return replace(document, opening=tuple(other for other in document.opening if other != step))


def conditions(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        dataset = wired.datasets.get(control.source)
        for condition in (SHOWN_WHEN, USABLE_WHEN):
            text = control.settings.get(condition.name)
            if not text or dataset is None or not isinstance(text, str):
                continue
            wrong = read_condition(dataset, text)
            if not isinstance(wrong, str):
                continue
            repair = partial(setting, identifier=control.id, name=condition.name, text="")
            yield Fault(
                "conditions",
                ended(f"{condition.label}: {wrong}"),
                "error",
                control.id,
                control.source,
                repair,
                "Leave the condition out",
            )


def _button(control: Control, wired: Wired) -> Iterator[Fault]:
    if control.kind != "button":
        return
    act, to = control.settings.get("act"), str(control.settings.get("to", ""))
    sentences = list[str]()
    if act == "form" and to not in wired.forms:
        sentences.append(f"It opens the form “{to}”, which is not there." if to else "Choose which form it opens.")
    if act == "go" and all(other.id != to for other in wired.document.all()):
        sentences.append(f"It goes to “{to}”, which is not on the sheet." if to else "Choose the control it goes to.")
    # To open a form at a record it has to be known which one, and only a list leads from a value to a record.
    needs = control.settings.get("opens") in ("record", "new")
    field = wired.field(control.source, str(control.settings.get("by", "")))
    if act == "form" and needs and (field is None or field.lookup is None):
        sentences.append("It needs a field with a list, by which it opens the form.")
    if act == "action" and to not in wired.actions:
        which = "Choose which server action it runs." if wired.actions else _NO_ACTION
        sentences.append(f"It runs “{to}”, which this form does not have." if to else which)
    for sentence in sentences:
        yield Fault("names", sentence, "error", control.id, control.source)


_NO_ACTION = "This form has no server action that it could run: make one on the form's page."


# With Alt and Shift, of what every form does all day: a button had better not take them from it, as it may others.
DESK_KEYS = frozenset("nursfclged")


def shortcuts(wired: Wired) -> Iterator[Fault]:
    buttons = [
        control for control in wired.document.all() if control.kind == "button" and control.settings.get("shortcut")
    ]
    counted = Counter(str(button.settings["shortcut"]).lower() for button in buttons)
    seen: set[str] = set()
    for button in buttons:
        key = str(button.settings["shortcut"]).lower()
        # The first that has it keeps it, so that the repair leaves one and not none.
        taken = key in DESK_KEYS
        if taken or (counted[key] > 1 and key in seen):
            repair = partial(setting, identifier=button.id, name="shortcut", text="")
            yield Fault(
                "shortcuts",
                f"Alt+Shift+{key.upper()} is {'a key of every form already' if taken else 'given twice'}.",
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
