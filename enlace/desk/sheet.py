"""A form's sheet at the desk: its document, and the parts behind its sources."""

from __future__ import annotations

from functools import cached_property

from enlace.core.dataset import DatasetSpec
from enlace.core.dataset.compiled import derived
from enlace.core.form import CONTROL_KINDS, Control, FormDocument
from enlace.core.form.columns import GridColumn, columns_of, over_dataset
from enlace.core.form.fields import fields_of
from enlace.workshop import layout
from enlace.workshop.models import Form

from .arranged import arranged_key


class Sheet:
    """The document of a form, with the parts behind its sources."""

    def __init__(self, form: Form) -> None:
        self.form = form
        self.sources, self._details = layout.sources_of(form)
        self._columns: dict[tuple[str, str], tuple[GridColumn, ...]] = {}

    @cached_property
    def document(self) -> FormDocument:
        return layout.document(self.form)

    @cached_property
    def part_names(self) -> dict[str, str]:
        """The name of a part by its source's."""
        return {name: "" if detail is None else detail.name for name, detail in self._details.items()}

    @cached_property
    def source_names(self) -> dict[str, str]:
        """The name of a source by its part's."""
        return {part: name for name, part in self.part_names.items()}

    @cached_property
    def own_buttons(self) -> frozenset[str]:
        """The titles of the server actions that have a button on the sheet."""
        buttons = [control.settings for control in self.document.all() if control.kind == "button"]
        runs = [own for own in buttons if CONTROL_KINDS["button"].value(own, "act") == "action"]
        return frozenset(str(own.get("to") or "") for own in runs)

    def controls(self, part: str) -> list[Control]:
        """The controls that show a part."""
        return self.document.tied(self.source_names.get(part, ""))

    def panel(self, part: str) -> Control | None:
        """The panel of editors of a part."""
        return next((control for control in self.controls(part) if control.kind == "panel"), None)

    def several(self, part: str, kind: str) -> list[Control]:
        """The controls of a kind that show a part, in reading order."""
        return [control for control in self.controls(part) if control.kind == kind]

    def keys(self, part: str, kind: str) -> list[str]:
        """What tells the grids, or the navigators, of a part apart: "" for the first one, the ids of the others."""
        return [control.id if i else "" for i, control in enumerate(self.several(part, kind))]

    def grid(self, part: str, key: str = "") -> Control | None:
        """A grid of a part by its key."""
        several, key = self.several(part, "grid"), arranged_key(key)
        return next((control for control in several if control.id == key), None) if key else next(iter(several), None)

    def on_grid(self, part: str, dataset: DatasetSpec, key: str = "") -> DatasetSpec:
        """The dataset of a part with the columns that a grid of it has."""
        columns = self.columns(part, key)
        return with_columns(dataset, columns) if columns else dataset

    def columns(self, part: str, key: str = "") -> tuple[GridColumn, ...]:
        """The columns of a grid of a part; none where nobody chose any."""
        if (part, key) not in self._columns:
            grid = self.grid(part, key)
            made = columns_of(CONTROL_KINDS["grid"].value(grid.settings, "columns")) if grid else ()
            self._columns[part, key] = made
        return self._columns[part, key]

    def twin(self, control: Control, field: str, dataset: DatasetSpec) -> str:
        """What stands behind the id of an editor in a control: "" for the first one of its field and record on the sheet."""
        several = self.controls(self.part_names[control.source])
        panel = next((other for other in several if other.kind == "panel"), None)
        # Its editors are the first ones wherever it stands: they are put together without looking for others.
        panels = [panel] if panel else []
        first = next(
            other
            for other in (*panels, *several)
            if (other.kind == "editor" and other.field == field)
            or (other.kind == "panel" and field in fields_of(other, dataset))
            or other.id == control.id
        )
        return "" if first.id == control.id else f"-{control.id}"

    @property
    def closed(self) -> list[str]:
        """The parts that nobody sees as the form opens."""
        return [self.part_names[name] for name in self.document.closed]

    def details(self, part: str) -> list[str]:
        """The parts that belong to one and are shown on the sheet."""
        under = self.document.under(self.source_names.get(part, ""))
        return [self.part_names[source.name] for source in under if self.document.tied(source.name)]


with_columns = derived(over_dataset)
