"""What a form does when it opens: its steps, each of which may fail and says what then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ..model.dataset import DatasetSpec
from ..problem import Problem

GO, ORDER, FILTER, PARAMETER = ACTS = ("go", "order", "filter", "parameter")
STOP, TELL, GO_ON = FAILINGS = ("stop", "tell", "go on")
FAILING_WORDS = {TELL: "say so, and go on", GO_ON: "go on", STOP: "stop"}
RECORDS = ("first", "last", "new")
ASCENDING, DESCENDING = ("ascending", "descending")
MOST_STEPS = 40


@dataclass(frozen=True)
class OpeningStep:
    """One step. act: "go" to the record `value` ("first", "last", "new"), "order" by a field ("ascending", "descending"),
    "filter" a field by a text as in the boxes under headings, or give a query's "parameter" a value.

    failing: when it can't be done, "stop" shows the form's problem instead of its rows, "tell" says it and goes on.
    """

    act: str
    field: str = ""
    value: str = ""
    failing: str = TELL


@dataclass
class Opening:
    """What the steps come to. told: what could not be done, in sentences."""

    order: list[tuple[str, bool]] = field(default_factory=list)
    filters: dict[str, str] = field(default_factory=dict)
    parameters: dict[str, str] = field(default_factory=dict)
    record: str = ""
    told: list[str] = field(default_factory=list)


def opened(steps: Sequence[OpeningStep], dataset: DatasetSpec, parameters: Sequence[str] = ()) -> Opening:
    """What the steps come to over a dataset. parameters: those that its query asks for. Raises Problem where one stops."""
    opening = Opening()
    shown = {item.name for item in dataset.shown}
    for step in steps:
        if step.act == GO and step.value in RECORDS:
            opening.record = step.value
        elif step.act == ORDER and step.field in shown:
            opening.order.append((step.field, step.value == DESCENDING))
        elif step.act == FILTER and step.field in shown:
            opening.filters[step.field] = step.value
        elif step.act == PARAMETER and step.field in parameters:
            opening.parameters[step.field] = step.value
        else:
            fail(step, opening)
    return opening


def fail(step: OpeningStep, opening: Opening) -> None:
    """A step can't be done: what its builder wanted then. Raises Problem."""
    sentence = f"The form opens {words(step)}, which can't be done"
    if step.failing == STOP:
        raise Problem(f"{sentence}.", "Ask the builder of the form to look at how it opens.", code="bad")
    if step.failing == TELL:
        opening.told.append(f"{sentence}: it goes on without.")


def words(step: OpeningStep) -> str:
    """A step in words, as they stand behind "The form opens"."""
    if step.act == GO:
        return "with a new record" if step.value == "new" else f"at the {step.value} record"
    if step.act == ORDER:
        return f"ordered by {step.field}{', greatest first' if step.value == DESCENDING else ''}"
    if step.act == FILTER:
        return f"filtered by {step.field} “{step.value}”"
    return f"with {step.field} = “{step.value}”"
