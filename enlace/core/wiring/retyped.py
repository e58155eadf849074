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
            was, now = family_of(field.type_text), family_of(types.get(field.name, ""))
            if was and now and was != now:
                sentence = (
                    f"{field.label} is {now} in the table by now ({types[field.name]}), and was {was} ({field.type_text}) "
                    "when its dataset was shaped. The sheet of the dataset offers to take it as it is now."
                )
                yield Fault("retyped", sentence, "error", "", source, field=field.name)
