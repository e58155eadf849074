"""The rows of a grid as HTML.

Written in Python and not in a template: a window has a hundred times as many cells as a page has anything
else, and here each field's writer is made once and then called for every row.
"""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from markupsafe import escape

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.conditional_formats import ROW, tones_of
from enlace.core.dataset.lookups import shown_text
from enlace.core.dataset.window import CUT, Row
from enlace.core.draft import PendingRecord
from enlace.core.expression import ExpressionError
from enlace.core.kinds import KINDS, TEXTS, Formats, stored_as
from enlace.core.rules import Complaint


@dataclass(frozen=True)
class Overlay:
    """What a pending record lays over its row. extra: the values of the extra fields. words: reads a field's value."""

    complaints: Sequence[Complaint]
    extra: tuple[Any, ...]
    words: Callable[[FieldSpec, Mapping[str, Any]], str]


MOST_READY = 2_000  # cells of a list that are kept
MOST_REMEMBERED = 300  # cells of any other column: there are as many writers as grids and languages
# Types whose equal values are written alike: 1.5 and 1.50 as Decimals are not, nor is 1 as True is.
REMEMBERED = frozenset({str, float, datetime.date, datetime.datetime, datetime.time})
STATE_WORDS = {"edited": "edited", "new": "new", "removed": "to be removed", "conflict": "conflict"}


class RowWriter:
    """Writes rows of one dataset in one locale. Make it with `row_writer`, which keeps it.

    prefix: what stands in front of the ids of its elements, where a page shows several datasets.
    """

    def __init__(self, dataset: DatasetSpec, formats: Formats, prefix: str = "") -> None:
        self.dataset, self.prefix = dataset, safe(prefix)
        places = {name: field.name for name, (field, _) in dataset.looked_up.items()}
        joined = {name: j for j, name in enumerate(places.values())}
        # Of each column: its place in a row's values, and among what lookups show (-1: nowhere).
        self._columns = [
            (dataset.numbers[f.name], f, _shower(f, formats), joined.get(f.name, -1)) for f in dataset.shown
        ]
        self._tones = tone_places(dataset)

    def write(
        self, rows: Iterable[Row], pending: Mapping[str, PendingRecord], over: Callable[[PendingRecord], Overlay]
    ) -> str:
        """The HTML of rows, pending changes laid over them."""
        return "".join(
            self.plain(row) if row.id not in pending else self.changed(row, pending[row.id], over(pending[row.id]))
            for row in rows
        )

    def plain(self, row: Row) -> str:
        """A row of which nothing is pending."""
        values = row.values + row.extra if row.extra else row.values
        shown = row.shown
        cells = [show(values[i]) if j < 0 else show(values[i], shown[j]) for i, _, show, j in self._columns]
        tone = ""
        if self._tones:
            cells, tone = self._toned(values, cells)
        return (
            f'<div role="row" class="record" id="{self.prefix}row-{safe(row.id)}" data-id="{safe(row.id)}" data-at="{row.position}"{tone} '
            f'aria-rowindex="{row.position + 2}"><div role="gridcell" class="thread"></div>{"".join(cells)}</div>'
        )

    def _toned(self, values: Sequence[Any], cells: list[str]) -> tuple[list[str], str]:
        """The cells with the tones that conditions give them, and an attribute for a tone of the whole row."""
        tones: dict[str, str] = {}
        row = ""
        for place, name, tone in self._tones:
            if values[place] not in (True, 1):
                continue
            if tone.endswith(f" {ROW}"):
                row = row or f' data-tone="{safe(tone.removesuffix(f" {ROW}"))}"'
            else:
                tones.setdefault(name, tone)
        names = (field.name for _, field, _, _ in self._columns)
        toned = [
            cell.replace('class="', f'class="tone-{safe(tones[name])} ', 1).replace(" fits", "", 1)
            if name in tones
            else cell
            for name, cell in zip(names, cells, strict=True)
        ]
        return toned, row

    def changed(self, row: Row, pending: PendingRecord, over: Overlay, swap: bool = False) -> str:
        """A row with pending changes. swap: for replacing the row in a page that shows it."""
        wrong = {
            name: complaint.sentence
            for complaint in over.complaints
            for name in complaint.fields
            if complaint.code not in ("missing", "warning")
        }
        state = "conflict" if pending.conflict else pending.state
        row = row._replace(extra=over.extra)
        cells = [self._cell(row, pending, wrong, over, column) for column in self._columns]
        tone = ""
        if self._tones:
            cells, tone = self._toned(row.values + row.extra, cells)
        fault = " with an error" if wrong or pending.refusals else ""
        words = STATE_WORDS[state] + fault
        return (
            f'<div role="row" class="record" id="{self.prefix}row-{safe(row.id)}" data-id="{safe(row.id)}" data-at="{row.position}"{tone} '
            f'data-state="{safe(state)}"{" data-fault" if fault else ""} aria-rowindex="{row.position + 2}"'
            f'{swap_mark(swap)}><div role="gridcell" class="thread" title="{words}">'
            f'<span class="visually-hidden">{words}</span></div>{"".join(cells)}</div>'
        )

    def _cell(self, row: Row, pending: PendingRecord, wrong: Mapping[str, str], over: Overlay, column: Any) -> str:
        i, field, show, j = column
        name = field.name
        values = row.values + row.extra
        if name not in pending.now and name not in pending.texts:
            return show(values[i]) if j < 0 else show(values[i], row.shown[j] if row.shown else ())
        text = pending.texts.get(name)
        if text is not None:
            inner = _cell(field, text[:CUT])
        elif field.lookup:
            words = over.words(field, {**pending.was, **pending.now})
            inner = _cell(field, words[:CUT])
        else:
            inner = show(_short(pending.now[name], field))
        was = ""
        if pending.state != "new":
            was = f"was {over.words(field, pending.was)[:CUT] or 'empty'}"
        title = wrong.get(name) or was
        marks = "changed wrong" if name in wrong else "changed"
        invalid = ' aria-invalid="true"' if name in wrong else ""
        return inner.replace('class="', f'title="{safe(title)}"{invalid} class="{marks} ', 1)


