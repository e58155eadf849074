"""Whether values that a table keeps unique are taken already: asked while somebody types, before the save is."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import and_, not_, select

from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec
from ..model.values import key_of
from ..server.dialects import server_kind
from ..server.engine import advising
from .keys import key_in
from .window import source_table


def taken(
    spec: ConnectionSpec, dataset: DatasetSpec, identifier: str, values: Mapping[str, Any], touched: Collection[str]
) -> list[tuple[str, ...]]:
    """The sets of unique columns whose values another record has. identifier: the record's own id. Raises Problem."""
    sets = [
        holder for holder in dict.fromkeys((*dataset.uniques, dataset.key)) if holder and set(holder) & set(touched)
    ]
    # NULL is equal to nothing, so a unique constraint lets any number of them in.
    sets = [columns for columns in sets if all(values.get(column) is not None for column in columns)]
    if not sets:
        return []
    table, bound = source_table(dataset), server_kind(spec.kind).bound
    matching = []
    with advising(spec) as connection:
        for columns in sets:
            if not set(columns) <= set(table.c.keys()):
                continue
            same = and_(*(table.c[c] == bound(values[c]) for c in columns))
            statement = select(table.c[columns[0]]).where(same).limit(1)
            # The record itself has its values; that is no repetition.
            if identifier[:1] in "ik" and dataset.key:
                statement = statement.where(not_(key_in([table.c[c] for c in dataset.key], [key_of(identifier)])))
            if connection.execute(statement).first() is not None:
                matching.append(columns)
    return matching
