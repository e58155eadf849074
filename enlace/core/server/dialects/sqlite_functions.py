"""Functions that SQLite lacks and expressions and searches need; every connection is given them."""

from __future__ import annotations

import sqlite3
import unicodedata
from decimal import ROUND_HALF_UP, Decimal
from typing import Any


def folded(text: Any) -> Any:
    """A text without capitals and accents, to search in; other values as they are."""
    if not isinstance(text, str):
        return text
    if text.isascii():
        return text.lower()
    return "".join(c for c in unicodedata.normalize("NFD", text.casefold()) if not unicodedata.combining(c))


def number(text: Any) -> Any:
    """A text as a number; None where it is none."""
    if not isinstance(text, str):
        return text
    try:
        read = Decimal(text.strip())
    except ArithmeticError:
        return None
    if not read.is_finite():
        return None
    return int(read) if read == read.to_integral_value() and abs(read) < 2**63 else float(read)


def rounded(value: Any, places: Any) -> Any:
    """A number with so many digits after the point: halves of what it shows, not of its binary fraction, go up."""
    if not isinstance(value, int | float) or not isinstance(places, int):
        return None
    try:
        made = Decimal(repr(value)).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    except ArithmeticError:
        return value
    return int(made) if places <= 0 and abs(made) < 2**63 else float(made)


def give(connection: sqlite3.Connection) -> None:
    """Give a connection the functions."""
    connection.create_function("enlace_fold", 1, folded, deterministic=True)
    connection.create_function("enlace_number", 1, number, deterministic=True)
    connection.create_function("enlace_round", 2, rounded, deterministic=True)