def swap_mark(swap: bool) -> str:
    """What tells htmx to replace an element wherever the page shows it."""
    return ' hx-swap-oob="true"' if swap else ""


@derived
def row_writer(dataset: DatasetSpec, formats: Formats, prefix: str = "") -> RowWriter:
    """The writer for a dataset in a locale."""
    return RowWriter(dataset, formats, prefix)


_UNSAFE = re.compile("[&<>\"']").search


def safe(text: str) -> str:
    """A text as HTML; most have nothing in them that has to be written otherwise.

    Whatever is not written in this file goes through it: values, what formats add to them, ids, names, sentences.
    """
    return str(escape(text)) if _UNSAFE(text) else text


def _short(value: Any, field: FieldSpec) -> Any:
    """A whole value as a window would have read it."""
    if isinstance(value, bytes) and field.kind in ("picture", "binary"):
        return len(value)
    return value[:CUT] if isinstance(value, str) else value


# Pixels of a letter in a cell, in small letters and in capitals, and what is beside the text.
LETTER, CAPITAL, BESIDE = 8.5, 9.8, 18
WIDE = "\u2e80"  # from here on letters may be twice as wide


def fits(text: str, width: int) -> bool:
    """Whether a text is sure to be seen whole in a column: such cells are not clipped, since a browser spends more on a
    thousand clips than on all that is drawn in them."""
    letter = CAPITAL if text.isupper() else LETTER
    return len(text) * letter + BESIDE <= width and (text.isascii() or max(text, default="") < WIDE)


def _cell(field: FieldSpec, text: str, title: str = "", odd: bool = False) -> str:
    told = f'title="{safe(title)}" ' if title else ""
    more = (" odd" if odd else "") + (" fits" if fits(text, field.width) else "")
    return f'<div {told}role="gridcell" class="{safe(align_of(field))}{more}">{safe(text)}</div>'


