"""How many rows there are of each value of a field. The server counts, by the value and not by what is shown for it."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, func, select

from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import reading
from .source import SHOWN, UNSORTABLE
from .totals import to_the_letter
from .window import Rows

MOST = 200
SECONDS = 2.0  # that somebody waits for the values of a field
PARTS = (500_000, 20_000)  # rows that are counted where all of them take longer


@dataclass(frozen=True)
class Group:
    """A value, what its lookup in a table shows for it, and how many rows have it."""

    value: Any
    shown: tuple[Any, ...]
    count: int


@dataclass(frozen=True)
class Values:
    """The most frequent values of some rows. more: whether there are others. part: of how many rows they are, where counting
    all of them takes longer than a person waits; 0 for all."""

    groups: list[Group]
    more: bool
    part: int = 0


def frequent(rows: Rows, name: str, most: int = MOST, seconds: float = SECONDS) -> Values:
    """The most frequent values of a field: of all the rows, or of as many as can be counted in some seconds. Raises Problem."""
    # All of them; else any rows will do, so those that the server meets first, and fewer still where even those take too long.
    for part in (0, *PARTS[:-1]):
        try:
            return Values(*grouped(rows, name, 0, most, seconds=seconds, among=part), part)
        except Problem as problem:
            if problem.code != "slow":
                raise
    return Values(*grouped(rows, name, 0, most, among=PARTS[-1]), PARTS[-1])


NOT_COUNTED = "Rows can't be counted by this field."


def grouped(
    rows: Rows, name: str, start: int = 0, most: int = MOST, only: Sequence[Any] | None = None,
    seconds: float | None = None, among: int = 0,
) -> tuple[list[Group], bool]:  # fmt: skip
    """The groups of the rows by a field from a place on, the largest first, and whether there are more.

    only: those of some values. seconds: that it may take. among: of how many rows, whichever come first; 0 for all.
    Raises Problem, "slow" when it takes too long.
    """
    dataset, source = rows.dataset, rows.source
    field = dataset.any_name.get(name)
    if field is None or field.kind in UNSORTABLE:
        raise Problem(NOT_COUNTED, "Choose another one.", code="bad")
    needed, shown = [name], []
    for lookup, (other_field, spec) in dataset.looked_up.items():
        if other_field.name == name and spec.shows:
            needed.append(SHOWN + name)
            shown = [source.lookup_column(lookup, column) for column in spec.reads]
    condition = rows.belonging()
    if only is not None:
        bound = server_kind(rows.spec.kind).bound
        condition = and_(condition, source.column(name).in_([bound(item) for item in only]))
    columns = [source.column(name).label("v"), *(column.label(f"s{i}") for i, column in enumerate(shown))]
    met = select(*columns).select_from(rows.source_with(needed)).where(condition)
    if among:
        met = met.limit(among)
    inner = met.subquery("met")
    count = func.count().label("n")
    kind = server_kind(rows.spec.kind)
    apart, value = to_the_letter(kind, field, inner.c.v)  # who picks a text means that alone
    others = [column for column in inner.c if column is not inner.c.v]
    statement = select(value, *others, count).group_by(apart, *others).order_by(count.desc(), value)
    try:
        with reading(rows.spec) as connection, kind.limited(connection, seconds) if seconds else nullcontext():
            told = connection.execute(statement.limit(most + 1).offset(start), rows.bound_values)
            lines = [tuple(row) for row in told]
    except Problem as problem:
        if problem.code != "type":
            raise
        raise Problem(
            NOT_COUNTED, "Choose another one.", problem.words, "bad"
        ) from problem  # it compares no two of them
    groups = [Group(row[0], row[1:-1], int(row[-1])) for row in lines[:most]]
    return groups, len(lines) > most
