"""Required fields that nobody can fill in, and fields that are edited twice."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import partial

from ..form import CONTROL_KINDS, Control, FormDocument
from ..form.edit import add, remove
from ..form.fields import fields_of
from ..form.opening import GO
from .base import Fault, Wired


def edited_by(control: Control, wired: Wired) -> list[str]:
    """The fields that a control lets people edit."""
    dataset = wired.datasets.get(control.source)
    kind = CONTROL_KINDS.get(control.kind)
    if dataset is None or kind is None or not kind.edits:
        return []
    return fields_of(control, dataset)


def required(wired: Wired) -> Iterator[Fault]:
    for source, dataset in wired.datasets.items():
        if dataset is None or not dataset.editable:
            continue
        controls = wired.document.tied(source)
        if not any(_enters(control) for control in controls) and not _begins(wired, source):
            continue  # nobody makes a record here, so none lacks anything
        offered = {name for control in controls for name in edited_by(control, wired)}
        link = {
            c for other_source in wired.document.sources if other_source.name == source for c in other_source.columns
        }
        for field in dataset.fields:
            # What somebody or something else fills in: the database, the dataset’s own value for new records, or the
            # master.
            made = field.default is not None or field.generated or field.initial or field.name in link
            if field.required and not made and field.name not in offered:
                sentence = f"{field.label} needs a value, and nothing on the form lets people enter one."
                repair = partial(_with_editor, source=source, field=field.name)
                yield Fault("required", sentence, "error", "", source, repair, "Add an editor", field.name)


def _enters(control: Control) -> bool:
    """Whether new records are made by a control."""
    asks = {"navigator": "acts", "grid": "blank_row", "panel": "acts"}.get(control.kind)
    if asks is not None:
        return bool(CONTROL_KINDS[control.kind].value(control.settings, asks))
    return control.kind == "button" and CONTROL_KINDS["button"].value(control.settings, "act") == "new"


def _begins(wired: Wired, source: str) -> bool:
    """Whether the form opens with a new record of a source."""
    opens = any(step.act == GO and step.value == "new" for step in wired.document.opening)
    return source == wired.document.main.name and opens


def _with_editor(document: FormDocument, source: str, field: str) -> FormDocument:
    return add(document, "editor", source, field)[0]


def twice(wired: Wired) -> Iterator[Fault]:
    editors: dict[tuple[str, str], list[Control]] = defaultdict(list)
    for control in wired.document.all():
        if control.kind == "editor" and control.field:
            editors[control.source, control.field].append(control)
        elif control.kind == "panel":
            for name in edited_by(control, wired):
                editors[control.source, name].append(control)
    for (source, name), several in editors.items():
        # Two panels of all fields are a choice of the builder’s; an editor beside them is mostly forgotten.
        single = [control for control in several if control.kind == "editor"]
        field = wired.field(source, name)
        if len(several) > 1 and single and field is not None:
            sentence = f"{field.label} has {len(several)} editors; one is enough."
            yield Fault(
                "twice", sentence, "warning", single[-1].id, source, partial(remove, ids=[single[-1].id]), "Remove one"
            )
