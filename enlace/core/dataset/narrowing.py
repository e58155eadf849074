"""A list that is narrowed by the record it is chosen for: berths deep enough for this vessel."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import ColumnElement, select, true

from ..expression import Expression, Names, Unsupported
from ..expression.push import Sql, condition
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec, FieldSpec, LookupSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import advising
from .bound import bound_value, only_bound
from .related import related_values
from .source import TYPES, list_table, plain_column

RECORD = "record"


class BrokenList(Problem):
    """The condition of a list can't be evaluated (any more); a builder has to change it."""


def narrowing(dataset: DatasetSpec, lookup: LookupSpec) -> Expression:
    """The condition of a narrowed list. Raises Problem with a sentence that says what is wrong with it."""
    names = Names([c.name for c in lookup.columns], [RECORD, *dataset.looked_up])
    try:
        return Expression(lookup.narrowed, names)
    except Unsupported as error:
        hint = f"Use the columns of {lookup.table}, and record.field for the record that is edited."
        raise BrokenList(f"The condition of the list can't be understood: {error}", hint, code="bad") from None


def narrowed_by(
    spec: ConnectionSpec, dataset: DatasetSpec, lookup: LookupSpec, record: Mapping[str, Any]
) -> ColumnElement[bool] | None:
    """The condition of a list for a record; None where it is not narrowed. Values are bound. Raises Problem."""
    if not lookup.narrowed:
        return None
    expression = narrowing(dataset, lookup)
    # What other lists of the record lead to: the berth narrowed by the length of the vessel that is chosen.
    outside = {n for n in expression.names if "." in n and not n.startswith(f"{RECORD}.")}
    values = related_values(spec, dataset, outside, record)
    bound: dict[str, Any] = {}

    def column(name: str) -> Sql:
        owner, _, inner = name.partition(".")
        if not inner:
            return plain_column(lookup.table, lookup.by_name[name], spec.kind)
        if owner == RECORD:
            field = dataset.any_name.get(inner)
            if field is None:
                raise Unsupported(f"The record has no field {inner}.")
            value, kind = record.get(inner), field.kind
        else:
            inner_column = dataset.looked_up[owner][1].by_name.get(inner)
            if inner_column is None:
                raise Unsupported(f"There is no {name}.")
            value, kind = values[name], inner_column.kind
        return bound_value(spec.kind, bound, value, TYPES.get(kind, kind))

    try:
        sql = condition(expression, spec.kind, column)
    except Unsupported as error:
        hint = "A builder can change it on the dataset's page."
        raise BrokenList(f"The list can't be narrowed: {error}", hint, code="bad") from None
    return only_bound(sql, bound, spec.kind)


def narrowing_fields(dataset: DatasetSpec, lookup: LookupSpec) -> set[str]:
    """The fields of the record whose change may change what a narrowed list offers."""
    try:
        names = narrowing(dataset, lookup).names
    except Problem:
        return set()
    own = {name.partition(".")[2] for name in names if name.startswith(f"{RECORD}.")}
    owners = {name.partition(".")[0] for name in names if "." in name} & dataset.looked_up.keys()
    return own | {dataset.looked_up[owner][0].name for owner in owners}


def still_offered(spec: ConnectionSpec, dataset: DatasetSpec, field: FieldSpec, record: Mapping[str, Any]) -> bool:
    """Whether a field's list, in a table, offers the value that a record holds. Raises Problem."""
    lookup = field.lookup
    assert lookup is not None
    condition = narrowed_by(spec, dataset, lookup, record)
    matched = [(lookup.target, field.name), *((c, f) for f, c in lookup.also)]
    table = list_table(lookup, dict.fromkeys([c for c, _ in matched] + [c.name for c in lookup.columns]))
    bound = server_kind(spec.kind).bound
    # All that the reference is made of: half of a key may be offered for another record.
    same = [table.c[c] == bound(record.get(f)) for c, f in matched]
    with advising(spec) as connection:
        statement = select(table.c[lookup.target]).where(*same, true() if condition is None else condition).limit(1)
        return connection.execute(statement).first() is not None
