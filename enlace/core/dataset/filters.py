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

from ..kinds import KINDS, TEXTS, Formats, Unreadable
from ..kinds.numbers import NOT_FINITE
from ..model.dataset import DatasetSpec, FieldSpec

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


def text_test(field: FieldSpec, test: str, text: str) -> Filter:
    """A test of a field's texts, or of those that its list shows. Raises Unreadable."""
    _without_nul(text)
    return Filter(field.name, test, text)


def _without_nul(said: str) -> None:
    # A server that is asked for one may take it for the end of the text, or not take it at all.
    if "\0" in said:
        raise Unreadable("It contains a NUL character, which databases do not keep.")


def _read(field: FieldSpec, said: str, formats: Formats) -> Filter:
    _without_nul(said)
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
