"""Aggregates over a form's details, for expressions over their master: with what is pending of them counted in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from enlace.core.dataset.source import detail_column
from enlace.core.dataset.spec import DetailSpec
from enlace.core.dataset.totals import Total, totals
from enlace.core.dataset.window import Rows
from enlace.core.draft import PendingRecord

from .parts import FormPart

if TYPE_CHECKING:
    from .work import Work

RECORD_ID = "\0id"  # beside a record's values: its id, since details of a new one wait for that


class DetailTotals:
    """Aggregates over a form's details, with what is pending of them counted in."""

    def __init__(self, work: Work, own: FormPart) -> None:
        self.work, self.own = work, own

    def __call__(self, name: str, record: Mapping[str, Any]) -> Any:
        """The value of `sum(detail.column)` for a master's record. Raises KeyError where the form has no such part."""
        function, _, inner = name[:-1].partition("(")
        detail, column = detail_column(self.own.dataset, inner)
        part = next(
            (p for p in self.work.parts.values() if p.name and p.of == self.own.name and _is_of(p, detail)), None
        )
        if part is None or column.name not in part.dataset.by_name:
            raise KeyError(name)
        pairs = list(zip(part.columns, (record.get(m) for m in part.master_columns), strict=True))
        rows = Rows.of(self.work.spec, replace(part.dataset, only=""), (), pairs)
        drafted = [met for one in self._pending(part) if (met := _as_met(one, pairs, record, part.of)) is not None]
        return totals(rows, [Total(column.name, function)], drafted)[0]

    def _pending(self, part: FormPart) -> list[PendingRecord]:
        found = self.__dict__.setdefault("_found", self.work.store.by_part())
        return list(found.get(part.name, {}).values())


def _is_of(part: FormPart, detail: DetailSpec) -> bool:
    same = (part.columns, part.master_columns) == (detail.columns, detail.master_columns)
    return part.dataset.table == detail.table and same


def _as_met(
    one: PendingRecord, pairs: Sequence[tuple[str, Any]], master: Mapping[str, Any], of: str
) -> PendingRecord | None:
    """A pending detail as a master meets it: one that moves to another master leaves it, one that comes is new to it."""
    belongs = _belongs(one, pairs, master, of)
    if one.state == "new":
        return one if belongs else None
    belonged = all(value is not None and one.was.get(column) == value for column, value in pairs)
    if belongs:
        return one if belonged else replace(one, state="new", now=one.values())
    return replace(one, state="removed") if belonged else None


def _belongs(one: PendingRecord, pairs: Sequence[tuple[str, Any]], master: Mapping[str, Any], of: str) -> bool:
    """Whether a pending detail belongs to a master: by its values, or by waiting for that master's key."""
    if one.under:
        return all(source[:2] == (of, master.get(RECORD_ID)) for source in one.under.values())
    values = one.values()
    return all(value is not None and values.get(column) == value for column, value in pairs)
