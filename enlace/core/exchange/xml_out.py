"""Rows as XML 1.0: an element a row, an element a value; the name of a value stands in an attribute where it is no name of XML."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any
from xml.sax.saxutils import escape, quoteattr

NAME = re.compile(r"[A-Za-z_][\w.-]*", re.ASCII)
# Characters that XML 1.0 can't hold, not even escaped.
BARRED = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def xml_rows(names: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[str]:
    """The document, a row at a time. A value of None has no element."""
    yield '<?xml version="1.0" encoding="UTF-8"?>\n<rows>\n'
    opens = [f"<{n}>" if NAME.fullmatch(n) else f"<value name={quoteattr(n)}>" for n in names]
    closes = [f"</{n}>" if NAME.fullmatch(n) else "</value>" for n in names]
    for row in rows:
        cells = (
            f"{opens[i]}{escape(BARRED.sub('�', str(value)))}{closes[i]}"
            for i, value in enumerate(row)
            if value is not None
        )
        yield f"<row>{''.join(cells)}</row>\n"
    yield "</rows>\n"
