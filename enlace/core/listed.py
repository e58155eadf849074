"""Names as people type several: apart by commas, in double quotes where a name holds one, as SQL writes identifiers."""

from __future__ import annotations

import re
from collections.abc import Iterable

_PIECE = re.compile(r'(?:"(?:[^"]|"")*"|[^,"]|")+')
_QUOTED = re.compile(r'"(?:[^"]|"")*"')


def pieces(text: str) -> list[str]:
    """What stands between the commas that are in no quotes, blanks around it left out."""
    return [piece for found in _PIECE.findall(text) if (piece := found.strip())]


def unquoted(piece: str) -> str:
    """The name that a piece stands for."""
    return piece[1:-1].replace('""', '"') if _QUOTED.fullmatch(piece) else piece


def quoted(name: str, more: str = "") -> str:
    """A name as one piece. more: a regular expression of what a plain one must not hold beside."""
    plain = name == name.strip() and not re.search(rf'[,"]|^$|{more or "^$"}', name, re.I)
    return name if plain else '"' + name.replace('"', '""') + '"'


def names_of(text: str) -> list[str]:
    """The names of a list."""
    return [name for piece in pieces(text) if (name := unquoted(piece))]


def names_text(names: Iterable[str]) -> str:
    """Names as a list that `names_of` reads."""
    return ", ".join(quoted(name) for name in names)
