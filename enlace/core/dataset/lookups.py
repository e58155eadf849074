"""Lists to choose from: searched on the server, and what is shown for values that are already there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import (
    ColumnElement,
    Integer,
    Select,
    Text,
    and_,
    bindparam,
    case,
    cast,
    func,
    literal,
    not_,
    or_,
    select,
    true,
    union,
)
from sqlalchemy.engine import Connection

from ..kinds import KINDS, Formats, Unreadable, raw_text
from ..model.connection import ConnectionSpec
from ..model.dataset import BETWEEN, ColumnSpec, DatasetSpec, FieldSpec, LookupSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.engine import reading
from ..server.names import Raw
from ..server.patterns import escaped
from .anchors import count_of
from .compiled import derived
from .keys import KEYS_A_STATEMENT, in_parts, key_in
from .narrowing import narrowed_by
from .source import begins_in_order, list_table, orderable
from .window import Rows

PAGE = 50
SMALL = 20_000  # rows: lists up to this size are searched whole, with what starts so first


class Option(NamedTuple):
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
    """What a list's line reads as: its value where nothing that is shown is filled in. None when it is not there."""
    return shown_writer(lookup, formats)(shown)


@derived
def shown_writer(lookup: LookupSpec, formats: Formats) -> Callable[[Sequence[Any]], str | None]:
    """`shown_text` for the lines of one list."""
    writers = tuple(_formatter(lookup.by_name.get(name), formats) for name in lookup.shows)
    nameless = len(lookup.reads) > len(writers)

    def write(shown: Sequence[Any]) -> str | None:
        texts = [writer(v) for writer, v in zip(writers, shown, strict=False) if v is not None]
        if texts:
            return BETWEEN.join(texts)
        return raw_text(shown[-1]) if nameless and shown[-1] is not None else None

    def write_one(shown: Sequence[Any]) -> str | None:
        return None if shown[0] is None else only(shown[0])

    only = writers[0] if writers else raw_text
    return write_one if len(writers) == 1 and not nameless else write


def first_shown(lookup: LookupSpec, value: Any, formats: Formats) -> str:
    """How the first of what a list shows reads."""
    return _formatter(lookup.by_name.get(lookup.shows[0]) if lookup.shows else None, formats)(value)


def _formatter(column: ColumnSpec | None, formats: Formats) -> Callable[[Any], str]:
    if column is None:
        return raw_text
    write = KINDS[column.kind].formatter(column.as_field(), formats)
    # Most of what lists show is a text as it is.
    return (lambda raw: raw if type(raw) is str else write(raw)) if column.kind == "text" else write


def chosen_text(field: FieldSpec, value: Any) -> str | None:
    """What a fixed list shows for a value; None when it lacks the value."""
    if field.lookup is None or value is None:
        return None
    return dict(field.lookup.choices).get(KINDS[field.kind].text(value, field))


@derived
def lookup_table(lookup: LookupSpec) -> Any:
    """The table, or the query, that a lookup lists."""
    names = [lookup.target, *(c for _, c in lookup.also), *(c.name for c in lookup.columns), *lookup.shows]
    return list_table(lookup, dict.fromkeys(names))


