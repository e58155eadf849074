"""Which columns tell people one row of a table from another: what a list shows."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ...model.catalog import Table
from ...model.dataset import ColumnSpec, FieldSpec
from .kinds import NAMING, column_specs

DESCRIBING = re.compile(r"descr", re.I)
NUMBERING = re.compile(
    r"(^|[^a-z])(code|number|no|num|ref|reference|sku|isbn|call_?sign|sign|place|email|username)($|[^a-z])", re.I
)
UNREADABLE = re.compile(
    r"(^|[^a-z])(gid|guid|uuid|hash|digest|checksum|token|secret|password|passwd|salt)($|[^a-z])", re.I
)
# Values that are made for machines: JSON, digests and UUIDs, addresses of files and pages.
MACHINE = re.compile(
    r"\s*[\[{].*|[0-9a-f]{16,}|[0-9a-f]{8}-[0-9a-f-]{27,}|/\S+/\S*|[A-Za-z]:\\.*|https?://.*", re.I | re.S
)
MOST_SHOWN_LENGTH = 120
MOST_SHOWN = 3  # columns
FEW = 0.2  # a column with fewer different values than this share of the rows groups them, it does not name them
ENOUGH_ROWS = 8  # fewer say little of what tells rows apart
SHOWN_LENGTH = 40  # characters by which people tell one line from another
MOMENT = re.compile(r"\d{4}-\d\d-\d\d[ T]\d\d:\d\d")


def shown_columns(table: Table, target: str, rows: Sequence[Sequence[Any]] = ()) -> tuple[str, ...]:
    """What to show for a row of a table: a telling name, and what tells rows of one name apart.

    rows: some of its rows, all columns. Where there are none, what the catalog says has to do: names and uniqueness.
    """
    seen = _Seen(table, rows)
    named = max(seen.columns, key=lambda column: (seen.score(column), -seen.place[column.name]), default=None)
    chosen = [named.name] if named is not None and seen.score(named) > 0 else []
    if chosen and chosen[0] in seen.single:
        return (chosen[0],)
    if chosen and not seen.known and (second := seen.unique_text()):
        return (chosen[0], second)
    # By a name alone rows may look apart in the first hundred and not in the next: a unique text beside it settles that.
    if chosen and (second := seen.unique_text()) and not seen.slug(second):
        chosen.append(second)
    # Of a bed of a house, or a line of an order, its number within it is what people say.
    if not chosen and len(table.key) > 1 and target in table.key and target not in seen.referring:
        return (target,)
    chosen += seen.mates(chosen) if chosen and seen.apart(chosen) < 1 else []
    while len(chosen) < MOST_SHOWN - 1 and seen.apart(chosen) < 1:
        more = seen.complement(chosen)
        if more is None:
            break
        chosen.append(more)
    if seen.known and seen.apart(chosen) < 1 and target not in chosen:
        chosen.append(target)
    return tuple(chosen) or (target,)


def called_by(fields: Sequence[FieldSpec]) -> tuple[str, ...]:
    """The fields that may tell a person which record it is, the most telling ones first."""
    texts = [field for field in fields if readable_text(field) or (field.kind == "longtext" and _named(field.name))]
    return tuple(text.name for text in sorted(texts, key=lambda f: -_named(f.name)))


def naming_field(fields: Sequence[FieldSpec]) -> str:
    """The field that by its own name names each row, such as `name` or `title`; "" for none."""
    return next((name for name in called_by(fields) if NAMING.search(name)), "")


def readable_text(item: ColumnSpec | FieldSpec) -> bool:
    """Whether people read it: not an identifier made for machines, and nothing that must not be shown."""
    return item.kind == "text" and item.storage in ("", "text") and not UNREADABLE.search(item.name)


def _named(name: str) -> int:
    return 8 if NAMING.search(name) else 5 if DESCRIBING.search(name) else 2 if NUMBERING.search(name) else 0


@dataclass(frozen=True)
class _Seen:
    """A table with some of its rows."""

    table: Table
    rows: Sequence[Sequence[Any]]

    @property
    def known(self) -> bool:
        return len(self.rows) >= ENOUGH_ROWS

    @cached_property
    def columns(self) -> tuple[ColumnSpec, ...]:
        return column_specs(self.table)

    @cached_property
    def place(self) -> dict[str, int]:
        return {column.name: i for i, column in enumerate(self.columns)}

    @cached_property
    def sets(self) -> tuple[tuple[str, ...], ...]:
        """The columns that are unique together."""
        return tuple(columns for columns in (self.table.key, *(u.columns for u in self.table.uniques)) if columns)

    @cached_property
    def referring(self) -> set[str]:
        """The columns that refer to rows of tables."""
        return {name for reference in self.table.references for name in reference.columns}

    @cached_property
    def single(self) -> set[str]:
        return {columns[0] for columns in self.sets if len(columns) == 1}

    def shown(self, name: str) -> list[str]:
        """A column's values as a list would tell them apart: moments to the minute, long texts by their beginning."""
        at, texts = self.place[name], []
        for row in self.rows:
            text = "" if row[at] is None else str(row[at])
            texts.append(text[:16] if MOMENT.match(text) else text[:SHOWN_LENGTH])
        return texts

    def apart(self, names: Sequence[str]) -> float:
        """The share of rows that these columns tell from all others before them, 1 where all are told apart."""
        if not names:
            return 0.0
        lines = list(zip(*(self.shown(name) for name in names), strict=True))
        return len(set(lines)) / len(lines) if lines else 1.0

    def filled(self, name: str) -> float:
        return sum(1 for text in self.shown(name) if text) / len(self.rows) if self.rows else 1.0

    def machine(self, name: str) -> bool:
        """Whether most of a column's values are made for machines."""
        at = self.place[name]
        texts = [str(row[at]) for row in self.rows if row[at] is not None]
        return bool(texts) and sum(1 for text in texts if MACHINE.fullmatch(text)) * 2 > len(texts)

    def score(self, column: ColumnSpec) -> float:
        """How well a column names a row for people; 0 for not at all."""
        declared = next(c for c in self.table.columns if c.name == column.name)
        named = _named(column.name)
        # Many schemas give every text 255 characters or 2 000: a name is a name all the same.
        if not readable_text(column) or (named < 8 and (declared.length or 0) > MOST_SHOWN_LENGTH):
            return 0
        points = float(named + (2 if column.name in self.single else 0) + (1 if not column.nullable else 0))
        if not self.known:
            return points
        telling = self.apart([column.name])
        if (
            not self.filled(column.name)
            or self.machine(column.name)
            or (telling < FEW and column.name not in self.single)
        ):
            return 0
        return points + 3 * telling + self.filled(column.name)

    def slug(self, name: str) -> bool:
        """Whether a text only says once more, in the way of addresses, what stands beside it."""
        return "slug" in name.lower()

    def unique_text(self) -> str | None:
        """A readable text that is unique by itself."""
        texts = (column.name for column in self.columns if column.name in self.single and readable_text(column))
        return next(
            (name for name in texts if not (self.known and (not self.filled(name) or self.machine(name)))), None
        )

    def mates(self, chosen: Sequence[str]) -> list[str]:
        """What is unique together with what is chosen, where people can read it."""
        readable = {column.name for column in self.columns if readable_text(column) or column.kind in ("date", "whole")}
        for columns in sorted(self.sets, key=len):
            if set(chosen) & set(columns) and set(columns) - set(chosen) <= readable and len(columns) <= MOST_SHOWN:
                return [name for name in columns if name not in chosen]
        return []

    def complement(self, chosen: Sequence[str]) -> str | None:
        """The column that best tells rows of the same name apart; None where none adds to it."""
        ranks = {"text": 3, "date": 2, "datetime": 2, "decimal": 1, "whole": 1}
        now, best, better = self.apart(chosen), 0.0, None
        for column in self.columns:
            if (
                column.name in chosen
                or column.kind not in ranks
                or UNREADABLE.search(column.name)
                or self.slug(column.name)
            ):
                continue
            if column.name in self.table.key or column.name in self.referring or self.machine(column.name):
                continue
            if not chosen and column.kind == "decimal":  # an amount may tell rows apart today, and names none of them
                continue
            gain = self.apart([*chosen, column.name]) - now
            worth = gain * 10 + ranks[column.kind] + _named(column.name) / 2
            if gain > 0.1 and worth > best:
                best, better = worth, column.name
        return better
