"""The datasets of a form: its own, and its details."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from enlace.core.dataset import DatasetSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.draft import PendingRecord
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.dataset import ColumnSpec, DetailSpec
from enlace.core.model.values import record_id
from enlace.core.problem import Problem
from enlace.core.rules import RecordRules
from enlace.workshop.details import PARAMETER
from enlace.workshop.models import Detail, Form

FOR_READING = (
    "Its rows come from a query that asks for values of the current record. Edit them on a form of their table."
)


@derived
def rules_of(dataset: DatasetSpec) -> RecordRules:
    """The rules of a dataset, made ready once."""
    return RecordRules(dataset)


@dataclass(frozen=True)
class FormPart:
    """One dataset of a form. name: "" for the form's own, else the source's. of: the part that it is a detail of.
    columns, master_columns: its link; to_key: it is to the master's key. asked: of a query, (parameter, field of the
    master that gives its value) pairs.
    """

    name: str
    title: str
    dataset: DatasetSpec
    each: bool
    columns: tuple[str, ...] = ()
    master_columns: tuple[str, ...] = ()
    to_key: bool = False
    asked: tuple[tuple[str, str], ...] = ()
    of: str = ""

    @property
    def rules(self) -> RecordRules:
        return rules_of(self.dataset)

    @property
    def beside(self) -> bool:
        """Whether it is a table that the form does not show."""
        return self.name.startswith(TABLE)

    def links_to(self, master: str, record: PendingRecord | None, stored: dict[str, Any] | None) -> PendingRecord:
        """What a new record of this detail starts with under a master: the master's values, or a claim on its key."""
        from enlace.core.draft.pending import new_record

        made = new_record()
        wanted = {**(stored or {}), **(record.now if record else {})}
        now, waits_for = {}, {}
        for column, source in zip(self.columns, self.master_columns, strict=True):
            if wanted.get(source) is None:
                waits_for[column] = (self.of, master, source)
            else:
                now[column] = wanted[source]
        return PendingRecord(made.id, "new", now=now, waits_for=waits_for)

    def master_of(self, record: PendingRecord) -> str:
        """The id of the master that a pending detail belongs to; "" when its values do not tell."""
        waited = {source[1] for source in record.waits_for.values() if source[0] == self.of}
        if waited:
            return waited.pop()
        return self.master_by(record.values())

    def master_by(self, values: Mapping[str, Any]) -> str:
        """The id of the master that a detail's values name; "" when they do not tell."""
        key = tuple(values.get(name) for name in self.columns)
        return "" if None in key or not self.to_key else record_id(key)


TABLE = "t:"  # in front of a table's name: rows that a save changed without the form showing them, to be put back


def table_part(spec: ConnectionSpec, name: str) -> FormPart:
    """A table that the form does not show, as a part of a draft that puts its rows back. Raises Problem."""
    table = name.removeprefix(TABLE)
    return FormPart(name, table, make_dataset(spec, table), False, of=name)


def own_part(form: Form) -> FormPart:
    """The form's own dataset."""
    return FormPart("", form.title, form.dataset.to_spec(), form.dataset.each)


def parts_of(form: Form) -> dict[str, FormPart]:
    """The parts of a form by name, its own dataset first."""
    parts = {"": own_part(form)}
    for detail in form.all_details:
        parts[detail.name] = _detail(detail, parts[_above(detail)].dataset)
    return parts


def _detail(detail: Detail, master: DatasetSpec) -> FormPart:
    columns, master_columns = tuple(detail.columns), tuple(detail.master_columns)
    dataset = detail.dataset
    if dataset.query:
        asked = tuple((c.removeprefix(PARAMETER), m) for c, m in zip(columns, master_columns, strict=True))
        spec = _for_reading(dataset.to_spec())
        return FormPart(detail.name, detail.title, spec, False, asked=asked, of=_above(detail))
    to_key = master_columns == master.key
    spec = _under(dataset.to_spec(), master, columns, master_columns)
    return FormPart(detail.name, detail.title, spec, dataset.each, columns, master_columns, to_key, of=_above(detail))


def _above(detail: Detail) -> str:
    """The name of the part that a detail belongs to."""
    return detail.of.name if detail.of else ""


@derived
def _for_reading(dataset: DatasetSpec) -> DatasetSpec:
    return replace(dataset, read_only_because=FOR_READING)


def _under(
    dataset: DatasetSpec, master: DatasetSpec, columns: tuple[str, ...], master_columns: tuple[str, ...]
) -> DatasetSpec:
    """A detail's dataset with the master that its calculated fields name; the same one as long as both are."""
    if master.query or not rules_of(dataset).computed.of_master:
        return dataset
    return _with_master(dataset, DetailSpec("master", master.table, columns, master_columns, known_columns(master)))


@derived
def known_columns(master: DatasetSpec) -> tuple[ColumnSpec, ...]:
    """The columns of a master, as its details' expressions know them."""
    return tuple(ColumnSpec(f.name, f.kind, f.storage) for f in master.fields)


@derived
def _with_master(dataset: DatasetSpec, master: DetailSpec) -> DatasetSpec:
    return replace(dataset, master=master)


def part_named(parts: dict[str, FormPart], name: str) -> FormPart:
    """A part by its name. Raises Problem when the form has none of that name."""
    if name not in parts:
        raise Problem("This form has no such part.", "Go back to the form and choose one.", code="missing")
    return parts[name]
