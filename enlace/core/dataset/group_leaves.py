"""The groups of some rows as the server counts them, with what is added up in each."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, func, select

from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import engine_for, reading
from .grouping import VALUE, GroupTerm, Leaf, as_called, column_of, field_of, name_of
from .keys import not_among
from .totals import Total, to_the_letter
from .window import Rows

MOST_GROUPS = 200_000  # more can't be looked through by anybody
MOST_KEPT, MOST_LEAVES = 12, 400_000  # layouts, and groups in all of them
ADDS = ("count", "distinct", "sum", "avg", "min", "max")  # functions of a group that the server tells
Key = tuple[Any, ...]

_kept: OrderedDict[Hashable, tuple[Hashable, list[Any]]] = OrderedDict()
_lock = threading.Lock()


def leaves_of(
    rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total] = (), without: Sequence[Key] = ()
) -> list[Leaf]:
    """The innermost groups in the order of the rows, which `grouped_rows` gave. adds: what is added up in each, by ADDS.
    without: the keys of rows that are left out.

    Counted once for a state of the database, and again when anybody has changed something. Raises Problem.
    """
    return _once(_counted, rows, terms, adds, without)


def different_of(
    rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], without: Sequence[Key] = ()
) -> dict[tuple[int, Key], int]:
    """How many different values each outer group has, by the number of a total among `adds` and the group's values.

    Of inner groups the leaves tell it. Raises Problem.
    """
    wanted = [i for i, total in enumerate(adds) if total.function == "distinct"]
    if not wanted or len(terms) < 2:
        return {}
    return dict(_once(_different, rows, terms, adds, without))


def _once(
    count: Any, rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], without: Sequence[Key]
) -> list[Any]:
    """What is counted, kept for a state of the database; what leaves rows out is of one draft, and kept by nobody."""
    if without:
        return count(rows, terms, adds, without)
    stamp = server_kind(rows.spec.kind).change_stamp(rows.spec, engine_for(rows.spec))
    asked = (rows.spec, rows.dataset.identity, rows.within, rows.filters, rows.order, tuple(terms), tuple(adds))
    key = (count.__name__, *asked)
    with _lock:
        kept = _kept.get(key)
    if kept is not None and stamp is not None and kept[0] == stamp:
        return kept[1]
    told = count(rows, terms, adds, ())
    with _lock:
        _kept[key] = (stamp, told)
        _kept.move_to_end(key)
        while len(_kept) > 1 and (len(_kept) > MOST_KEPT or sum(len(kept) for _, kept in _kept.values()) > MOST_LEAVES):
            _kept.popitem(last=False)
    return told


def names_of(rows: Rows, terms: Sequence[GroupTerm]) -> list[str]:
    """The columns, by their names in a source, that tell groups apart."""
    fields = [field_of(rows.dataset, term) for term in terms]
    return [name_of(term) if term.by != VALUE else column_of(field) for term, field in zip(terms, fields, strict=True)]


def left_out(rows: Rows, without: Sequence[Key]) -> list[ColumnElement[bool]]:
    """Conditions that leave out the rows of some keys."""
    columns = [rows.source.base.c[name] for name in rows.dataset.key]
    return not_among(columns, without)


def _asked(
    rows: Rows, names: Sequence[str], added: Sequence[ColumnElement[Any]], needed: Sequence[str], without: Sequence[Key]
) -> Select[Any]:
    source = rows.source
    columns = [source.c[name].label(f"g{i}") for i, name in enumerate(names)]
    statement = select(*columns, *added).select_from(rows.source_with([*names, *needed]))
    statement = statement.where(and_(rows.belonging(), *left_out(rows, without)))
    return statement.group_by(*(source.c[name] for name in names))


def _counted(rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], without: Sequence[Key]) -> list[Leaf]:
    source, names = rows.source, names_of(rows, terms)
    added: list[ColumnElement[Any]] = [func.count().label("n")]
    for total in adds:
        column = source.c[total.field]
        if total.function == "distinct":
            apart, _ = to_the_letter(server_kind(rows.spec.kind), rows.dataset.by_name[total.field], column)
            added.append(func.count(apart.distinct()))
        elif total.function == "avg":  # two: its sum and its count
            added += [func.sum(column), func.count(column)]
        else:
            added.append(getattr(func, total.function)(column))
    labelled = [added[0], *(column.label(f"s{i}") for i, column in enumerate(added[1:]))]
    ordered = [
        source.c[name].desc() if term.descending else source.c[name].asc()
        for name, term in zip(names, terms, strict=True)
    ]
    statement = _asked(rows, names, labelled, [total.field for total in adds], without).order_by(*ordered)
    with reading(rows.spec) as connection:
        # One more than may be, which tells that there are too many without counting them.
        lines = [tuple(row) for row in connection.execute(statement.limit(MOST_GROUPS + 1), rows.bound_values)]
    if len(lines) > MOST_GROUPS:
        raise Problem(
            f"These are more than {MOST_GROUPS:,} groups.",
            "Put the rows together by a month, a letter or hundreds.",
            code="bad",
        )
    levels = len(terms)
    return [Leaf(as_called(terms, row[:levels]), int(row[levels]), _states(adds, row[levels + 1 :])) for row in lines]


def _states(adds: Sequence[Total], told: Sequence[Any]) -> tuple[Any, ...]:
    values = iter(told)
    return tuple((next(values), next(values)) if total.function == "avg" else next(values) for total in adds)


def _different(
    rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], without: Sequence[Key]
) -> list[tuple[tuple[int, Key], int]]:
    source, names = rows.source, names_of(rows, terms)
    wanted = [i for i, total in enumerate(adds) if total.function == "distinct"]
    kind, fields = server_kind(rows.spec.kind), [rows.dataset.by_name[adds[i].field] for i in wanted]
    apart = [to_the_letter(kind, field, source.c[field.name])[0] for field in fields]
    counts = [func.count(one.distinct()).label(f"s{i}") for i, one in zip(wanted, apart, strict=True)]
    told: list[tuple[tuple[int, Key], int]] = []
    with reading(rows.spec) as connection:
        for depth in range(1, len(terms)):
            statement = _asked(rows, names[:depth], counts, [adds[i].field for i in wanted], without)
            for row in connection.execute(statement, rows.bound_values):
                told += [((i, as_called(terms, row[:depth])), int(n)) for i, n in zip(wanted, row[depth:], strict=True)]
    return told