def _cells(field: FieldSpec) -> Callable[[str], str]:
    """`_cell` of one field, for very many texts."""
    clipped, after = _cell(replace(field, width=0), "\0").split("\0")
    whole = _cell(replace(field, width=1000), "\0").split("\0")[0]
    width = field.width
    surely = (width - BESIDE) // CAPITAL  # as many letters fit, whatever they are

    def write(text: str) -> str:
        before = whole if (len(text) <= surely and text.isascii()) or fits(text, width) else clipped
        return before + (str(escape(text)) if _UNSAFE(text) else text) + after

    return write


def align_of(field: FieldSpec) -> str:
    """How a field's values stand in a grid: "start", "end" or "center"."""
    if field.align:
        return field.align
    return "start" if field.lookup else KINDS[field.kind].align


def tone_places(dataset: DatasetSpec) -> list[tuple[int, str, str]]:
    """(place among a row's values, field, tone) of the conditions that give a field a tone."""
    return [(dataset.numbers[name], field, tone) for name, field, tone in tones_of(dataset)]


def _shower(field: FieldSpec, formats: Formats) -> Callable[..., str]:
    """A function from a stored value, and what its lookup shows where it has one in a table, to its cell."""
    if field.lookup and field.lookup.table:
        return _lookup_shower(field, formats)
    plain = _plain_shower(field, formats)
    if not field.lookup:
        return plain
    ready = {value: _cell(field, shown) for value, shown in field.lookup.choices}
    kind, others = KINDS[field.kind], field.lookup.others

    def choose(value: Any) -> str:
        if value is None:
            return plain(value)
        return ready.get(kind.text(value, field)) or (plain(value) if others else _lacking(field, plain(value)))

    return choose


def _lookup_shower(field: FieldSpec, formats: Formats) -> Callable[[Any, Sequence[Any]], str]:
    lookup, plain = field.lookup, _plain_shower(field, formats)
    assert lookup is not None
    cell_of = _cells(field)
    ready: dict[str, str] = {}  # the same lines come again and again

    def show(value: Any, shown: Sequence[Any]) -> str:
        if len(shown) == 1 and type(shown[0]) is str:
            cell = ready.get(shown[0])
            if cell is None:
                cell = cell_of(shown_text(lookup, shown, formats) or "")  # of a file a date is a text as well
                if len(ready) < MOST_READY:
                    ready[shown[0]] = cell
            return cell
        text = shown_text(lookup, shown, formats) if shown else None
        if text is None:
            return plain(value) if value is None or lookup.others else _lacking(field, plain(value))
        return cell_of(text)

    return show


def _lacking(field: FieldSpec, cell: str) -> str:
    """A cell whose value its list lacks: shown as stored, and marked."""
    told = "This value is not in the list."
    return cell.replace('class="', f'title="{told}" class="odd ', 1)


def _plain_shower(field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
    """A function from a stored value to its cell."""
    kind = KINDS[field.kind]
    show = kind.formatter(field, formats)
    empty, cell_of = _cell(field, ""), _cells(field)
    usual: tuple[type, ...] = {"whole": (int,), "decimal": (int, float), "text": (str,), "longtext": (str,)}.get(
        field.kind, ()
    )
    is_text = field.kind in TEXTS
    reads_length = field.kind in ("picture", "binary")
    ready: dict[Any, str] = {}  # the same days and amounts come again and again

    def write(value: Any) -> str:
        if is_text and type(value) is str:
            return cell_of(value)
        if value is None:
            return empty
        if type(value) not in REMEMBERED:
            return written(value)
        cell = ready.get(value)
        if cell is None:
            cell = written(value)
            if len(ready) >= MOST_REMEMBERED:
                ready.clear()
            if value:  # 0.0 and -0.0 are equal, and not written alike
                ready[value] = cell
        return cell

    def written(value: Any) -> str:
        if type(value) in usual:
            return cell_of(show(value))
        if isinstance(value, ExpressionError):
            return _cell(field, "—", str(value), odd=True)
        text = show(value)
        if not reads_length and kind.is_nonconforming(value, field):
            told = f"Stored as {stored_as(value)}, which is not {kind.phrase}."
            return _cell(field, text, told, odd=True)
        return cell_of(text)

    return write
