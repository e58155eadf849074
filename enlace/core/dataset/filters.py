"""Filters: which rows of a dataset are read, by what was typed into a box for each field.

A box takes a value, a text that is contained, a comparison (`>8`, `<=8`, `<>8`, `=8`), a range (`1..9`), or one of the
words `empty` and `not empty`; a date's box takes a year or a month as well. Fields with a list are looked for by what
their lists show. Capitals and accents make no difference to texts. `==` asks for a stored value to the last letter, of
a list its value and not what it shows; nothing behind it is an empty text, and `no value` is NULL.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import ColumnElement, Text, and_, case, cast, false, literal, not_, or_, true

from ..expression import Expression, Names, Unsupported
from ..expression.push import Sql, condition
from ..kinds import KINDS, TEXTS, Formats, Unreadable
from ..kinds.numbers import NOT_FINITE
from ..model.dataset import BETWEEN, DatasetSpec, FieldSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.dialects.sqlite_functions import folded
from ..server.names import Raw, single_of
from .asked import own_rows, written_rows
from .bound import bound_value, escaped, only_bound
from .keys import key_in
from .source import SHOWN, TYPES, Source

LONGEST = 200
HINT = "Type a value, a comparison such as >8, a range such as 1..9, “empty” or “not empty”."
_COMPARISON = re.compile(r"\s*(<>|!=|>=|<=|=|>|<)\s*(.*)", re.DOTALL)
_MONTH = re.compile(r"(\d{4})(?:-(\d{2}))?")
_EMPTY = {"empty": "empty", "not empty": "filled", "no value": "null"}


@dataclass(frozen=True)
class Filter:
    """One test of one field. test: "is" (to the last letter; `end`: as it is written), "null", "has", "=", "<>", ">", ">=", "<", "<=", "from" (and before `end`), "to" (and up to
    `end`), "empty" or "filled"; or "when", of no field: the dataset's own condition."""

    field: str
    test: str
    value: Any = None
    end: Any = None


LOOSE = ("sqlite", "kept")  # servers whose columns hold what is of no type of theirs
WHEN = Filter("", "when")


@dataclass(frozen=True)
class Written:
    """A condition as an SQL expression over the record."""

    sql: str


@dataclass(frozen=True)
class Combined:
    """Several filters of which "all", "any" or "none" let a row pass. What is not known to pass does not."""

    joint: str
    parts: tuple[AnyFilter, ...]


@dataclass(frozen=True)
class Among:
    """The rows whose columns hold one of some keys; no person asks so, but who reads what belongs to several records."""

    columns: tuple[str, ...]
    keys: tuple[tuple[Any, ...], ...]


AnyFilter = Filter | Combined | Written | Among


def read_filters(
    dataset: DatasetSpec, typed: Mapping[str, str], formats: Formats
) -> tuple[tuple[Filter, ...], dict[str, str]]:
    """The filters of what was typed, by field, and for each box that can't be understood a sentence."""
    filters, wrong = [], {}
    for name, said in typed.items():
        field = dataset.any_name.get(name)
        if field is None or field.hidden or not said.strip():
            continue
        try:
            if len(said.strip()) > LONGEST:
                raise Unreadable(f"At most {LONGEST} characters can be looked for.")
            filters.append(_read(field, said, formats))
        except Unreadable as error:
            wrong[name] = f"{field.label}: {error} {HINT}"
    return tuple(filters), wrong


def read_box(field: FieldSpec, said: str, formats: Formats) -> Filter:
    """The filter of what was typed into one box. Raises Unreadable."""
    if len(said.strip()) > LONGEST or not said.strip():
        raise Unreadable(f"{field.label}: type something to look for, at most {LONGEST} characters.")
    try:
        return _read(field, said, formats)
    except Unreadable as error:
        raise Unreadable(f"{field.label}: {error}") from None


def _read(field: FieldSpec, said: str, formats: Formats) -> Filter:
    if "\0" in said:
        raise Unreadable("It contains a NUL character, which databases do not keep.")
    # Before all other tests: what follows is taken to the letter, even the word “empty”.
    if (exact := said.lstrip()).startswith("=="):
        return _exactly(field, exact[2:], formats)
    said = said.strip()
    if test := _EMPTY.get(said.lower()):
        return Filter(field.name, test)
    compared = _COMPARISON.fullmatch(said)
    test, rest = (compared[1].replace("!=", "<>"), compared[2].strip()) if compared else ("", said)
    if compared and not rest:
        return Filter(field.name, "filled" if test == "<>" else "empty")
    if field.kind in ("picture", "binary"):
        raise Unreadable("Only “empty” and “not empty” can be asked of it.")
    # A list shows words, its column holds keys: people compare the words.
    if field.lookup:
        if test not in ("", "=", "<>"):
            raise Unreadable("What a list shows is looked for as a text.")
        return Filter(field.name, test or "has", rest)
    if field.kind in TEXTS:
        return Filter(field.name, test or "has", rest)
    if test and field.kind == "yesno" and test not in ("=", "<>"):
        raise Unreadable("Type yes or no.")
    if test:
        return _compared(field, test, rest, formats)
    least, dots, most = said.partition("..")
    if dots and (least or most):
        return _range(field, least.strip(), most.strip(), formats)
    # Somebody who types 2027-03 means all of that month, not its first day.
    return _whole_span(field, rest, formats) or _compared(field, "=", rest, formats)


