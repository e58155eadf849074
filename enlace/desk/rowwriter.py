"""The rows of a grid as HTML.

Written in Python and not in a template: a window has a hundred times as many cells as a page has anything
else, and here each field's writer is made once and then called for every row.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from html import escape
from typing import Any

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.window import CUT, Row
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS, Formats
from enlace.core.rules import Complaint

STATE_WORDS = {"edited": "edited", "new": "new", "removed": "to be removed", "conflict": "conflict"}


class RowWriter:
    """Writes rows of one dataset in one locale. Make it with `row_writer`, which keeps it."""

    def __init__(self, dataset: DatasetSpec, formats: Formats) -> None:
        self.dataset = dataset
        self._index = {field.name: i for i, field in enumerate(dataset.fields)}
        self._columns = [(self._index[f.name], f, _shower(f, formats)) for f in dataset.shown]

    def write(
        self,
        rows: Iterable[Row],
        pending: Mapping[str, PendingRecord],
        complaints: Callable[[PendingRecord], list[Complaint]],
    ) -> str:
        """The HTML of rows, pending changes laid over them."""
        return "".join(
            self.plain(row) if row.id not in pending else self.changed(row, pending[row.id], complaints) for row in rows
        )

    def plain(self, row: Row) -> str:
        """A row of which nothing is pending."""
        values = row.values
        cells = "".join([show(values[i]) for i, _, show in self._columns])
        return (
            f'<div role="row" class="record" id="row-{row.id}" data-id="{row.id}" data-at="{row.position}" '
            f'aria-rowindex="{row.position + 2}"><div role="gridcell" class="thread"></div>{cells}</div>'
        )

    def changed(
        self,
        row: Row,
        pending: PendingRecord,
        complaints: Callable[[PendingRecord], list[Complaint]],
        swap: bool = False,
    ) -> str:
        """A row with pending changes. swap: for replacing the row in a page that shows it."""
        wrong = {
            name: one.sentence
            for one in complaints(pending)
            for name in one.fields
            if one.code not in ("missing", "warning")
        }
        state = "conflict" if pending.conflict else pending.state
        cells = "".join(self._cell(row, pending, wrong, i, field, show) for i, field, show in self._columns)
        fault = " with an error" if wrong or pending.refusals else ""
        words = STATE_WORDS[state] + fault
        return (
            f'<div role="row" class="record" id="row-{row.id}" data-id="{row.id}" data-at="{row.position}" '
            f'data-state="{state}"{" data-fault" if fault else ""} aria-rowindex="{row.position + 2}"'
            f'{swap_mark(swap)}><div role="gridcell" class="thread" title="{words}">'
            f'<span class="visually-hidden">{words}</span></div>{cells}</div>'
        )

    def _cell(self, row, pending, wrong, i: int, field: FieldSpec, show: Callable[[Any], str]) -> str:
        name = field.name
        if name not in pending.now and name not in pending.texts:
            return show(row.values[i])
        text = pending.texts.get(name)
        inner = show(_short(pending.now[name], field)) if text is None else _cell(field, escape(text[:CUT]), "")
        was = (
            ""
            if pending.state == "new"
            else f"was {_plain_text(show(_short(pending.was.get(name), field))) or 'empty'}"
        )
        title = wrong.get(name) or was
        marks = "changed wrong" if name in wrong else "changed"
        invalid = ' aria-invalid="true"' if name in wrong else ""
        return inner.replace('class="', f'title="{escape(title)}"{invalid} class="{marks} ', 1)


def swap_mark(swap: bool) -> str:
    """What tells htmx to replace an element wherever the page shows it."""
    return ' hx-swap-oob="true"' if swap else ""


@lru_cache(maxsize=128)
def row_writer(dataset: DatasetSpec, formats: Formats) -> RowWriter:
    """The writer for a dataset in a locale."""
    return RowWriter(dataset, formats)


def _short(value: Any, field: FieldSpec) -> Any:
    """A whole value as a window would have read it."""
    if isinstance(value, bytes) and field.kind in ("picture", "binary"):
        return len(value)
    return value[:CUT] if isinstance(value, str) else value


def _plain_text(cell: str) -> str:
    from html import unescape

    return unescape(cell[cell.index(">") + 1 : cell.rindex("<")])


def _cell(field: FieldSpec, inner: str, more: str) -> str:
    return f'<div role="gridcell" class="{KINDS[field.kind].align}{more}">{inner}</div>'


def _shower(field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
    """A function from a stored value to its cell."""
    kind = KINDS[field.kind]
    show = kind.formatter(field, formats)
    empty = _cell(field, "", "")
    before, after = _cell(field, "\0", "").split("\0")
    usual: tuple[type, ...] = {"whole": (int,), "decimal": (int, float), "text": (str,), "longtext": (str,)}.get(
        field.kind, ()
    )
    numeric = field.kind in ("whole", "decimal")
    reads_length = field.kind in ("picture", "binary")

    def write(value: Any) -> str:
        if value is None:
            return empty
        if type(value) in usual:
            return before + (show(value) if numeric else escape(show(value))) + after
        text = escape(show(value))
        if not reads_length and kind.is_odd(value, field):
            told = f"Stored as {type(value).__name__}, which does not fit this field of kind “{kind.label.lower()}”."
            return _cell(field, text, " odd").replace("<div ", f'<div title="{escape(told)}" ', 1)
        return before + text + after

    return write
