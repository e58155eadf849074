"""The columns of a grid: which fields, in which order, and what each says differently from its dataset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

from ..dataset.totals import NAMES
from ..kinds import TEXTS
from ..model.dataset import DatasetSpec, FieldSpec
from ..problem import Problem

EDITORS = (("", "what its field has"), ("line", "one line"), ("lines", "several lines"))  # that a text is typed in
ALIGNMENTS = ("", "start", "center", "end")
PINS = ("", "start", "end")  # where a column stays while the others move sideways
LEAST_WIDTH, MOST_WIDTH = 30, 1000  # in pixels
LONGEST = 120  # characters of a heading or a format


def typed_as_text(field: FieldSpec) -> bool:
    """Whether people type a text into a field, in one line or several."""
    return field.kind in TEXTS and not field.lookup and not field.formula


@dataclass(frozen=True)
class GridColumn:
    """One column. heading, width (pixels), format, align, editor: "" or 0 for what the dataset says. read_only: not edited
    here. pin: the side that it stays at while the others move; "" moves with them. total: what stands below it, of
    totals.NAMES, where a person has not arranged the grid otherwise; "" for nothing.
    """

    field: str
    heading: str = ""
    width: int = 0
    format: str = ""
    align: str = ""
    read_only: bool = False
    pin: str = ""
    editor: str = ""
    total: str = ""

    @property
    def differs(self) -> bool:
        """Whether it says anything that its dataset does not."""
        return self != GridColumn(self.field)

    def kept(self) -> str | dict[str, Any]:
        """The column as a document keeps it: its field's name alone where it says nothing else."""
        own = {item.name: getattr(self, item.name) for item in fields(self) if getattr(self, item.name) != item.default}
        # Most columns say nothing: a document of twenty names is read at a glance, one of twenty objects is not.
        return self.field if len(own) == 1 else own

    def over(self, field: FieldSpec) -> FieldSpec:
        """A field with what the column says of it."""
        return replace(
            field,
            label=self.heading or field.label,
            width=self.width or field.width,
            format=self.format or field.format,
            align=self.align or field.align,
            read_only=self.read_only or field.read_only,
            typed_in=(self.editor or field.typed_in) if typed_as_text(field) else "",
        )


PROPERTIES = {field.name: field for field in fields(GridColumn)}


def column_of(kept: Any) -> GridColumn | None:
    """A column as it was kept; None for what is none."""
    if isinstance(kept, str):
        return GridColumn(kept)
    if not isinstance(kept, Mapping) or not isinstance(kept.get("field"), str) or set(kept) - set(PROPERTIES):
        return None
    # A column that somebody wrote by hand wrongly is left out here, so that a page is drawn; the wiring check tells
    # of it.
    if not all(type(value) is type(PROPERTIES[name].default) for name, value in kept.items() if name != "field"):
        return None
    return GridColumn(**kept)


def columns_of(kept: Any) -> tuple[GridColumn, ...]:
    """The columns that a setting holds; none where it holds something else."""
    if not isinstance(kept, list | tuple):
        return ()
    return tuple(column for item in kept if (column := column_of(item)) is not None)


def with_property(column: GridColumn, name: str, text: str) -> GridColumn:
    """A column with one thing of it as typed. Raises Problem."""
    text = " ".join(text.split())
    if name == "width":
        if text and (not text.isdecimal() or not LEAST_WIDTH <= int(text) <= MOST_WIDTH):
            hint = f"Type a number of pixels from {LEAST_WIDTH} to {MOST_WIDTH}, or nothing for the dataset's."
            raise Problem(f"“{text[:20]}” is not a width.", hint, code="bad")
        return replace(column, width=int(text or 0))
    if name == "read_only":
        return replace(column, read_only=text == "yes")
    if name == "align" and text not in ALIGNMENTS:
        raise Problem("A column can't stand so.", "Choose start, center or end.", code="bad")
    if len(text) > LONGEST:
        raise Problem("This is too long.", f"At most {LONGEST} characters fit.", code="bad")
    if name == "heading":
        return replace(column, heading=text)
    if name == "format":
        return replace(column, format=text)
    if name == "align":
        return replace(column, align=text)
    if name == "editor" and text in dict(EDITORS):
        return replace(column, editor=text)
    if name == "pin" and text in PINS:
        return replace(column, pin=text)
    if name == "total" and (not text or text in NAMES):
        return replace(column, total=text)
    raise Problem("A column has no such property.", "Reload the page.", code="bad")


def moved(columns: Sequence[GridColumn], at: int, way: str) -> list[GridColumn]:
    """The columns with one of them a place "earlier" or "later"; at either end it stays."""
    several = list(columns)
    several.insert(max(0, min(at + (1 if way == "later" else -1), len(several) - 1)), several.pop(at))
    return several


def in_place(columns: Sequence[GridColumn]) -> list[GridColumn]:
    """The columns as they stand: those that stay at the start first, those that stay at the end last."""
    return sorted(columns, key=lambda column: {"start": 0, "": 1, "end": 2}[column.pin if column.pin in PINS else ""])


def over_dataset(dataset: DatasetSpec, columns: Sequence[GridColumn]) -> DatasetSpec:
    """The dataset with some of its fields, in their order and with what the columns say of them, as a grid writes them."""
    by_name = {column.field: column for column in in_place(columns) if column.field in dataset.any_name}
    if not by_name:
        return dataset

    def shown(field: FieldSpec) -> FieldSpec:
        column = by_name.get(field.name)
        # Hidden, not gone: rules and lists read fields that no column shows.
        return replace(field, hidden=True) if column is None or field.hidden else column.over(field)

    return replace(
        dataset,
        fields=tuple(map(shown, dataset.fields)),
        extra=tuple(map(shown, dataset.extra)),
        order=tuple(by_name),
    )
