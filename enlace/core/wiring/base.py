"""What a wiring check gets and gives."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..form import Control, FormDocument
from ..form.difference import title_of
from ..kinds import Formats
from ..model.dataset import DatasetSpec, FieldSpec


@dataclass(frozen=True)
class Wired:
    """A form's document with the datasets behind its sources.

    datasets: by a source's name; None for one that is gone. forms: titles of the project's forms. actions: titles of the
    form's server actions. unserved: the sources whose link no index serves. rows: some rows of each source, as stored.
    reached: the form has a tile on the start page, or a button of another form opens it. types: of each source's table, the
    types of its columns as they are now, none for a table that is gone. converts: the server compares values of unlike kinds. kept:
    the conditions that tables check by themselves. formats: how grids write values.
    """

    document: FormDocument
    datasets: Mapping[str, DatasetSpec | None]
    forms: Sequence[str] = ()
    actions: Sequence[str] = ()
    unserved: Sequence[str] = ()
    rows: Mapping[str, Sequence[Sequence[Any]]] = field(default_factory=dict)
    reached: bool = True
    types: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    converts: bool = True
    kept: Collection[str] = ()
    formats: Formats = field(default_factory=lambda: Formats.of("en_GB"))

    def field(self, source: str, name: str) -> FieldSpec | None:
        """A field of a source; None where there is none."""
        dataset = self.datasets.get(source)
        return dataset.any_name.get(name) if dataset else None

    def title(self, control: Control) -> str:
        """What people know a control by, such as "Chart of Cargo line"."""
        field = self.field(control.source, control.field)
        return title_of(control, self.document, field.label if field else "")

    def named(self, control: Control) -> str:
        """The same as the beginning of a sentence: "The chart of Cargo line"."""
        title = self.title(control)
        return f"The {title[:1].lower()}{title[1:]}"

    def place_of(self, fault: Fault) -> str:
        """Where a fault is, in words: its control, or the records that it is of; "" where it is of the form as a whole."""
        control = next((control for control in self.document.all() if control.id == fault.control), None)
        if control is not None:
            return self.title(control)
        return next(
            (source.title or source.name for source in self.document.sources if source.name == fault.source), ""
        )


def ended(sentence: str) -> str:
    """A sentence that has its end, whatever it was put together from."""
    return sentence if sentence.endswith((".", "?", "!")) else f"{sentence}."


Repair = Callable[[FormDocument], FormDocument]


@dataclass(frozen=True)
class Fault:
    """One thing that is wired wrongly. severity: "error" keeps the form from working, "warning" does not.

    control, source, field: where to look. repair: what puts it right, with the words of its button; None where only a person can.
    """

    check: str
    sentence: str
    severity: str = "error"
    control: str = ""
    source: str = ""
    repair: Repair | None = None
    words: str = ""
    field: str = ""


Check = Callable[[Wired], Iterator[Fault]]
