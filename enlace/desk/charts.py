"""The numbers of a chart, with the draft counted in, and where they are drawn. No markup here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from math import ceil, floor, isfinite, log10
from typing import Any

from sqlalchemy import func, select

from enlace.core import exact
from enlace.core.dataset import FieldSpec
from enlace.core.dataset.group_draft import MOST_DRAFTED
from enlace.core.dataset.keys import not_among
from enlace.core.dataset.lookups import shown_text
from enlace.core.dataset.source import SHOWN
from enlace.core.dataset.totals import present
from enlace.core.kinds import KINDS
from enlace.core.model.dataset import LookupSpec
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.server.engine import advising

from .work import Work

MOST = 40  # groups that a chart draws
SECONDS = 3.0
WIDTH, HEIGHT, LEFT, FOOT, TOP = 380, 240, 70, 24, 12


@dataclass
class Amount:
    """What is known of one group: how many rows, their sum, and the least and greatest value."""

    words: str
    count: int = 0
    sum: Any = 0
    least: Any = None
    greatest: Any = None

    def value(self, function: str) -> Any:
        if function == "count":
            return self.count
        if function == "avg":
            return None if not self.count else exact.divided(Decimal(self.sum), self.count)
        return {"sum": self.sum, "min": self.least, "max": self.greatest}[function]


def amounts(work: Work, by: FieldSpec, of: FieldSpec | None, function: str) -> list[tuple[str, Any]]:
    """(group in words, value) pairs of a work's rows, in the order of the groups. Raises Problem."""
    rows, source = work.rows, work.rows.source
    value, needed = source.column(by.name), [by.name]
    shown: list[Any] = []
    listed: LookupSpec | None = None
    for lookup, (field, spec) in work.dataset.looked_up.items():
        if field.name == by.name and spec.shows:
            needed.append(SHOWN + by.name)
            listed = spec
            shown = [source.lookup_column(lookup, column) for column in spec.reads]
    if of is not None:
        needed.append(of.name)
    number = source.column(of.name) if of is not None else None
    asked = (
        [func.count(number), func.sum(number), func.min(number), func.max(number)]
        if number is not None
        else [func.count()]
    )
    drafted = list(work.store.in_view())
    names = [field.name for field in (by, of) if field is not None and field.name in work.dataset.by_name]
    statement = select(value, *shown, *asked).select_from(rows.source_with(needed)).where(rows.belonging())
    # By the value, not by what a list shows for it: two agents may be called alike.
    statement = statement.group_by(value, *shown).order_by(value).limit(MOST + 1)
    with advising(work.spec, SECONDS) as connection:
        # Those that the draft touches are counted as they will be: no subtraction gives the least of the others.
        there = present(connection, rows, [record.id for record in drafted if record.state != "new"], names)
        keys = [key_of(name) for name in there]
        left_out = keys if len(keys) <= MOST_DRAFTED else []
        untouched = not_among([source.base.c[name] for name in rows.dataset.key], left_out)
        bars = [tuple(row) for row in connection.execute(statement.where(*untouched), rows.bound_values)]
    if len(bars) > MOST:
        raise Problem(f"{by.label} has more than {MOST} values.", "Group by another field.", code="bad")
    groups: dict[Any, Amount] = {}
    for row in bars:
        texts = row[1 : 1 + len(shown)]
        words = (shown_text(listed, texts, work.formats) if listed else None) or _words(work, by, row[0])
        count, total, least, greatest = (*row[1 + len(shown) :], None, None, None)[:4]
        groups[row[0]] = Amount(words, int(count), _number(total) or 0, _number(least), _number(greatest))
    if len(left_out) < len(keys):
        if function in ("min", "max"):
            told = f"The draft has more than {MOST_DRAFTED:,} records here."
            raise Problem(told, "Save it, to see the chart.", code="many")
        for values in there.values():
            _count(work, by, of, groups, values, -1)
    for record in drafted:
        if record.state == "new" or (record.state == "edited" and record.id in there):
            _count(work, by, of, groups, {**there.get(record.id, {}), **record.now})
    return [(group.words, group.value(function)) for group in groups.values() if group.count]


