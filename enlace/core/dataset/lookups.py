"""Lists to choose from: searched on the server, and what is shown for values that are already there."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from sqlalchemy import ColumnElement, Select, TableClause, and_, case, func, literal, not_, or_, select, true, union
from sqlalchemy.engine import Connection

from ..kinds import KINDS, Formats, raw_text
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.engine import ConnectionSpec, reading
from ..server.names import quoted_table
from .anchors import count_of
from .narrowing import narrowed_by
from .spec import DatasetSpec, FieldSpec, LookupSpec
from .window import KEYS_A_STATEMENT, Rows, in_parts, key_in

PAGE = 50
SMALL = 20_000  # rows: lists up to this size are searched whole, with what starts so first
BETWEEN = " · "


@dataclass(frozen=True)
class Option:
    """One line of a list. value: what the field stores; also: by field, what the reference's other fields store."""

    value: Any
    shown: tuple[Any, ...]
    also: tuple[tuple[str, Any], ...] = ()


@dataclass(frozen=True)
class Page:
    """Some lines of a list. more: whether there are others after them."""

    options: tuple[Option, ...]
    more: bool


def shown_text(lookup: LookupSpec, shown: Sequence[Any], formats: Formats) -> str | None:
    """What a list's line reads as; None when the row is not there."""
    if all(one is None for one in shown):
        return None
    texts = (_formatter(lookup, name, formats)(v) for name, v in zip(lookup.shows, shown, strict=True) if v is not None)
    return BETWEEN.join(texts)


@lru_cache(maxsize=512)
def _formatter(lookup: LookupSpec, name: str, formats: Formats) -> Any:
    one = lookup.by_name.get(name)
    return raw_text if one is None else KINDS[one.kind].formatter(one.as_field(), formats)


def chosen_text(field: FieldSpec, value: Any) -> str | None:
    """What a fixed list shows for a value; None when it lacks the value."""
    if field.lookup is None or value is None:
        return None
    return dict(field.lookup.choices).get(KINDS[field.kind].text(value, field))


def lookup_table(lookup: LookupSpec) -> TableClause:
    """The table that a lookup lists."""
    names = [lookup.target, *(c for _, c in lookup.also), *(c.name for c in lookup.columns), *lookup.shows]
    return quoted_table(lookup.table, dict.fromkeys(names))


def shown_for(
    spec: ConnectionSpec, field: FieldSpec, records: Iterable[Mapping[str, Any]]
) -> dict[tuple[Any, ...], tuple[Any, ...]]:
    """What the list shows for the values that some records hold, by those values (the field's own first)."""
    lookup = field.lookup
    assert lookup is not None and lookup.table
    names = [field.name, *(f for f, _ in lookup.also)]
    wanted = {tuple(r.get(n) for n in names) for r in records}
    kind = server_kind(spec.kind)
    keys = {tuple(map(kind.bound, one)): one for one in wanted if None not in one}
    table = lookup_table(lookup)
    columns = [table.c[lookup.target], *(table.c[c] for _, c in lookup.also)]
    found: dict[tuple[Any, ...], tuple[Any, ...]] = {}
    with reading(spec) as connection:
        for part in in_parts(list(keys), KEYS_A_STATEMENT):
            statement = select(*columns, *(table.c[n] for n in lookup.shows))
            for row in connection.execute(statement.where(key_in(columns, part))):
                key = tuple(row[: len(columns)])
                found.setdefault(keys.get(key, key), tuple(row[len(columns) :]))
    return found


def listed(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    field: FieldSpec,
    typed: str = "",
    start: int = 0,
    record: Mapping[str, Any] | None = None,
    size: int = PAGE,
) -> Page:
    """A page of a field's list: the lines that have what was typed, those that start with it first.

    Capitals and accents make no difference. record: the one that is edited, for a list that is narrowed by it.
    Raises Problem.
    """
    lookup = field.lookup
    assert lookup is not None
    typed = " ".join(typed.split())
    if not lookup.table:
        return _fixed(field, typed, start, size)
    condition = narrowed_by(spec, dataset, lookup, record or {})
    if not typed and condition is None and lookup.unique:
        rows = _whole_list(spec, lookup).window(start, size + 1)
        options = [_option(lookup, row.values) for row in rows]
        return Page(tuple(options[:size]), len(options) > size)
    with reading(spec) as connection:
        return _searched(connection, spec, lookup, typed, start, size, condition)


def _fixed(field: FieldSpec, typed: str, start: int, size: int) -> Page:
    lookup = field.lookup
    assert lookup is not None
    wanted = folded(typed)
    ranked = [(0 if folded(shown).startswith(wanted) else 1, value, shown) for value, shown in lookup.choices]
    kept = [one for one in ranked if wanted in folded(one[2]) or wanted in folded(one[1])]
    kept.sort(key=lambda one: one[0])
    options = [Option(value, (shown,)) for _, value, shown in kept[start : start + size]]
    return Page(tuple(options), len(kept) > start + size)


@lru_cache(maxsize=256)
def _list_dataset(lookup: LookupSpec) -> DatasetSpec:
    """The list as a dataset of its own, in the order of what it shows."""
    keys = (lookup.target, *(c for _, c in lookup.also))
    kinds = lookup.by_name
    names = [*keys, *(n for n in lookup.shows if n not in keys)]
    fields = tuple(kinds[n].as_field() if n in kinds else FieldSpec(n, n, "text") for n in names)
    return DatasetSpec(table=lookup.table, fields=fields, key=keys)


def _whole_list(spec: ConnectionSpec, lookup: LookupSpec) -> Rows:
    return Rows.of(spec, _list_dataset(lookup), [(name, False) for name in lookup.shows])


