"""Aggregates over a form's details, for expressions over their masters: with what is pending of them counted in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy.engine import Connection

from enlace.core.dataset.group_totals import group_totals
from enlace.core.dataset.source import detail_column
from enlace.core.dataset.totals import Total
from enlace.core.draft import PendingRecord
from enlace.core.model.dataset import ColumnSpec, DetailSpec

from .links import UNKNOWN_LINK, links_of, links_to
from .parts import FormPart
from .reader import Reader

RECORD_ID = "\0id"  # beside a record's values: its id, since details of a new one wait for that
Record = Mapping[str, Any]


class DetailTotals:
    """Aggregates over a form's details, with what is pending of them counted in.

    Only masters of which details are pending are counted here: of all others the server knows all.
    """

    def __init__(self, work: Reader, own: FormPart) -> None:
        self.work, self.own = work, own

    def __call__(
        self, connection: Connection, names: Sequence[str], records: Sequence[Record]
    ) -> dict[str, dict[int, Any]]:
        """By `sum(detail.column)` and by a record's place, the value, where the draft has a part in it."""
        by_part: dict[str, list[tuple[str, Total]]] = {}
        for name in names:
            function, _, inner = name[:-1].partition("(")
            detail, column = detail_column(self.own.dataset, inner)
            if (part := self._part(detail, column)) is not None:
                by_part.setdefault(part.name, []).append((name, Total(column.name, function)))
        numbers: dict[str, dict[int, Any]] = {}
        for part_name, wanted in by_part.items():
            numbers |= self._of_part(connection, self.work.parts[part_name], wanted, records)
        return numbers

    def _part(self, detail: DetailSpec, column: ColumnSpec) -> FormPart | None:
        for part in self.work.parts.values():
            if part.name and part.of == self.own.name and _is_of(part, detail) and column.name in part.dataset.by_name:
                return part
        return None

    def _of_part(
        self, connection: Connection, part: FormPart, wanted: Sequence[tuple[str, Total]], records: Sequence[Record]
    ) -> dict[str, dict[int, Any]]:
        links = [links_to(record.get(RECORD_ID, ""), record, part.master_columns) for record in records]
        # Those of the page's masters only, whatever else the draft holds.
        pending = self.work.store.linked(part.name, {link for several in links for link in several})
        by_link: dict[str, list[PendingRecord]] = {}
        for other in pending:
            for link in set(links_of(other, part.columns, part.of)) - {"", UNKNOWN_LINK}:
                by_link.setdefault(link, []).append(other)
        drafted: dict[tuple[Any, ...], list[PendingRecord]] = {}
        places: dict[tuple[Any, ...], list[int]] = {}
        for i, record in enumerate(records):
            several = [record for link in links[i] for record in by_link.get(link, ())]
            met = [m for record in several if (m := _as_met(record, set(links[i]), part)) is not None]
            # Nothing of this master's is pending: the server's own total is right, in the same statement for all such.
            if not met:
                continue
            values = tuple(record.get(name) for name in part.master_columns)
            key = (
                values if None not in values else (None, record.get(RECORD_ID))
            )  # of a new master only the draft knows
            drafted[key] = met
            places.setdefault(key, []).append(i)
        if not drafted:
            return {}
        totals = group_totals(connection, part.dataset, part.columns, drafted, [total for _, total in wanted])
        return {
            name: {i: totals[key][at] for key, several in places.items() for i in several}
            for at, (name, _) in enumerate(wanted)
        }


def _is_of(part: FormPart, detail: DetailSpec) -> bool:
    same = (part.columns, part.master_columns) == (detail.columns, detail.master_columns)
    return part.dataset.table == detail.table and same


def _as_met(record: PendingRecord, links: set[str], part: FormPart) -> PendingRecord | None:
    """A pending detail as a master meets it: one that moves to another master leaves it, one that comes is new to it."""
    was, now = links_of(record, part.columns, part.of)
    belonged, belongs = was in links, now in links
    if record.state == "new":
        return record if belongs else None
    if belongs and record.state != "removed":
        return record if belonged else replace(record, state="new", now=record.values())
    return replace(record, state="removed") if belonged else None
