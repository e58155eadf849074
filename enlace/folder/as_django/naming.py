"""Names of a database as names of Python."""

from __future__ import annotations

import keyword
import re
import unicodedata
from collections.abc import Iterable

RESERVED = {"pk", "objects", "check", "clean", "delete", "save", "full_clean", "refresh_from_db", "from_db", "id_id"}


def heading(text: str) -> str:
    """The first lines of a module. text: a sentence, which may hold a name that somebody gave."""
    plain = text.replace("\\", "/").replace('"', "'")
    return f'"""{plain} Made from a project of Enlace; it needs nothing of that."""\n\n'


def _plain(text: str) -> str:
    return unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()


def class_name(text: str, taken: Iterable[str]) -> str:
    """A class after a table or a form, told from others by a number."""
    words = re.findall(r"[A-Za-z0-9]+", _plain(text))
    name = "".join(word[:1].upper() + word[1:] for word in words) or "Table"
    return _own(f"T{name}" if name[0].isdigit() else name, set(taken))


def attribute(text: str, taken: Iterable[str]) -> str:
    """An attribute after a column, as Django wants it: no two underscores in a row, none at the end."""
    name = re.sub(r"_+", "_", re.sub(r"[^a-z0-9]+", "_", _plain(text).lower())).strip("_") or "field"
    name = f"f_{name}" if name[0].isdigit() else name
    if keyword.iskeyword(name) or keyword.issoftkeyword(name) or name in RESERVED:
        name = f"{name}_value"
    return _own(name, set(taken))


def _own(name: str, taken: set[str]) -> str:
    own, count, taken = name, 1, {other.lower() for other in taken}
    while own.lower() in taken:  # Django keeps models apart by small letters
        count += 1
        own = f"{name}{count}"
    return own