def shown_for(
    spec: ConnectionSpec, field: FieldSpec, records: Iterable[Mapping[str, Any]]
) -> dict[tuple[Any, ...], tuple[Any, ...]]:
    """What the list shows for the values that some records hold, by those values (the field's own first)."""
    lookup = field.lookup
    assert lookup is not None and lookup.table
    names = [field.name, *(f for f, _ in lookup.also)]
    wanted = {tuple(r.get(n) for n in names) for r in records}
    kind = server_kind(spec.kind)
    keys = {tuple(map(kind.bound, pair)): pair for pair in wanted if None not in pair}
    table = lookup_table(lookup)
    columns = [table.c[lookup.target], *(table.c[c] for _, c in lookup.also)]
    by_key: dict[tuple[Any, ...], tuple[Any, ...]] = {}
    with reading(spec) as connection:
        for part in in_parts(list(keys), KEYS_A_STATEMENT):
            statement = select(*columns, *(table.c[n] for n in lookup.reads))
            for row in connection.execute(statement.where(key_in(columns, part))):
                key = tuple(row[: len(columns)])
                by_key.setdefault(keys.get(key, key), tuple(row[len(columns) :]))
    return by_key


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
    if not typed and condition is None and lookup.unique and not lookup.query:
        rows = _whole_list(spec, lookup).window(start, size + 1)
        return Page(_options(lookup, (row.values for row in rows[:size])), len(rows) > size)
    with reading(spec) as connection:
        return _searched(connection, spec, lookup, typed, start, size, condition)


def _fixed(field: FieldSpec, typed: str, start: int, size: int) -> Page:
    lookup = field.lookup
    assert lookup is not None
    wanted = folded(typed)
    ranked = [(0 if folded(shown).startswith(wanted) else 1, value, shown) for value, shown in lookup.choices]
    kept = [pair for pair in ranked if wanted in folded(pair[2]) or wanted in folded(pair[1])]
    kept.sort(key=lambda pair: pair[0])
    options = [Option(value, (shown,)) for _, value, shown in kept[start : start + size]]
    return Page(tuple(options), len(kept) > start + size)


@derived
def _list_dataset(lookup: LookupSpec) -> DatasetSpec:
    """The list as a dataset of its own, in the order of what it shows."""
    keys = (lookup.target, *(c for _, c in lookup.also))
    kinds = lookup.by_name
    names = [*keys, *(n for n in lookup.shows if n not in keys)]
    fields = tuple(kinds[n].as_field() if n in kinds else FieldSpec(n, n, "text") for n in names)
    return DatasetSpec(table=lookup.table, fields=fields, key=keys)


def _whole_list(spec: ConnectionSpec, lookup: LookupSpec) -> Rows:
    return Rows.of(spec, _list_dataset(lookup), [(name, False) for name in lookup.shows])


@derived
def _places(lookup: LookupSpec) -> tuple[int, tuple[int, ...], tuple[tuple[str, int], ...]]:
    """Where a line's value, what it shows, and the reference's other fields stand among what is read of it."""
    names = [f.name for f in _list_dataset(lookup).fields]
    also = tuple((f, names.index(c)) for f, c in lookup.also)
    return names.index(lookup.target), tuple(map(names.index, lookup.reads)), also


def _options(lookup: LookupSpec, rows: Iterable[Sequence[Any]]) -> tuple[Option, ...]:
    value, shown, also = _places(lookup)
    return tuple(
        Option(row[value], tuple([row[i] for i in shown]), tuple([(f, row[i]) for f, i in also])) for row in rows
    )


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
    belongs = true() if condition is None else condition
    near = None
    if typed and lookup.unique and begins_in_order(lookup) and _is_large(spec, lookup):
        spellings = _spellings(typed)
        count, whole = len(spellings), condition is None
        near = _near(lookup, spec.kind, count) if whole else _Near(kind, *_lines(lookup, belongs), count)
        bound_values = near.values(spellings, start, size + 1)
        lines: list[Any] = list(connection.execute(near.lines, bound_values))
        if len(lines) > size:
            return _page(lookup, lines, size)
    base, order = _lines(lookup, belongs)
    if not typed:
        return _page(lookup, connection.execute(base.order_by(*order).limit(size + 1).offset(start)).all(), size)
    shows = [table.c[n] for n in lookup.shows]
    shows += [cast(table.c[n], Text) for n in lookup.reads[len(shows) :]]
    texts = [kind.folded(item) for item in shows]
    wanted = kind.folded(literal(folded(typed)))
    pattern = escaped(folded(typed))
    contains = or_(*(text.like("%" + pattern + "%", escape="!") for text in texts))
    starts = case((texts[0].like(pattern + "%", escape="!"), 0), (texts[0] == wanted, 0), else_=1)
    rest = base.where(contains).order_by(*([starts] if lookup.unique else []), *order)
    if near is not None:
        return _then_rest(connection, lookup, near, bound_values, lines, rest, start, size)
    return _page(lookup, connection.execute(rest.limit(size + 1).offset(start)).all(), size)


