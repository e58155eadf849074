"""Rows as XML 1.0: an element a row, an element a value; the name of a value stands in an attribute where it is no name of XML."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from .outgoing import Inside

NAME = re.compile(r"[A-Za-z_][\w.-]*", re.ASCII)
# Characters that XML 1.0 can't hold, not even escaped.
BARRED = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def xml_rows(names: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """The document, a row at a time. A value of None has no element; records inside are rows of the element they stand in."""
    yield '<?xml version="1.0" encoding="UTF-8"?>\n<rows xml:space="preserve">\n'
    tags = [_tags(name) for name in names]
    for row in rows:
        yield f"{_row(tags, row)}\n"
    yield "</rows>\n"


def _tags(name: str) -> tuple[str, str]:
    return (f"<{name}>", f"</{name}>") if NAME.fullmatch(name) else (f"<value name={quoteattr(name)}>", "</value>")


def _row(tags: Sequence[tuple[str, str]], row: Sequence[Any]) -> str:
    cells = (
        f"{opens}{_text(value)}{closes}" for (opens, closes), value in zip(tags, row, strict=True) if value is not None
    )
    return f"<row>{''.join(cells)}</row>"


def _text(value: Any) -> str:
    if isinstance(value, Inside):
        tags = [_tags(head) for head in value.heads]
        return "".join(_row(tags, row) for row in value.rows)
    # A reader takes any line end for LF, but not one that is escaped (XML 1.0, section 2.11).
    return escape(BARRED.sub("�", str(value)), {"\r": "&#13;"})
