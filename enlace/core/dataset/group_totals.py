"""Aggregates over the details of many masters, with a draft laid over them: a few grouped queries, whatever their number.

The server adds up the rows of all these masters, grouped by what links them; the rows that the draft touches are taken
out of that and its own values put in. So the work on this side is proportional to the draft's own part.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import ColumnElement, and_, func, select
from sqlalchemy.engine import Connection

from ..model.dataset import DatasetSpec
from ..model.values import key_of
from ..server.dialects import server_kind
from .keys import KEYS_A_STATEMENT, in_parts, key_in, not_among
from .related import spelled
from .source import source_table
from .totals import Pending, Tally, Total, as_number

Link = tuple[Any, ...]


def group_totals(
    connection: Connection,
    dataset: DatasetSpec,
    columns: Sequence[str],
    drafted: Mapping[Link, Sequence[Pending]],
    wanted: Sequence[Total],
) -> dict[Link, list[Any]]:
    """By link, the value of each total over the dataset's rows whose `columns` hold it.

    drafted: by link, the pending records as that master meets them: new to it, its own, or removed from it. A link with
    None in it has no rows on the server. Raises Problem.
    """
    groups = _Groups(connection, dataset, columns, list(drafted))
    touched = {pending.id for several in drafted.values() for pending in several if not pending.id.startswith("n")}
    there = groups.present(sorted(touched), {total.field for total in wanted})
    # Least and greatest can't be corrected like a sum: the rows that the draft touches have to be left out from the
    # start.
    taken_out = [key_of(name) for several in there.values() for name in several]
    numbers: dict[Link, list[Any]] = {link: [] for link in drafted}
    for total in wanted:
        sums = groups.sums(total)
        odd = taken_out and any(not as_number(added).is_finite() for _, added in sums.values())
        untouched = groups.sums(total, taken_out) if odd else {}
        ends = groups.ends(total, taken_out)
        for link, several in drafted.items():
            rows = there.get(link, {})
            tally = Tally(
                dataset.by_name[total.field], *sums.get(link, (0, None)), [r[total.field] for r in rows.values()]
            )
            if odd and not tally.sum.is_finite():  # no subtraction brings back what NaN was added to
                tally.sum = as_number(untouched.get(link, (0, None))[1])
            tally.ends = {total.function: ends.get(link)} if total.function in ("min", "max") else {}
            # A sum is what the server has, less what the touched rows had, and what the draft wants of them.
            tally.lay_over(total.field, several, rows)
            numbers[link].append(tally.result(total.function))
    return numbers


class _Groups:
    """The rows of some links, on the server."""

    def __init__(
        self, connection: Connection, dataset: DatasetSpec, columns: Sequence[str], links: Sequence[Link]
    ) -> None:
        self.connection, self.dataset = connection, dataset
        self.table = source_table(dataset)
        self.columns = [self.table.c[name] for name in columns]
        self.key = [self.table.c[name] for name in dataset.key]
        bound = server_kind(connection.dialect.name).bound
        # NULL equals nothing in SQL: such a master has no rows on the server, and need not be asked about.
        self.links = {tuple(map(bound, link)): link for link in links if None not in link}
        # MariaDB gives back the spelling of the row, which may differ in capitals from that of the master.
        self.alike = spelled(self.links)

    def _link(self, values: Sequence[Any]) -> Link | None:
        return self.links.get(self.alike(tuple(values)))

    def _in_links(self, part: list[Link]) -> ColumnElement[bool]:
        return key_in(self.columns, part)

    def present(self, ids: Sequence[str], names: set[str]) -> dict[Link, dict[str, dict[str, Any]]]:
        """By link, what the server has now of the rows that a draft touches, by their ids."""
        by_link: dict[Link, dict[str, dict[str, Any]]] = defaultdict(dict)
        keys, ordered, width = {key_of(identifier): identifier for identifier in ids}, sorted(names), len(self.key)
        for part in in_parts(list(keys), KEYS_A_STATEMENT):
            wanted = [*self.key, *self.columns, *(self.table.c[n] for n in ordered)]
            statement = select(*(c.label(f"c{i}") for i, c in enumerate(wanted))).where(key_in(self.key, part))
            for row in self.connection.execute(statement):
                link = self._link(row[width : width + len(self.columns)])
                if link is not None and (key := tuple(row[:width])) in keys:
                    by_link[link][keys[key]] = dict(zip(ordered, row[width + len(self.columns) :], strict=True))
        return by_link

    def sums(self, total: Total, but: Sequence[Link] = ()) -> dict[Link, tuple[int, Any]]:
        """By link, how many values a column has, and their sum where that is asked for. but: the keys of rows left out."""
        left = not_among(self.key, but)
        column = self.table.c[total.field]
        adding = total.function in ("sum", "avg")
        asked = [func.count(column), *([func.sum(column)] if adding else [])]
        by_link = {}
        for part in in_parts(list(self.links), KEYS_A_STATEMENT):
            statement = select(*self.columns, *asked).where(self._in_links(part), *left).group_by(*self.columns)
            for row in self.connection.execute(statement):
                link = self._link(row[: len(self.columns)])
                if link is not None:
                    by_link[link] = (int(row[len(self.columns)]), row[-1] if adding else None)
        return by_link

    def ends(self, total: Total, touched: list[Link]) -> dict[Link, Any]:
        """By link, the least or greatest value among the rows that no draft touches."""
        if total.function not in ("min", "max"):
            return {}
        column = self.table.c[total.field]
        best = func.min(column) if total.function == "min" else func.max(column)
        untouched = not_among(self.key, touched)
        by_link = {}
        for part in in_parts(list(self.links), KEYS_A_STATEMENT):
            statement = select(*self.columns, best).where(and_(self._in_links(part), *untouched))
            for row in self.connection.execute(statement.group_by(*self.columns)):
                link = self._link(row[:-1])
                if link is not None:
                    by_link[link] = row[-1]
        return by_link
