"""Whether records pass filters, told here as a server tells it of its rows: of what a draft has, which no server has yet.

A test is true, false or not known (ISO/IEC 9075-2, 8.15 "search condition"); what is not known to pass does not. Texts are
compared as SQLite has them here: another server's collation may put signs and letters in another order.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..dataset.filter_conditions import PARTLY, values_chosen
from ..dataset.filters import WHEN, Among, AnyFilter, Combined, Filter, Written
from ..dataset.lookups import shown_for
from ..dataset.reached import field_named
from ..dataset.related import related_rows
from ..expression import Expression, ExpressionError
from ..kinds import TEXTS
from ..model.connection import ConnectionSpec
from ..model.dataset import BETWEEN, FieldSpec, LookupSpec
from ..server.dialects.sqlite_functions import folded
from ..server.names import single_of
from .computed import Computed, reader_of

Known = bool | None


@dataclass(frozen=True)
class Met:
    """A record as filters meet it. values: typed, by the names that expressions use, calculated ones and those from outside
    among them. stored: by field. shown: by field, what its list reads of the line that the record is on; none where the list
    lacks it."""

    values: Mapping[str, Any]
    stored: Mapping[str, Any]
    shown: Mapping[str, Mapping[str, Any]]

    def value(self, name: str) -> Any:
        """A value; None where it is not known, or can't be computed."""
        try:
            return self.values[name]
        except (KeyError, ExpressionError):
            return None


Test = Callable[[Met], Known]


class Passing:
    """Filters made ready for records that come one by one.

    related: the names from outside of the record that they need. lists: the fields of which they need what a list shows.
    """

    def __init__(self, computed: Computed, filters: Iterable[AnyFilter]) -> None:
        self.computed, self.dataset = computed, computed.dataset
        self.lists: dict[str, FieldSpec] = {}
        self._names: set[str] = set()
        self._tests = [self._made(one) for one in filters]
        self.related = frozenset(name for name in self._names if "." in name)

    def __call__(self, met: Met) -> bool:
        """Whether a record passes all of them."""
        return all(test(met) is True for test in self._tests)

    def _made(self, wanted: AnyFilter) -> Test:
        if isinstance(wanted, Combined):
            return _joined(wanted.joint, [self._made(part) for part in wanted.parts])
        if isinstance(wanted, Written):
            return self._written(wanted.sql)
        if isinstance(wanted, Among):
            keys = set(wanted.keys)
            return lambda met: tuple(met.stored.get(name) for name in wanted.columns) in keys
        if wanted == WHEN:
            return self._written(self.dataset.row_condition)
        field = field_named(self.dataset, wanted.field)
        assert field is not None, wanted
        return self._of_field(wanted, field)

    def _written(self, sql: str) -> Test:
        expression = self.computed.made(sql)
        return (lambda met: None) if expression is None else self._evaluated(expression)

    def _evaluated(self, expression: Expression) -> Test:
        self._names |= self.computed.needed(expression)

        def test(met: Met) -> Known:
            try:
                told = expression(met.values)
            except KeyError:
                return None
            return None if told is None else bool(told)

        return test

    def _of_field(self, wanted: Filter, field: FieldSpec) -> Test:
        name, test = wanted.field, wanted.test
        self._need(field, name)
        if test == "null":
            return lambda met: met.value(name) is None
        if test == "is":
            return _exactly(wanted, field)
        if test in ("empty", "filled"):
            nothing = (None, "") if field.kind in TEXTS and not field.formula else (None,)
            return lambda met: (met.value(name) in nothing) is (test == "empty")
        if field.lookup and field.lookup.table and field.lookup.shows and self._shows(field):
            return self._listed(wanted, field, field.lookup)
        if field.lookup and not field.lookup.table:
            return _chosen(wanted, field)
        if field.lookup or field.kind in TEXTS:
            return lambda met: _told(test, [met.value(name)], wanted.value)
        return _compared(wanted, field)

    def _need(self, field: FieldSpec, name: str) -> None:
        if "." in name and name not in self.dataset.any_name:
            self._names.add(name)
        elif name in self.computed.formulas:
            self._names |= self.computed.needed(self.computed.formulas[name])

    def _shows(self, field: FieldSpec) -> bool:
        return any(owner.name == field.name for owner, _ in self.dataset.looked_up.values())

    def _listed(self, wanted: Filter, field: FieldSpec, lookup: LookupSpec) -> Test:
        """A test of what a list shows: of its columns one by one, or of all as they stand in a cell."""
        name, test, shows = field.name, wanted.test, lookup.shows
        self.lists[name] = field
        parts = wanted.value.split(BETWEEN)
        several = test in ("=", "<>") and 1 < len(parts) <= len(shows)

        def of_line(met: Met) -> Known:
            line = met.shown.get(name, {})
            if several:
                same = _all(_told("=", [line.get(c)], part) for c, part in zip(shows, parts, strict=False))
                return same if test == "=" else _any([_not(same), met.value(name) is None])
            texts = [line.get(column) for column in shows]
            if len(lookup.reads) > len(shows):  # a line without any of them shows its value
                texts.append(line.get(lookup.target) if all(text is None for text in texts) else None)
            return _told(test, texts, wanted.value)

        return of_line


