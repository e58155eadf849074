"""The values of a field of dates, put together by year, month or day."""

from __future__ import annotations

import datetime
from typing import Any

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.filters import Filter
from enlace.core.dataset.grouping import GroupTerm, grouped_rows, name_of
from enlace.core.dataset.groups import Values, frequent
from enlace.core.dataset.totals import as_number
from enlace.core.dataset.window import Rows
from enlace.core.kinds import Formats

SPANS = {"year": "Years", "month": "Months", "day": "Days"}
Line = tuple[str, str, int]  # what asks for it in a box, as people read it, how many rows


def spans_of(field: FieldSpec) -> dict[str, str]:
    """What the values of a field can be put together by, for people; nothing for one that holds no dates."""
    return SPANS if field.kind in ("date", "datetime") and not field.lookup else {}


def in_spans(rows: Rows, field: FieldSpec, by: str, formats: Formats, most: int) -> tuple[Values, list[Line]]:
    """The most frequent years, months or days of some rows, the latest first, and how they were counted. Raises Problem."""
    # Each date is a day by itself.
    plain = by == "day" and field.kind == "date"
    term = GroupTerm(field.name, by)
    told = frequent(rows, field.name, most) if plain else frequent(grouped_rows(rows, [term]), name_of(term), most)
    lines = [(*_said(group.value, by, formats), group.count) for group in told.groups if group.value is not None]
    if dateless := sum(group.count for group in told.groups if group.value is None):
        lines += _without_date(rows, field, dateless, told.part)
    return told, sorted(lines, key=lambda line: (line[0] != "no value", line[0]), reverse=True)


def _without_date(rows: Rows, field: FieldSpec, count: int, part: int) -> list[Line]:
    """The rows of no date: those without a value, and those whose value is none, such as infinity. part: of how many rows
    they were counted, where it was not of all."""
    empty = count if part else min(rows.narrowed(Filter(field.name, "null")).count(), count)
    lines = [("no value", "(empty)", empty)] if empty else []
    return [*lines, ("", "(no date)", count - empty)] if count > empty else lines


def _said(value: Any, by: str, formats: Formats) -> tuple[str, str]:
    """What asks a box for a year, a month or a day, and how it reads."""
    if by == "day":
        text, rest = str(value)[:10], str(value)[11:]
        try:
            if rest and not rest[0].isdigit():
                raise ValueError  # a time may follow, but not that it was before Christ
            return text, formats.date()(datetime.date.fromisoformat(text))
        except ValueError:
            return f"=={value}", str(value)  # SQLite's columns may hold what is not of their type
    number = int(as_number(value) or 0)
    year, month = (number, 1) if by == "year" else divmod(number, 100)
    if year < 1:
        return "", f"{-year} BC"  # no box takes such a year
    if by == "year":
        return f"{year:04}", f"{year}"
    return f"{year:04}-{month:02}", f"{formats.months[month - 1]} {year}"
