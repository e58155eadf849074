"""An extension in one file: a field kind, a text check, two functions, a format to take rows out in, and two events."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from enlace.core import hooks
from enlace.core.kinds import Text, Unreadable
from enlace.core.problem import Problem

SAVED: list[int] = []  # how many records each save took, since the application started


class QuayCode(Text):
    """A letter and a number of one or two digits; small letters are put into capitals as one types."""

    name, label, like = "quaycode", "Quay code", "text"
    phrase, example = "a quay code such as N1", "N1"

    def parse(self, text: str, field: Any, formats: Any) -> Any:
        value = super().parse(text.strip().upper(), field, formats)
        if value and not re.fullmatch(r"[A-Z]\d{1,2}", value):
            raise Unreadable("This is no quay code: a letter and a number, such as N1.")
        return value


def is_tide_gauge(text: str) -> bool:
    return bool(re.fullmatch(r"TG-\d{3}", text))


def tab_lines(names: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """Rows with tabs between; line ends within texts become blanks."""
    for row in ([*names], *rows):
        yield "\t".join(" ".join(str("" if value is None else value).split()) for value in row) + "\n"


def quay_of(code: str) -> str:
    """The letter of a quay code: the quay that a berth is on."""
    return code[:1].upper()


def quay_of_in_sql(server: str, arguments: Sequence[str]) -> str:
    return f"UPPER(SUBSTR({arguments[0]}, 1, 1))"  # as all three servers have it


def no_shallow_berths(parts: Sequence[Any]) -> None:
    """Before a save: a new berth needs two metres of water, whatever the database thinks."""
    for part in parts:
        for record in part.records if part.dataset.table == "berth" else ():
            depth = record.now.get("depth_m")
            if record.state == "new" and depth is not None and float(depth) < 2:
                raise Problem("A berth needs two metres of water.", "Enter a greater depth.")


def count_saved(parts: Sequence[Any], outcomes: Any) -> None:
    SAVED.append(sum(len(outcome.ids) for outcome in outcomes.values()))


def register(engine: Any) -> None:
    """Called once, when the application starts."""
    engine.field_kind(QuayCode())
    engine.text_check("gauge", "Tide gauge", is_tide_gauge, "TG-001")
    engine.function("quay_of", ["text"], "text", quay_of, quay_of_in_sql)
    engine.function("is_tide_gauge", ["text"], "yesno", is_tide_gauge)  # for rules: no server is asked for it
    engine.export_format("tabs", "Tabs between", "text/tab-separated-values", "tsv", tab_lines)
    engine.on(hooks.BEFORE_SAVE, no_shallow_berths)
    engine.on(hooks.AFTER_SAVE, count_saved)