def _all(parts: Iterable[Known]) -> Known:
    told = list(parts)
    return False if False in told else None if None in told else True


def _any(parts: Iterable[Known]) -> Known:
    told = list(parts)
    return True if True in told else None if None in told else False


def _not(known: Known) -> Known:
    return None if known is None else not known


def _joined(joint: str, parts: Sequence[Test]) -> Test:
    if joint == "all":
        return lambda met: _all(part(met) for part in parts)
    if joint == "any":
        return lambda met: _any(part(met) for part in parts)
    # Where nothing is known of a value, "none of these" holds: people mean all other rows.
    return lambda met: not any(part(met) is True for part in parts)


def _exactly(wanted: Filter, field: FieldSpec) -> Test:
    read = reader_of(field)
    value, written = read(wanted.value), wanted.end

    def test(met: Met) -> Known:
        there = met.value(field.name)
        if there is None:
            return None
        return _same(there, value) or (written is not None and there == written)

    return test


def _same(value: Any, other: Any) -> bool:
    return bool(value == other or (value != value and other != other))  # what is not a number is the same as such


COMPARED: dict[str, Callable[[Any, Any, Any], bool]] = {
    "=": lambda value, least, most: _same(value, least),
    "<>": lambda value, least, most: not _same(value, least),
    ">": lambda value, least, most: value > least,
    ">=": lambda value, least, most: value >= least,
    "<": lambda value, least, most: value < least,
    "<=": lambda value, least, most: value <= least,
    "from": lambda value, least, most: least <= value < most,
    "to": lambda value, least, most: least <= value <= most,
    "outside": lambda value, least, most: value < least or value >= most,
}


def _compared(wanted: Filter, field: FieldSpec) -> Test:
    read, name = reader_of(field), wanted.field
    # 1.1 is another number as a double than it is as a single.
    as_kept: Callable[[Any], Any] = single_of if field.storage.startswith("float32") else lambda value: value
    least, most = as_kept(read(wanted.value)), as_kept(read(wanted.end))
    test = COMPARED[wanted.test]

    def compared(met: Met) -> Known:
        value = met.value(name)
        if value is None:  # rows without a value are other than it too
            return True if wanted.test in ("<>", "outside") else None
        try:
            return test(as_kept(value), least, most)
        except (TypeError, ArithmeticError):
            return None

    return compared


def _told(test: str, values: Sequence[Any], wanted: str) -> Known:
    """A test of texts, capitals and accents apart: of any of some."""
    texts = [None if value is None else folded(str(value)) for value in values]
    sought = folded(wanted)
    if test in PARTLY:
        met = _any(None if text is None else PARTLY[test](text, sought) for text in texts)
        return met is not True if test == "lacks" else met
    if test == "=":
        return _any(None if text is None else text == sought for text in texts)
    if test == "<>":
        return all(text is None or text != sought for text in texts)
    return None if texts[0] is None else COMPARED[test](texts[0], sought, None)


def _chosen(wanted: Filter, field: FieldSpec) -> Test:
    """A test of a list of fixed lines, by their words or their values."""
    read, test = reader_of(field), wanted.test
    values = [read(value) for value in values_chosen(wanted, field)]

    def of_lines(met: Met) -> Known:
        value = met.value(field.name)
        among = None if value is None else any(_same(value, one) for one in values)
        if test in ("<>", "lacks"):
            return value is None or not among
        return _any([among, _told(test, [value], wanted.value)]) if field.kind in TEXTS else among

    return of_lines


def passing(
    spec: ConnectionSpec,
    computed: Computed,
    filters: Iterable[AnyFilter],
    records: Sequence[Mapping[str, Any]],
    outer: Mapping[str, Any] | None = None,
) -> list[bool]:
    """Which of some records pass all of some filters; a statement for each list and each total, whatever their number.

    records: stored values by field. outer: values that all of them have from outside, such as those of their master. Raises
    Problem.
    """
    asked = Passing(computed, filters)
    related = related_rows(spec, computed.dataset, asked.related, records)
    lines: list[dict[str, Mapping[str, Any]]] = [{} for _ in records]
    for name, field in asked.lists.items():
        lookup = field.lookup
        assert lookup is not None
        found = shown_for(spec, field, records)
        keys = [name, *(other for other, _ in lookup.also)]
        for record, shown in zip(records, lines, strict=True):
            line = found.get(tuple(record.get(key) for key in keys))
            if line is not None:
                shown[name] = dict(zip(lookup.reads, line, strict=True))
    told = []
    for record, more, shown in zip(records, related, lines, strict=True):
        values = computed.values(record, {**(outer or {}), **more}, new=True)
        told.append(asked(Met(values, record, shown)))
    return told
