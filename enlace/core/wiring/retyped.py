"""Fields whose column is of another kind by now than it was when the dataset was shaped, or is gone; and tables that are."""

from __future__ import annotations

import re
from collections.abc import Iterator

from .base import Fault, Wired

# By what a type's name begins with or holds, on any server: a project may have moved to another one, where the same kind of
# column has another name.
FAMILIES = (
    ("a text", r"CHAR|CLOB|TEXT|STRING|UUID|JSON|ENUM|XML"),
    ("bytes", r"BLOB|BYTEA|BINARY|RAW|IMAGE"),
    ("a date or a time", r"DATE|TIME"),
    ("a number", r"INT|SERIAL|NUM|DEC|REAL|FLOAT|DOUBLE|MONEY|BOOL|BIT"),
)


def family_of(type_text: str) -> str:
    """What a column of a type holds, in words; "" for a type that tells nothing.

    >>> family_of("timestamp without time zone"), family_of("VARCHAR(9)"), family_of("int4"), family_of("geometry")
    ('a date or a time', 'a text', 'a number', '')
    """
    return next((words for words, names in FAMILIES if re.search(names, type_text, re.I)), "")


def unlike(one_type: str, other_type: str) -> tuple[str, str] | None:
    """What columns of two types hold, in words, where that is not the same; None where it is, or a type tells nothing.

    >>> unlike("VARCHAR(9)", "int4"), unlike("int4", "NUMERIC"), unlike("geometry", "int4")
    (('a text', 'a number'), None, None)
    """
    mine, theirs = family_of(one_type), family_of(other_type)
    return (mine, theirs) if mine and theirs and mine != theirs else None


def retyped(wired: Wired) -> Iterator[Fault]:
    for source, types in wired.types.items():
        dataset = wired.datasets.get(source)
        if dataset and not types:
            yield Fault("retyped", f"The table {dataset.table} is not there any more.", "error", "", source)
            continue
        for field in dataset.fields if dataset else ():
            if field.name not in types:
                sentence = f"{field.label} has no column in the table any more. The sheet of the dataset offers to take it out."
                yield Fault("retyped", sentence, "error", "", source, field=field.name)
            if held := unlike(field.type_text, types.get(field.name, "")):
                was, now = held
                sentence = (
                    f"{field.label} is {now} in the table by now ({types[field.name]}), and was {was} ({field.type_text}) "
                    "when its dataset was shaped. The sheet of the dataset offers to take it as it is now."
                )
                yield Fault("retyped", sentence, "error", "", source, field=field.name)