def _lines(lookup: LookupSpec, belongs: ColumnElement[bool]) -> tuple[Select[Any], list[ColumnElement[Any]]]:
    """All lines of a list that belong, and the columns that order them."""
    table = lookup_table(lookup)
    base = select(*(table.c[f.name] for f in _list_dataset(lookup).fields)).where(belongs)
    order = [*(table.c[n] for n in orderable(lookup)), table.c[lookup.target]]
    return (base if lookup.unique else base.distinct()), order


def _spellings(typed: str) -> list[str]:
    return list(dict.fromkeys([typed, typed.capitalize(), typed.title(), typed.upper(), typed.lower()]))


def _after_prefix(text: str) -> str:
    """The first text after all that start with one, by code points; surrogates are none that a text can hold."""
    while text:
        code = ord(text[-1]) + 1
        if code <= 0x10FFFF:
            return text[:-1] + chr(0xE000 if 0xD800 <= code < 0xE000 else code)
        text = text[:-1]
    return "\U0010ffff" * 8


class _Near:
    """The lines of a list that an index over what is shown finds to start as typed, in its usual spellings.

    Each spelling is one stretch of that index and is read on its own, so that nothing has to be sorted but the few
    lines that a page needs. What was typed comes as parameters, so that the statement is made once for a list.
    """

    def __init__(self, kind: Any, base: Select[Any], order: Sequence[ColumnElement[Any]], count: int) -> None:
        column = order[0]
        by_pattern = kind.folded(column).like(bindparam("start_pattern", type_=Text), escape="!")
        starting = true() if kind.ranges_are_prefixes else by_pattern
        stretches = [
            and_(column >= bindparam(f"from{i}", type_=Raw()), column < bindparam(f"to{i}", type_=Raw()), starting)
            for i in range(count)
        ]
        most = bindparam("most_lines", type_=Integer)
        few = [select(base.where(stretch).order_by(*order).limit(most).subquery()) for stretch in stretches]
        # Spellings that are one to the server's collation find the same lines: each counts once.
        joined = union(*few).subquery() if count > 1 else few[0].subquery()
        page = select(joined).order_by(*(joined.c[c.name] for c in order))
        self.lines = page.limit(bindparam("page_lines", type_=Integer)).offset(bindparam("start_line", type_=Integer))
        self.condition = or_(*stretches)
        self.count = select(func.count()).select_from(base.where(self.condition).subquery())

    def values(self, spellings: Sequence[str], start: int, most: int) -> dict[str, Any]:
        """The parameters of its statements, from a line on."""
        bound_values = {"start_pattern": escaped(folded(spellings[0])) + "%"}
        for i, spelling in enumerate(spellings):
            bound_values |= {f"from{i}": spelling, f"to{i}": _after_prefix(spelling)}
        return {**bound_values, "most_lines": start + most, "page_lines": most, "start_line": start}


@derived
def _near(lookup: LookupSpec, server: str, count: int) -> _Near:
    """`_Near` of a whole list."""
    return _Near(server_kind(server), *_lines(lookup, true()), count)


def _then_rest(
    connection: Connection,
    lookup: LookupSpec,
    near: _Near,
    bound_values: Mapping[str, Any],
    lines: list[Any],
    rest: Select[Any],
    start: int,
    size: int,
) -> Page:
    """A page of a large list that what starts so does not fill: what has it elsewhere follows.

    That is looked for only now, since it means reading the whole list.
    """
    passed = 0
    if start and not lines:
        passed = start - int(connection.execute(near.count, dict(bound_values)).scalar() or 0)
    others = rest.where(not_(near.condition)).limit(size + 1 - len(lines)).offset(passed)
    return _page(lookup, [*lines, *connection.execute(others, dict(bound_values)).all()], size)


