"""An empty text and no value at all, told apart in files that have but one cell for both.

A cell with nothing in it is no value. A text with nothing in it is a lone apostrophe, and a text of apostrophes alone gets
one more, so that each comes back as what it was. JSON and XML have a way of their own for both: their readers give what
those say in the same form.
"""

from __future__ import annotations

import re

MARK = "'"
EMPTY_TEXT = "\0"  # behind a reader: no text of a database or of a person has it
ALONE = re.compile(f"{MARK}*")


def marked(text: str) -> str:
    """A text as a cell of a file has it.

    >>> marked("North quay"), marked(""), marked("'")
    ('North quay', "'", "''")
    """
    return MARK + text if text[:1] in (MARK, "") and ALONE.fullmatch(text) else text


def unmarked(cell: str) -> str:
    """The text behind a cell: EMPTY_TEXT for an empty one, "" for no value.

    >>> [unmarked(marked(text)) for text in ("", "'", "x")] == [EMPTY_TEXT, "'", "x"], unmarked("")
    (True, '')
    """
    if cell == MARK:
        return EMPTY_TEXT
    return cell[1:] if cell and ALONE.fullmatch(cell) else cell
