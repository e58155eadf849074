"""Rows as CSV (RFC 4180), some at a time."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any

from .empties import EMPTY_TEXT, MARK

# After OWASP's advice on CSV injection: what a spreadsheet would take for a formula begins so.
FORMULA = ("=", "+", "-", "@", "\t", "\r")
# One that begins with an apostrophe gets a second one: otherwise taking it off would take one that was there.
RISKY = frozenset((*FORMULA, "'"))
AT_ONCE = 500  # rows that are written together


def guarded(text: str) -> str:
    """A text that no spreadsheet takes for a formula: an apostrophe in front where it would. `unguarded` takes it off.

    >>> guarded("=1+1"), guarded("North quay"), unguarded(guarded("=1+1"))
    ("'=1+1", 'North quay', '=1+1')
    """
    return f"'{text}" if text[:1] in RISKY else text


def unguarded(text: str) -> str:
    """The text behind what `guarded` made."""
    return text[1:] if text.startswith("'") and text[1:2] in RISKY else text


def csv_cell(text: str) -> str:
    """A text as a cell of a CSV file: guarded, an empty one told from no value as in other files (see `empties`)."""
    return guarded(text) or MARK


def csv_text(cell: str) -> str:
    """The text behind what `csv_cell` made: EMPTY_TEXT for an empty one, "" for no value."""
    return EMPTY_TEXT if cell == MARK else unguarded(cell)


def csv_lines(heads: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """The lines of a CSV file, its heads first, some at a time; each ends with CR LF.

    rows: of texts, numbers, and None for a cell without a value.

    >>> list(csv_lines(["berth", "said"], [["N3", "deep, for now"]]))
    ['berth,said\\r\\n', 'N3,"deep, for now"\\r\\n']
    """
    left = iter(rows)
    several: Iterable[Sequence[Any]] = [heads]
    while several:
        text = io.StringIO(newline="")
        csv.writer(text).writerows(several)
        yield text.getvalue()
        several = list(islice(left, AT_ONCE))
