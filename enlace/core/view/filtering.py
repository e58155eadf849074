"""Conditions as what the rows of a dataset are filtered by."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Collection
from dataclasses import dataclass

from sqlglot import exp

from ..dataset.filters import AnyFilter, Combined, Filter, Written, read_box, stored_value, text_test
from ..dataset.reached import field_named, names_in_lists
from ..dataset.source import names_for
from ..expression import Expression, Unsupported
from ..expression.parse import MASTER
from ..kinds import TEXTS, Formats, Unreadable
from ..model.dataset import DatasetSpec, FieldSpec
from .conditions import Anywhere, Condition, Group, Test, Typed

SIGNS = {"is": "=", "is not": "<>", "less": "<", "at most": "<=", "more": ">", "at least": ">="}
MOST_DAYS = 400_000


def filter_of(
    conditions: tuple[Condition, ...],
    dataset: DatasetSpec,
    formats: Formats,
    today: datetime.date,
    far: bool = False,
    beyond: Collection[str] = (),
) -> tuple[tuple[AnyFilter, ...], list[str]]:
    """The filters, and for each condition that can't be asked a sentence; such a one is left out.

    Only fields that are shown can be asked for, and what lists show of their records. beyond: what of `reached` may be
    asked for too; far: expressions may name any column of lookups and totals over details. today: what "the last 3 days"
    is counted from.
    """
    wrong: list[str] = []
    seen = {*(field.name for field in dataset.shown), *beyond, *names_in_lists(dataset)}
    asking = _Asking(dataset, formats, today, far, seen)
    made = [_filter(item, asking, wrong) for item in conditions if not item.off]
    return tuple(item for item in made if item is not None), wrong


def anywhere(text: str, dataset: DatasetSpec, formats: Formats) -> Combined:
    """A text in any of the fields that a dataset shows, as people read them: in texts a part, of numbers and dates the value.
    Raises Unreadable, where no field can have it."""
    tests: list[AnyFilter] = []
    for field in dataset.shown:
        if not text.strip() or field.kind in ("picture", "binary"):
            continue
        if (field.lookup and not field.formula) or (field.kind in TEXTS and not field.lookup):
            tests.append(text_test(field, "has", text))
            continue
        try:
            tests.append(read_box(field, text, formats))
        except Unreadable:
            continue
    if not tests:
        raise Unreadable(f"No field can have “{text[:60]}”.")
    return Combined("any", tuple(tests))


@dataclass(frozen=True)
class _Asking:
    """What conditions are about, and what may be asked: the names in `seen`, and, far, what lies beyond the record."""

    dataset: DatasetSpec
    formats: Formats
    today: datetime.date
    far: bool
    seen: Collection[str]


def _filter(condition: Condition, asking: _Asking, wrong: list[str]) -> AnyFilter | None:
    if isinstance(condition, Group):
        # A part that is switched off is as if it were not there, and so is one that can't be asked: the sentence says so.
        parts = [_filter(part, asking, wrong) for part in condition.parts if not part.off]
        several = tuple(part for part in parts if part is not None)
        return Combined(condition.joint, several) if several else None
    try:
        if isinstance(condition, Typed):
            return _written(condition.sql, asking)
        if isinstance(condition, Anywhere):
            return anywhere(condition.text, asking.dataset, asking.formats)
        field = field_named(asking.dataset, condition.field)
        if field is None or condition.field not in asking.seen:
            raise Unreadable(f"There is no field {condition.field}.")
        return _test(condition, field, asking)
    except Unreadable as error:
        wrong.append(str(error))
        return None


def _written(sql: str, asking: _Asking) -> Written:
    """An expression, over what the dataset shows: nobody finds out a hidden value by asking for it. Raises Unreadable."""
    try:
        expression = Expression(sql, names_for(asking.dataset))
    except Unsupported as error:
        raise Unreadable(f"“{sql[:60]}” is not understood: {error}") from None
    may = lambda name: name in asking.seen or (asking.far and _is_outside(name, asking.dataset))  # noqa: E731
    beyond = [name for name in expression.names if not may(name)]
    if beyond:
        raise Unreadable(f"“{sql[:60]}” names {beyond[0]}, which this form does not show.")
    return Written(sql)


def _is_outside(name: str, dataset: DatasetSpec) -> bool:
    """Whether a name is of a lookup's record or of a detail: not a field of the record, and not its master's."""
    return name not in dataset.any_name and not name.startswith(f"{MASTER}.")


def _test(condition: Test, field: FieldSpec, asking: _Asking) -> Filter | Combined | Written:
    test, values, formats = condition.test, condition.values, asking.formats
    if test in ("empty", "filled"):
        return Filter(field.name, test)
    if test in ("has", "lacks", "begins", "ends"):
        if not (field.lookup or field.kind in TEXTS):
            raise Unreadable(f"{field.label} is no text: ask whether it is, is less or is more.")
        return text_test(field, test, values[0])
    if test == "like":
        return _like(field, values[0], asking.dataset)
    if test in ("in", "not in"):
        several = tuple(read_box(field, value, formats) for value in values)
        return Combined("any" if test == "in" else "none", several)
    if test in ("last days", "next days", "this"):
        return _span(field, formats, *DAYS[test](values[0], asking.today))
    said = f"{values[0]}..{values[1]}" if test == "between" else f"{SIGNS.get(test, '')}{values[0]}"
    return read_box(field, said, formats)


def _like(field: FieldSpec, pattern: str, dataset: DatasetSpec) -> Written:
    """A text by a pattern, as LIKE has it; of a list the stored value. Raises Unreadable."""
    if field.kind not in TEXTS:
        raise Unreadable(f"{field.label} is no text: ask whether it is, is less or is more.")
    text_test(field, "has", pattern)
    # What a list leads to is named in two parts; a field's own name may have any character.
    owner, _, name = ("", "", field.name) if field.name in dataset.any_name else field.name.partition(".")
    named, said = exp.column(name, table=owner or None, quoted=True), exp.Literal.string(pattern)
    return Written(exp.Like(this=named, expression=said).sql(dialect="sqlite"))


def _span(field: FieldSpec, formats: Formats, first: datetime.date, after: datetime.date) -> Filter:
    if field.kind not in ("date", "datetime"):
        raise Unreadable(f"{field.label} is no date.")
    noon = "" if field.kind == "date" else " 00:00:00"
    ends = (stored_value(field, f"{day.isoformat()}{noon}", formats) for day in (first, after))
    return Filter(field.name, "from", *ends)


def _days(text: str) -> int:
    if not text.strip().isdecimal() or not 0 < int(text[:9]) <= MOST_DAYS:
        raise Unreadable(f"“{text[:20]}” is no number of days.")
    return int(text)


def _last(text: str, today: datetime.date) -> tuple[datetime.date, datetime.date]:
    # Today counts as one of them: the last day is today, the last two are yesterday and today.
    return today - datetime.timedelta(_days(text) - 1), today + datetime.timedelta(1)


def _next(text: str, today: datetime.date) -> tuple[datetime.date, datetime.date]:
    return today, today + datetime.timedelta(_days(text))


def _this(unit: str, today: datetime.date) -> tuple[datetime.date, datetime.date]:
    if unit == "day":
        return today, today + datetime.timedelta(1)
    if unit == "week":
        # Weeks begin on Monday, as ISO 8601 has them.
        first = today - datetime.timedelta(today.weekday())
        return first, first + datetime.timedelta(7)
    if unit == "month":
        first = today.replace(day=1)
        # Thirty-two days from the first of a month are in the next one, whichever it is.
        return first, (first + datetime.timedelta(32)).replace(day=1)
    if unit == "year":
        return today.replace(month=1, day=1), today.replace(year=today.year + 1, month=1, day=1)
    raise Unreadable(f"“{unit[:20]}” is no day, week, month or year.")


DAYS: dict[str, Callable[[str, datetime.date], tuple[datetime.date, datetime.date]]] = {
    "last days": _last,
    "next days": _next,
    "this": _this,
}