def _option(lookup: LookupSpec, values: Sequence[Any]) -> Option:
    by_name = dict(zip([f.name for f in _list_dataset(lookup).fields], values, strict=True))
    also = tuple((f, by_name[c]) for f, c in lookup.also)
    return Option(by_name[lookup.target], tuple(by_name[n] for n in lookup.shows), also)


def _searched(
    connection: Connection,
    spec: ConnectionSpec,
    lookup: LookupSpec,
    typed: str,
    start: int,
    size: int,
    condition: ColumnElement[bool] | None,
) -> Page:
    kind, table = server_kind(spec.kind), lookup_table(lookup)
    columns = [table.c[f.name] for f in _list_dataset(lookup).fields]
    shows = [table.c[n] for n in lookup.shows]
    belongs = true() if condition is None else condition
    base = select(*columns).where(belongs)
    if not lookup.unique:
        base = base.distinct()
    order = [*shows, table.c[lookup.target]]
    if not typed:
        found = connection.execute(base.order_by(*order).limit(size + 1).offset(start)).all()
        return _page(lookup, found, size)
    texts = [kind.folded(one) for one in shows]
    wanted = kind.folded(literal(folded(typed)))
    pattern = _escaped(folded(typed))
    contains = or_(*(one.like("%" + pattern + "%", escape="!") for one in texts))
    starting = texts[0].like(pattern + "%", escape="!")
    starts = case((starting, 0), (texts[0] == wanted, 0), else_=1)
    rest = base.order_by(*([starts] if lookup.unique else []), *order)
    if lookup.unique and _is_large(spec, lookup):
        near = _Near(base, shows[0], order, typed, starting)
        return _near_first(connection, lookup, near, rest.where(contains), start, size)
    found = connection.execute(rest.where(contains).limit(size + 1).offset(start)).all()
    return _page(lookup, found, size)


class _Near:
    """The lines of a list that an index over what is shown finds to start as typed, in its usual spellings.

    Each spelling is one stretch of that index and is read on its own, so that nothing has to be sorted but the few
    lines that a page needs.
    """

    def __init__(
        self,
        base: Select[Any],
        column: ColumnElement[Any],
        order: Sequence[ColumnElement[Any]],
        typed: str,
        starting: ColumnElement[bool],
    ) -> None:
        spellings = dict.fromkeys([typed, typed.capitalize(), typed.title(), typed.upper(), typed.lower()])
        self._stretches = [
            and_(column >= one, column < one[:-1] + chr(ord(one[-1]) + 1), starting) for one in spellings
        ]
        self._base, self._order = base, order

    @property
    def condition(self) -> ColumnElement[bool]:
        return or_(*self._stretches)

    def lines(self, start: int, most: int) -> Any:
        """The lines from a place on."""
        few = [
            select(self._base.where(one).order_by(*self._order).limit(start + most).subquery())
            for one in self._stretches
        ]
        # Spellings that are one to the server's collation find the same lines: each counts once.
        joined = union(*few).subquery() if len(few) > 1 else few[0].subquery()
        order = [joined.c[c.name] for c in self._order]
        return select(joined).order_by(*order).limit(most).offset(start)


def _near_first(
    connection: Connection, lookup: LookupSpec, near: _Near, rest: Select[Any], start: int, size: int
) -> Page:
    """A page of a large list: what an index finds to start so, then all the rest.

    The rest is looked for only where the first do not fill the page, since that means reading the whole list.
    """
    found = list(connection.execute(near.lines(start, size + 1)).all())
    if len(found) > size:
        return _page(lookup, found, size)
    passed = 0
    if start and not found:
        counted = select(func.count()).select_from(near._base.where(near.condition).subquery())
        passed = start - int(connection.execute(counted).scalar() or 0)
    others = rest.where(not_(near.condition)).limit(size + 1 - len(found)).offset(passed)
    found += connection.execute(others).all()
    return _page(lookup, found, size)


def _page(lookup: LookupSpec, found: Sequence[Any], size: int) -> Page:
    return Page(tuple(_option(lookup, tuple(row)) for row in found[:size]), len(found) > size)


def _is_large(spec: ConnectionSpec, lookup: LookupSpec) -> bool:
    try:
        return count_of(spec, lookup.table) > SMALL
    except Problem:
        return True


def _escaped(text: str) -> str:
    return text.replace("!", "!!").replace("%", "!%").replace("_", "!_")


def found_by_text(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    field: FieldSpec,
    typed: str,
    formats: Formats,
    record: Mapping[str, Any],
) -> Option | None:
    """The one line that reads as what was typed, capitals and accents apart; None when none or several do."""
    lookup = field.lookup
    assert lookup is not None
    first = typed.split(BETWEEN.strip())[0] if lookup.table else typed
    page = listed(spec, dataset, field, first, 0, record)
    wanted = folded(" ".join(typed.split()))
    reads = [one for one in page.options if wanted in _readings(lookup, one, formats)]
    return reads[0] if len(reads) == 1 else None


def found_by_start(
    spec: ConnectionSpec, dataset: DatasetSpec, field: FieldSpec, typed: str, record: Mapping[str, Any]
) -> Option | None:
    """The one line that starts with what was typed; None when none or several do."""
    wanted = folded(" ".join(typed.split()))
    page = listed(spec, dataset, field, typed, 0, record, 2)  # what starts so comes first
    starting = [one for one in page.options if folded(raw_text(one.shown[0] or "")).startswith(wanted)]
    return starting[0] if len(starting) == 1 else None


def _readings(lookup: LookupSpec, one: Option, formats: Formats) -> tuple[str, ...]:
    """What can be typed for a line, folded."""
    if not lookup.table:
        return folded(one.shown[0]), folded(str(one.value))
    return folded(shown_text(lookup, one.shown, formats) or ""), folded(raw_text(one.shown[0] or ""))
