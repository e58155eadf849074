"""Procedures and functions of a server: listed, each with the statement by which it is used from here."""

from __future__ import annotations

from collections.abc import Callable

from ..model.catalog import Routine
from ..model.connection import ConnectionSpec
from .dialects import server_kind
from .engine import reading


def routines_of(spec: ConnectionSpec) -> list[tuple[Routine, str]]:
    """The routines that the account may run, by name, each with the SELECT that reads what it gives, or the CALL of one
    that acts. Raises Problem.
    """
    with reading(spec) as connection:
        several = server_kind(spec.kind).routines(connection)
        quote = connection.dialect.identifier_preparer.quote
        filled = server_kind(spec.kind).filled_argument
    several.sort(key=lambda routine: (routine.name.lower(), routine.parameters))
    return [(routine, _statement(routine, quote, filled)) for routine in several]


def _statement(routine: Routine, quote: Callable[[str], str], filled: Callable[[str], str]) -> str:
    values = [f":{_parameter(name, place)}" for place, (name, _) in enumerate(routine.parameters, 1)]
    for place, name in routine.fills:
        values.insert(place, filled(_parameter(name, place + 1)))
    call = f"{quote(routine.name)}({', '.join(values)})"
    if routine.gives == "rows":
        return f"SELECT * FROM {call}"  # noqa: S608 (text for a builder's pad; its name is quoted, its values are bound)
    return f"CALL {call}" if routine.called else f"SELECT {call} AS value"


def _parameter(name: str, place: int) -> str:
    plain = "".join(letter if letter.isascii() and (letter.isalnum() or letter == "_") else "_" for letter in name)
    return plain if plain and plain[0].isalpha() else f"value_{place}"
