"""The pieces of the composer's page. Each act draws all of it anew, and changes little: an answer leaves out the pieces that the
page has already, which it would otherwise have to read and compare.
"""

from __future__ import annotations

import json
import re
from hashlib import blake2b

from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

SMALL = 400  # characters: leaving out less than that saves nothing
MOST_TOLD = 50_000  # characters of what a page says of its pieces
_OPENS = re.compile(r"\s*<([\w-]+)")


class Pieces:
    """What the page has: the seal of each piece, a digest of its HTML, by its name. Unknown names are never left out."""

    def __init__(self, there: str = "{}") -> None:
        """there: JSON, as the page tells it; what is none tells nothing."""
        try:
            told = json.loads(there[:MOST_TOLD])
        except (ValueError, RecursionError):
            told = {}
        self.there: dict[str, object] = told if isinstance(told, dict) else {}

    def control(self, identifier: str, html: SafeString) -> tuple[SafeString, SafeString]:
        """What stands in a control of the sheet. Its id may be any word, another piece's too."""
        return self.inside(f"control-{identifier}", html)

    def inside(self, name: str, html: SafeString) -> tuple[SafeString, SafeString]:
        """The attributes of an element, and what stands in it: nothing where the page has that."""
        if len(html) < SMALL:
            return mark_safe(""), html
        seal = blake2b(html.encode(), digest_size=9).hexdigest()
        same = self.there.get(name) == seal
        marked = format_html(' id="piece-{}" data-seal="{}"{}', name, seal, mark_safe(" data-same") if same else "")
        return marked, mark_safe("") if same else html

    def whole(self, name: str, html: SafeString) -> SafeString:
        """A piece that is one element, or an empty one in its place."""
        attributes, inner = self.inside(name, html)
        opens = _OPENS.match(html)
        if not attributes or opens is None:
            return html
        if not inner:
            return format_html("<{}{}></{}>", mark_safe(opens[1]), attributes, mark_safe(opens[1]))
        return mark_safe(f"{html[: opens.end()]}{attributes}{html[opens.end() :]}")
