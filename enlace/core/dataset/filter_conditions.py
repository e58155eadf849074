"""Filters in the SQL of a server: the condition of each, its values bound."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from sqlalchemy import ColumnElement, Text, and_, case, cast, false, literal, not_, or_, true

from ..expression import Expression, Names, Unsupported
from ..expression.push import Sql, condition
from ..kinds import KINDS, TEXTS, Formats
from ..model.dataset import BETWEEN, FieldSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.names import Raw, single_of
from ..server.patterns import escaped
from .asked import own_rows, written_rows
from .bound import bound_value, only_bound
from .filters import WHEN, Among, AnyFilter, Combined, Filter, Written
from .keys import key_in
from .reached import field_named
from .source import SHOWN, TYPES, Source


def needed_by(filters: tuple[AnyFilter, ...], source: Source) -> set[str]:
    """The names of a source that some filters join."""
    combined = [item for item in filters if isinstance(item, Combined)]
    needed_more = {name for item in combined for name in needed_by(item.parts, source)}
    for item in filters:
        if isinstance(item, Written):
            needed_more |= set(written_rows(source.dataset, source.server, item.sql)[1])
    return needed_more | _needed_by_tests(tuple(item for item in filters if isinstance(item, Filter)), source)


def _needed_by_tests(filters: tuple[Filter, ...], source: Source) -> set[str]:
    looked_up = {field.name for field, lookup in source.dataset.looked_up.values() if lookup.shows}
    needed = {
        SHOWN + item.field if item.field in looked_up else item.field for item in filters if item.test != WHEN.test
    }
    return needed | set(own_rows(source.dataset, source.server)[1] if WHEN in filters else ())


def condition_of(wanted: AnyFilter, source: Source) -> ColumnElement[bool]:
    """A filter's condition; values are bound. Raises Problem where the server can't make the test."""
    if isinstance(wanted, Combined):
        parts = [condition_of(part, source) for part in wanted.parts]
        if wanted.joint == "all":
            return and_(true(), *parts)
        met = or_(false(), *parts)
        # Where nothing is known of a value, "none of these" holds: people mean all other rows.
        return met if wanted.joint == "any" else case((met, false()), else_=true())
    if isinstance(wanted, Written):
        return written_rows(source.dataset, source.server, wanted.sql)[0]
    if isinstance(wanted, Among):
        return key_in([source.base.c[name] for name in wanted.columns], wanted.keys)
    if wanted == WHEN:
        return own_rows(source.dataset, source.server)[0]
    field = field_named(source.dataset, wanted.field)
    assert field is not None, wanted
    column = source.column(wanted.field)
    if wanted.test == "null":
        return column.is_(None)
    if field.storage.startswith("float32"):  # 1.1 is another number as a double than it is as a single
        wanted = replace(wanted, value=single_of(wanted.value), end=single_of(wanted.end))
    if wanted.test == "is":
        return _is_exactly(wanted, field, column, source)
    if wanted.test in ("empty", "filled"):
        empty = or_(column.is_(None), column == "") if field.kind in TEXTS and not field.formula else column.is_(None)
        return empty if wanted.test == "empty" else not_(empty)
    if field.lookup:
        return _listed(wanted, field, source)
    if field.kind in TEXTS:
        return _told(wanted.test, [column], wanted.value, source)
    if field.formula:
        return _calculated(wanted, field, source)
    kind = server_kind(source.server)
    if kind.loosely_typed and field.kind in ("time", "datetime") and isinstance(wanted.value, str):
        return _spelled(wanted, column)
    # As literals: of True and False SQLAlchemy would make words of its own, which it compares with nothing.
    value, end = (literal(kind.bound(given), Raw()) for given in (wanted.value, wanted.end))
    return _between(wanted, column, value, end)


def _is_exactly(wanted: Filter, field: FieldSpec, column: Any, source: Source) -> ColumnElement[bool]:
    if field.formula:
        return _calculated(replace(wanted, test="="), field, source)
    kind = server_kind(source.server)
    value = literal(kind.bound(wanted.value), Raw())
    # A text for a field of another kind is what nobody can type there, such as infinity.
    same = kind.found(column, value, isinstance(wanted.value, str), field)
    if wanted.end is None or not kind.loosely_typed:
        return same
    return or_(same, kind.exactly(column, literal(wanted.end, Raw()), True))


_CLOCK = re.compile(r"(.*)(\d\d:\d\d)(?::(\d\d)(?:\.(\d+))?)?")


def _spellings(text: str) -> tuple[str, str]:
    """The least and the greatest of the texts that are one time: 12:30, 12:30:00 and 12:30:00.000000."""
    match = _CLOCK.fullmatch(text)
    if not match:
        return text, text
    day, minute, second, part = match[1], match[2], match[3] or "00", (match[4] or "").rstrip("0")
    greatest = f"{day}{minute}:{second}.{part.ljust(6, '0')}"
    if part or second != "00":
        return f"{day}{minute}:{second}{'.' if part else ''}{part}", greatest
    return (day[:-1] if day and minute == "00:00" else day + minute), greatest


def _spelled(wanted: Filter, column: Any) -> ColumnElement[bool]:
    """A test of times that a column holds as texts, each spelled in any way."""
    least, greatest = _spellings(wanted.value)
    ends = _spellings(wanted.end) if isinstance(wanted.end, str) else (wanted.end, wanted.end)
    tests = {
        "=": lambda: and_(column >= least, column <= greatest),
        "<>": lambda: or_(column < least, column > greatest, column.is_(None)),
        ">": lambda: column > greatest,
        "<=": lambda: column <= greatest,
        "to": lambda: and_(column >= least, column <= ends[1]),
    }
    made = tests.get(wanted.test)
    return made() if made else _between(wanted, column, least, ends[0])


def _between(wanted: Filter, column: Any, value: Any, end: Any) -> ColumnElement[bool]:
    made: dict[str, Any] = {
        "=": lambda: column == value,
        # Rows without a value are other than it too: SQL would leave them out, people would miss them.
        "<>": lambda: or_(column != value, column.is_(None)),
        ">": lambda: column > value,
        ">=": lambda: column >= value,
        "<": lambda: column < value,
        "<=": lambda: column <= value,
        "from": lambda: and_(column >= value, column < end),
        "to": lambda: and_(column >= value, column <= end),
        "outside": lambda: or_(column < value, column >= end, column.is_(None)),
    }
    return made[wanted.test]()


def _told(test: str, columns: list[Any], value: str, source: Source) -> ColumnElement[bool]:
    """A test of texts, capitals and accents apart: of any of the columns."""
    kind = server_kind(source.server)
    texts = [kind.folded(column) for column in columns]
    wanted = kind.folded(literal(folded(value)))
    patterns = {"has": "%{}%", "lacks": "%{}%", "begins": "{}%", "ends": "%{}"}
    if test in patterns:
        met = or_(*(text.like(patterns[test].format(escaped(folded(value))), escape="!") for text in texts))
        return met if test != "lacks" else case((met, false()), else_=true())
    same = [kind.same_folded(text, folded(value)) for text in texts]
    if test == "=":
        return or_(*same)
    if test == "<>":
        return and_(*(or_(not_(one), text.is_(None)) for one, text in zip(same, texts, strict=True)))
    compared = {">": texts[0] > wanted, ">=": texts[0] >= wanted, "<": texts[0] < wanted, "<=": texts[0] <= wanted}
    return compared[test]


def _listed(wanted: Filter, field: FieldSpec, source: Source) -> ColumnElement[bool]:
    """A test of what a list shows: of its columns one by one, or of all as they stand in a cell."""
    lookup = field.lookup
    assert lookup is not None
    if not lookup.table:
        return _chosen(wanted, field, source)
    name = next((n for n, (owner, _) in source.dataset.looked_up.items() if owner.name == field.name), "")
    if not name or not lookup.shows:
        return _told(wanted.test, [source.column(field.name)], wanted.value, source)
    columns = [source.lookup_column(name, shown) for shown in lookup.shows]
    parts = wanted.value.split(BETWEEN)
    if wanted.test in ("=", "<>") and 1 < len(parts) <= len(columns):
        same = and_(*(_told("=", [c], part, source) for c, part in zip(columns, parts, strict=False)))
        return same if wanted.test == "=" else or_(not_(same), source.column(field.name).is_(None))
    if len(lookup.reads) > len(columns):  # a line without any of them shows its value
        nameless = and_(*(column.is_(None) for column in columns))
        columns.append(case((nameless, cast(source.lookup_column(name, lookup.target), Text))))
    return _told(wanted.test, columns, wanted.value, source)


PARTLY: dict[str, Any] = {
    "has": lambda text, part: part in text,
    "lacks": lambda text, part: part in text,
    "begins": str.startswith,
    "ends": str.endswith,
}


def values_chosen(asked: Filter, field: FieldSpec) -> list[Any]:
    """The values of the lines of a fixed list that a test is about, by their words or their values."""
    assert field.lookup is not None
    wanted, values = folded(asked.value), []
    for value, shown in field.lookup.choices:
        told = (folded(shown), folded(value))
        if wanted in told or (asked.test in PARTLY and any(PARTLY[asked.test](text, wanted) for text in told)):
            values.append(KINDS[field.kind].parse(value, field, Formats.of("en")))
    return values


def _chosen(asked: Filter, field: FieldSpec, source: Source) -> ColumnElement[bool]:
    """A test of a list of fixed lines, by their words or their values."""
    column, bound = source.column(field.name), server_kind(source.server).bound
    values = [bound(value) for value in values_chosen(asked, field)]
    if asked.test in ("<>", "lacks"):
        return or_(column.not_in(values), column.is_(None))
    if field.kind in TEXTS:
        return or_(column.in_(values), _told(asked.test, [column], asked.value, source))  # what the list lacks
    return column.in_(values)


def _calculated(wanted: Filter, field: FieldSpec, source: Source) -> ColumnElement[bool]:
    """A test of a calculated field, whose value has no column to compare with: as an expression."""
    name = '"' + field.name.replace('"', '""') + '"'
    tests = {
        "from": f"{name} >= given.value AND {name} < given.bound",
        "to": f"{name} BETWEEN given.value AND given.bound",
        "outside": f"{name} < given.value OR {name} >= given.bound OR {name} IS NULL",
        "<>": f"{name} IS DISTINCT FROM given.value",
    }
    expression = Expression(tests.get(wanted.test, f"{name} {wanted.test} given.value"), Names([field.name], ["given"]))
    values: dict[str, Any] = {}
    given = {"given.value": wanted.value, "given.bound": wanted.end}
    kind = TYPES.get(field.kind, field.kind)

    def column(name: str) -> Sql:
        if name in given:
            return bound_value(source.server, values, given[name], kind)
        return source.part(name, set())

    try:
        return only_bound(condition(expression, source.server, column), values, source.server)
    except Unsupported as error:
        hint = "Empty its box, and look at the rows in its order."
        raise Problem(f"{field.label} can't be filtered so: {error}", hint, code="bad") from None