def _exactly(field: FieldSpec, said: str, formats: Formats) -> Filter:
    if field.kind in TEXTS and field.storage != "any":
        return Filter(field.name, "is", said)
    if field.kind in ("picture", "binary"):
        raise Unreadable("Only “empty” and “not empty” can be asked of it.")
    try:
        said = said.strip()
        # As it is written too: SQLite's columns may hold a date as somebody wrote it.
        return Filter(field.name, "is", KINDS[field.kind].typed_over(said, None, _free(field), formats), said)
    except Unreadable:
        word = NOT_FINITE.get(said.strip().lower()) if field.storage == "float" else None
        if word:
            return Filter(field.name, "is", float(word))
        return Filter(field.name, "is", said.strip())  # SQLite's columns may hold what is not of their type


def exactly_text(field: FieldSpec, value: Any, formats: Formats) -> str:
    """What asks a field's box for a stored value; "" where nothing does: bytes are no text."""
    if isinstance(value, bytes):
        return ""
    return "no value" if value is None else f"=={KINDS[field.kind].as_typed(value, field, formats)}"


def _compared(field: FieldSpec, test: str, said: str, formats: Formats) -> Filter:
    if span := _whole_span(field, said, formats):
        # All of a day or a month is meant: after it, before it, in it, or not in it.
        edge = {">": (">=", span.end), ">=": (">=", span.value), "<": ("<", span.value), "<=": ("<", span.end)}
        if test in edge:
            return Filter(field.name, *edge[test])
        return span if test == "=" else replace(span, test="outside")
    return Filter(field.name, test, stored_value(field, said, formats))


def _range(field: FieldSpec, least: str, most: str, formats: Formats) -> Filter:
    if not least:
        return _compared(field, "<=", most, formats)
    if not most:
        return _compared(field, ">=", least, formats)
    first, last = _compared(field, ">=", least, formats), _compared(field, "<=", most, formats)
    return Filter(field.name, "from" if last.test == "<" else "to", first.value, last.value)


def _whole_span(field: FieldSpec, said: str, formats: Formats) -> Filter | None:
    """A year, a month or, where there is a time of day, a day as the stretch of time that it is."""
    if field.kind not in ("date", "datetime"):
        return None
    first: datetime.date | None = None
    if match := _MONTH.fullmatch(said):
        year, month = int(match[1]), int(match[2] or 1)
        if not (1 <= year < 9999 and 1 <= month <= 12):
            raise Unreadable("There is no such month.")
        first = datetime.date(year, month, 1)
        months = 1 if match[2] else 12
        after = datetime.date(year + (month - 1 + months) // 12, (month - 1 + months) % 12 + 1, 1)
    elif field.kind == "datetime":
        day = FieldSpec(field.name, field.label, "date")
        try:
            first = datetime.date.fromisoformat(str(KINDS["date"].parse(said, day, formats)))
            after = first + datetime.timedelta(1)
        except (Unreadable, OverflowError):
            return None
    if first is None:
        return None
    noon = "" if field.kind == "date" else " 00:00:00"
    ends = (stored_value(field, f"{date.isoformat()}{noon}", formats) for date in (first, after))
    return Filter(field.name, "from", *ends)


def stored_value(field: FieldSpec, said: str, formats: Formats) -> Any:
    """The stored value behind what was typed, whatever the field demands of values. Raises Unreadable."""
    return KINDS[field.kind].parse(said, _free(field), formats)


def _free(field: FieldSpec) -> FieldSpec:
    """A field that takes any value: what may be stored is of no matter to what can be asked, such as a length of 1000 of
    a column that holds 99 at the most."""
    return replace(field, precision=None, scale=None, length=None, picture="", pattern="", text_check="")


# -- in the server's SQL -----------------------------------------------------------------------------------


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
    field = source.dataset.any_name[wanted.field]
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
    if source.server in LOOSE and field.kind in ("time", "datetime") and isinstance(wanted.value, str):
        return _spelled(wanted, column)
    bound = server_kind(source.server).bound
    # As literals: of True and False SQLAlchemy would make words of its own, which it compares with nothing.
    value, end = (literal(bound(given), Raw()) for given in (wanted.value, wanted.end))
    return _between(wanted, column, value, end)


def _is_exactly(wanted: Filter, field: FieldSpec, column: Any, source: Source) -> ColumnElement[bool]:
    if field.formula:
        return _calculated(replace(wanted, test="="), field, source)
    kind, told, stored = server_kind(source.server), isinstance(wanted.value, str), column
    if told:  # of another kind it is what nobody can type there, such as infinity
        column = kind.in_words(column, field.storage)
    value = literal(kind.bound(wanted.value), Raw())
    # No value is NULL here, and PostgreSQL looks in an index for what is equal, not for what is not distinct.
    same = column == value if source.server == "postgresql" else kind.exactly(column, value, told)
    if source.server == "mariadb" and told and field.kind in TEXTS and not field.storage:
        same = and_(stored == value, same)  # an index finds what its collation takes for it, then its bytes tell
    if wanted.end is None or source.server not in LOOSE:
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
    # MariaDB takes texts for equal that differ in blanks at their end; LIKE does not.
    same = [t.like(escaped(folded(value)), escape="!") if kind.name == "mariadb" else t == wanted for t in texts]
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


def _chosen(asked: Filter, field: FieldSpec, source: Source) -> ColumnElement[bool]:
    """A test of a list of fixed lines, by their words or their values."""
    lookup, wanted = field.lookup, folded(asked.value)
    assert lookup is not None
    column, bound = source.column(field.name), server_kind(source.server).bound
    values = []
    for value, shown in lookup.choices:
        told = (folded(shown), folded(value))
        if wanted in told or (asked.test in PARTLY and any(PARTLY[asked.test](text, wanted) for text in told)):
            values.append(bound(KINDS[field.kind].parse(value, field, Formats.of("en"))))
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