def _page(lookup: LookupSpec, lines: Sequence[Any], size: int) -> Page:
    return Page(_options(lookup, lines[:size]), len(lines) > size)


def _is_large(spec: ConnectionSpec, lookup: LookupSpec) -> bool:
    if lookup.query:
        return False  # it has to be gone through whatever its size: no index helps
    try:
        return count_of(spec, lookup.table) > SMALL
    except Problem:
        return True


def found_by_text(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    field: FieldSpec,
    typed: str,
    formats: Formats,
    record: Mapping[str, Any],
) -> Option | None:
    """The one line that reads as what was typed, capitals and accents apart; None when none or several do."""
    reads = called_so(spec, dataset, field, typed, formats, record)
    return reads[0] if len(reads) == 1 else None


def called_so(
    spec: ConnectionSpec,
    dataset: DatasetSpec,
    field: FieldSpec,
    typed: str,
    formats: Formats,
    record: Mapping[str, Any],
) -> list[Option]:
    """The lines that read as what was typed."""
    lookup = field.lookup
    assert lookup is not None
    first = typed.split(BETWEEN.strip())[0] if lookup.table else typed
    page = listed(spec, dataset, field, first, 0, record)
    wanted = folded(" ".join(typed.split()))
    return [option for option in page.options if wanted in _readings(lookup, option, formats)]


@dataclass(frozen=True)
class WholeList:
    """All lines of a list, to be looked up many at a time: by what they read as (capitals and accents apart), by their value."""

    by_reading: Mapping[str, tuple[Option, ...]]
    by_value: Mapping[Any, Option]

    def meant(self, field: FieldSpec, text: str, formats: Formats) -> Option | None:
        """The one line that a text stands for, as `found_by_text` tells it, else the one whose value it is."""
        reads = self.by_reading.get(folded(" ".join(text.split())), ())
        if reads:
            return reads[0] if len(reads) == 1 else None
        try:
            return self.by_value.get(KINDS[field.kind].parse(text, field, formats))
        except Unreadable:
            return None


def whole_list(
    spec: ConnectionSpec, dataset: DatasetSpec, field: FieldSpec, formats: Formats, most: int
) -> WholeList | None:
    """A field's list; None for one that is narrowed by the record, or longer than `most`. Raises Problem."""
    lookup = field.lookup
    if lookup is None or lookup.narrowed:
        return None
    page = listed(spec, dataset, field, size=most)
    if page.more:
        return None
    by_reading: dict[str, list[Option]] = {}
    for option in page.options:
        for text in dict.fromkeys(_readings(lookup, option, formats)):
            by_reading.setdefault(text, []).append(option)
    by_value = {option.value: option for option in page.options} if lookup.table else {}
    return WholeList({text: tuple(several) for text, several in by_reading.items()}, by_value)


def found_by_start(
    spec: ConnectionSpec, dataset: DatasetSpec, field: FieldSpec, typed: str, record: Mapping[str, Any]
) -> Option | None:
    """The one line that starts with what was typed; None when none or several do."""
    wanted = folded(" ".join(typed.split()))
    page = listed(spec, dataset, field, typed, 0, record, 2)  # what starts so comes first
    starting = [option for option in page.options if folded(raw_text(option.shown[0] or "")).startswith(wanted)]
    return starting[0] if len(starting) == 1 else None


def _readings(lookup: LookupSpec, option: Option, formats: Formats) -> tuple[str, ...]:
    """What can be typed for a line, folded."""
    if not lookup.table:
        return folded(option.shown[0]), folded(str(option.value))
    return folded(shown_text(lookup, option.shown, formats) or ""), folded(raw_text(option.shown[0] or ""))