def _count(
    work: Work, by: FieldSpec, of: FieldSpec | None, groups: dict[Any, Amount], values: Mapping[str, Any], sign: int = 1
) -> None:
    """Count a record in, or out (sign -1)."""
    key = values.get(by.name)
    value = None if of is None else _number(values.get(of.name))
    if of is not None and value is None:
        return
    # A group of which only the draft knows.
    group = groups.setdefault(key, Amount(_words(work, by, key)))
    group.count += sign
    if value is not None:
        group.sum = exact.plus(Decimal(group.sum), sign * value)
        group.least = value if group.least is None else min(group.least, value, key=exact.rank)
        group.greatest = value if group.greatest is None else max(group.greatest, value, key=exact.rank)


def _number(value: Any) -> Any:
    return (
        # Its shortest text: Decimal(0.1) itself has fifty-five digits.
        Decimal(repr(value))
        if isinstance(value, float)
        else Decimal(value)
        if isinstance(value, int | Decimal)
        else None
    )


def _words(work: Work, field: FieldSpec, value: Any) -> str:
    if value is None:
        return "(no value)"
    return work.words.of(work.dataset, field, {field.name: value})


@dataclass(frozen=True)
class Drawn:
    """A chart's places, in units of its own view. words: all numbers in one line, for those who don't see it."""

    bars: list[dict[str, Any]]
    marks: list[tuple[float, str]]
    line: str
    words: str
    width: int = WIDTH
    height: int = HEIGHT
    left: int = LEFT
    right: int = WIDTH
    before: int = LEFT - 6
    foot: int = HEIGHT - 8


def drawn(groups: Sequence[tuple[str, Any]], shape: str, number: FieldSpec | None, work: Work) -> Drawn:
    """Where the bars, points or the line of some values stand."""
    # Only for places on the screen; what is written beside them stays exact.
    values = [_height(value) for _, value in groups]
    least, most = min([0.0, *values]), max([0.0, *values]) or 1.0
    span, room = (most - least) or 1.0, HEIGHT - FOOT - TOP
    write = _writer(number, work)

    def y(value: float) -> float:
        return round(TOP + room * (most - value) / span, 1)

    step = (WIDTH - LEFT) / max(len(values), 1)
    bars = []
    for i, ((name, raw), value) in enumerate(zip(groups, values, strict=True)):
        x, top, ground = LEFT + i * step, y(value), y(0)
        bars.append(
            {
                "name": name, "short": name[: max(2, int(step / 8))], "text": "—" if raw is None else write(raw), "x": round(x + step * 0.15, 1),
                "width": round(step * 0.7, 1), "y": min(top, ground), "height": round(abs(ground - top), 1),
                "middle": round(x + step / 2, 1), "top": top,
            }
        )  # fmt: skip
    marks = [(y(float(mark)), write(mark)) for mark in marks_between(least, most, number is None)]
    line = " ".join(f"{bar['middle']},{bar['top']}" for bar in bars) if shape == "line" else ""
    return Drawn(bars, marks, line, "; ".join(f"{bar['name']} {bar['text']}" for bar in bars))


def _height(value: Any) -> float:
    """How high a value is drawn; what is no finite number has no height."""
    number = float(value) if value is not None else 0.0
    return number if isfinite(number) else 0.0


def marks_between(least: float, most: float, whole: bool = False) -> list[Decimal]:
    """Round numbers from `least` to `most`, four steps or a few more or less apart: 1, 2 or 5 of a power of ten. whole:
    nothing smaller than one, since what is counted has no halves.
    """
    rough = max((most - least) / 4, 1e-12)
    power = Decimal(10) ** floor(log10(rough))
    step = next(Decimal(n) * power for n in (1, 2, 5, 10) if float(Decimal(n) * power) >= rough * 0.999)
    step = max(step, Decimal(1)) if whole else step
    # A mark that lies on an end but for the last digit of a float belongs to the chart.
    first = ceil(least / float(step) - 1e-9)
    last = floor(most / float(step) + 1e-9)
    return [step * n for n in range(first, last + 1)]


def _writer(field: FieldSpec | None, work: Work) -> Any:
    if field is None:
        number = work.formats.number()
        return lambda value: number(int(value) if value == int(value) else value)
    show = KINDS["decimal"].formatter(FieldSpec("n", "n", "decimal", formula="n", format=field.format), work.formats)
    return show
