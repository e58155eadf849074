"""What a page with a sheet shows: the record of each source, and what belongs to it, to any depth."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import parse_qs

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.empty_order import without_empties
from enlace.core.dataset.grouping import ways_of
from enlace.core.dataset.totals import NAMES, Total, offered
from enlace.core.form import CONTROL_KINDS
from enlace.core.problem import Problem

from .addresses import (
    added,
    asked_in,
    filters_text,
    groups_text,
    order_text,
    pressed,
)
from .column_widths import blank_widths, widths_of
from .contexts import as_laid_out, base_context, on_grid, panel_context, rail_context, sides_now, written
from .controls import Drawing
from .grouped import layout_of, line_of, line_total, lines_of, uncounted
from .parts import FormPart
from .record_view import RecordView
from .renamed import new_name
from .sentence import NOTHING_ASKED, sentence_context
from .totals import Below
from .work import Work

WINDOW = 60  # rows: two screens and a half; who has a higher one asks for more
DETAIL_WINDOW = 40  # of a detail: most masters have fewer
LEAST_SEEN = 16
MOST_CELLS = 8_000  # a table of hundreds of columns gets smaller windows
Places = Mapping[str, Mapping[str, str]]


def window_size(work: Work, most: int = 0) -> int:
    """How many rows a page holds at a time. most: that somebody asks for; 0 for as many as it begins with."""
    most = most or (DETAIL_WINDOW if work.prefix else WINDOW)
    return max(40, min(most, MOST_CELLS // max(1, len(work.dataset.shown))))


def rows_wanted(work: Work, seen: int = 0) -> int:
    """How many rows a page gets that comes anew. seen: it has room for, where it says so."""
    size = window_size(work)
    return min(size, max(seen, LEAST_SEEN)) if seen else size


def drawing_of(
    work: Work, view: RecordView | None, whole: bool = True, seen: int = 0, count_all: bool = False
) -> Drawing:
    """A part at a record, with the rows around it. whole: with what stands above them too, headings and sentence. seen: how
    many rows the page has room for, where it says so: others it asks for as it comes to them. count_all: the rows are counted,
    where nobody knows how many there are; a grid that is not told ends with those that it has."""
    size, some = window_size(work), rows_wanted(work, seen)
    position = view.position if view else None
    layout = layout_of(work) if work.asked.groups else None
    line = position if layout is None or position is None else line_of(work, layout, position)
    start = max(0, (line or 0) - size // 3) & ~1  # an even one, so that stripes stay where they are
    if layout is None:
        rows, pending = work.window(start, some)
        html = written(work, rows, pending)
        count: int | None
        if count_all:
            count = work.rows.count()
        elif not work.prefix or work.rows.whole:
            count = work.rows.known_count()
        else:
            count = _counted(work, start, some, len(rows))
    else:
        html, rows = lines_of(work, layout, start, some)
        count = layout.rows
    total = None if count is None else count + work.new_count
    context = {
        **base_context(work),
        "computed": bool(work.rules.computed.formulas),
        "rows": html,
        "at_line": line,
        "grid_total": total if layout is None else line_total(work),
        "ways": json.dumps({f.name: ways_of(f) for f in work.dataset.shown}) if whole else "",
        "start": start,
        "size": size,
        "widths": widths_of(work, rows),
        **({**head_context(work), **sentence_context(work), "uncounted": uncounted(work)} if whole else {}),
        **panel_context(work, view),
        **rail_context(work, position, total),
    }
    return Drawing(work.part, context, work, view, rows)


def _counted(work: Work, start: int, size: int, seen: int) -> int | None:
    """How many rows the server has, where the window shows all of them; else what is known."""
    return seen - work.new_count if not start and seen < size else work.rows.known_count()


def head_context(work: Work, key: str = "") -> dict[str, Any]:
    """The headings of a grid: its columns in order, and the boxes to filter by."""
    grid, typed = on_grid(work, key), dict(work.asked.boxes)
    shown = grid.shown
    names = {f.name for f in shown}
    return {
        "columns": _columns(work, grid),
        "boxes": [
            Box(
                work.dataset.numbers[f.name],
                f,
                typed.get(f.name, ""),
                bool(work.filter_faults.get(f.name)),
            )
            for f in shown
        ],
        "wrong": list(work.filter_faults.values()),
        **_arranged_context(work, key, shown),
        "hidden_columns": json.dumps([(f.name, f.label) for f in as_laid_out(work, key).shown if f.name not in names]),
    }


def _arranged_context(work: Work, key: str, shown: Sequence[FieldSpec]) -> dict[str, Any]:
    """How a grid is arranged, as its page says it."""
    sides = sides_now(work, key)
    now, pins = work.arrangement(key), [sides.get(f.name) for f in shown] if sides else []
    return {
        "arranged": now != work.as_on_the_sheet(key),
        "row_lines": now.lines,
        "striped": now.striped,
        "merged": now.merged,
        "totals": json.dumps([[total.field, total.function] for total in now.totals]) if now.totals else "",
        "foot": _foot(now.totals, shown) if now.totals else (),
        "pinned_start": pins.count("start"),
        "pinned_end": pins.count("end"),
        "blank_row": _has_blank_row(work, key),
        "ruled": _setting(work, key, "ruled"),
        "split_now": now.split,
        "kept_rows": json.dumps(now.rows) if now.rows and work.dataset.key else "",
    }


def _foot(totals: Sequence[Total], shown: Sequence[FieldSpec]) -> tuple[tuple[FieldSpec, tuple[Below, ...]], ...]:
    """What is to stand below each column. What it comes to is asked for afterwards: to add up ten million rows takes longer than
    to show some."""
    return tuple((f, tuple(Below(NAMES[t.function], "…") for t in totals if t.field == f.name)) for f in shown)


def _has_blank_row(work: Work, key: str) -> bool:
    """Whether behind the last record of a grid stands a row for a new one."""
    if not work.dataset.editable or work.dataset.lacking_keys:
        return False
    return _setting(work, key, "blank_row")


def _setting(work: Work, key: str, name: str) -> bool:
    """What the form says of a grid, yes or no."""
    grid = work.sheet.grid(work.part.name, key) if work.sheet else None
    return bool(CONTROL_KINDS["grid"].value(grid.settings if grid else {}, name))


@dataclass(frozen=True)
class Column:
    """A heading. sorted: as `aria-sort` has it. place: of its field among several in the order, else "". alone, also: what
    to ask for when it is pressed, by itself or with the key that adds to an order. totals: the names of those that can stand
    below it.
    """

    number: int
    field: FieldSpec
    sorted: str = "none"
    place: str = ""
    alone: str = ""
    also: str = ""
    totals: str = ""

    @property
    def arrow(self) -> str:
        return {"ascending": "↑", "descending": "↓"}.get(self.sorted, "")


@dataclass(frozen=True)
class Box:
    """What to filter by, below a heading. typed: what stands in it. wrong: nobody understands that."""

    number: int
    field: FieldSpec
    typed: str = ""
    wrong: bool = False


def _columns(work: Work, grid: DatasetSpec) -> list[Column]:
    columns = _in_order(grid, tuple(work.asked.order or grid.sorted_by))
    asked = filters_text(work.asked), groups_text(work.asked.groups)
    if rest := "".join(f"&{text}" for text in asked if text):
        return [replace(column, alone=column.alone + rest, also=column.also + rest) for column in columns]
    return list(columns)


@derived
def _in_order(grid: DatasetSpec, terms: tuple[tuple[str, bool], ...]) -> tuple[Column, ...]:
    """The headings of a grid whose rows are in some order, and in no groups and without filters."""
    fields = without_empties(terms, grid)
    orders = {name: ("descending" if down else "ascending", i + 1) for i, (name, down) in enumerate(fields)}
    columns = []
    for field in grid.shown:
        way, place = orders.get(field.name, ("none", 0))
        several = str(place) if place and len(fields) > 1 else ""
        alone, also = (order_text(after(terms, field.name)) for after in (pressed, added))
        below = " ".join(offered(field)) if field.name in grid.by_name else ""
        columns.append(Column(grid.numbers[field.name], field, way, several, alone, also, below))
    return tuple(columns)


def details_of(work: Work, view: RecordView | None, places: Places, whole: bool = True) -> list[Drawing]:
    """What belongs to a record on the sheet, to any depth. places: where the page stands in each part; "closed" for one on a
    page of tabs that nobody has open, which is not read before. whole: with what stands above the rows too.
    """
    drawings: list[Drawing] = []
    if work.sheet is None:
        return drawings
    for name in work.sheet.details(work.part.name):
        drawings += _detail(work, work.parts[name], view, places, whole)
    return drawings


def _detail(work: Work, part: FormPart, view: RecordView | None, places: Places, whole: bool) -> list[Drawing]:
    if view is None:
        return _blanks(work, part)
    place = places.get(part.name, {})
    here = place if new_name(place.get("master", "")) == view.id else {}
    if place.get("closed"):
        blank, *below = _blanks(work, part)
        view_of = {"view": place["view"]} if place.get("view") else {}
        unread = {"at": work.address_of(work.form, part, view.id), "unread": True, "wanted": here.get("record", "")}
        return [replace(blank, context={**blank.context, **view_of, **unread}), *below]
    try:
        detail = _work_on(work, part, view, place)
    except Problem:
        return _blanks(work, part)
    try:
        shown = _record_of(detail, here)
        drawing = drawing_of(detail, shown, whole or "headless" in place)
    except Problem as problem:
        work.troubles.tell(part.title, problem)
        return _blanks(work, part)
    return [drawing, *details_of(detail, shown, places, whole)]


def _work_on(work: Work, part: FormPart, view: RecordView, place: Mapping[str, str]) -> Work:
    said = parse_qs(place.get("view", ""), max_num_fields=200)
    detail = Work(
        work.person, work.form, work.formats, asked_in(said), part.name, view.id, work.kept is not None,
        work.parameter_values, on_sheet=True, above=work,
    )  # fmt: skip
    detail.master_values = dict(view.stored or {})
    detail.store.share(work.store)
    return detail


def _record_of(work: Work, place: Mapping[str, str]) -> RecordView | None:
    """The record that the page showed, if it is there, else the first one."""
    if identifier := place.get("record"):
        try:
            view = work.record(new_name(identifier))
            position = work.position(view.id)
            return view.moved_to(position) if position is not None else work.at(0)
        except Problem:
            return work.at(0)
    rows, pending = work.window(0, window_size(work))
    if not rows:
        return None
    return work.of_row(rows[0], pending) or work.at(0)


def _blanks(work: Work, part: FormPart) -> list[Drawing]:
    """A detail while there is no record that it could belong to, and what would belong to its own."""
    assert work.sheet is not None
    below = [blank for name in work.sheet.details(part.name) for blank in _blanks(work, work.parts[name])]
    shown = work.sheet.on_grid(part.name, part.dataset).shown
    context = {
        "form": work.form, "part": part, "dataset": part.dataset, "order": "", "filters": "", "view": "on=sheet", "at": "",
        "practice": work.practice, "kept": work.kept, **dict.fromkeys("pgn", f"{part.name}--"), "blank": True, "rows": "", "start": 0,
        "size": DETAIL_WINDOW, "boxes": [], "wrong": [], "asking": NOTHING_ASKED, "widths": blank_widths(part.dataset, shown),
        "columns": [Column(part.dataset.numbers[f.name], f) for f in shown],
        **panel_context(work, None), **rail_context(work, None, 0), "panel_acts": False,
    }  # fmt: skip
    return [Drawing(part, context), *below]
