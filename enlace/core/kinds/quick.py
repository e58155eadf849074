"""Typed texts of one column read by the thousand: the plain forms at once, all others as their kind reads them."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ..model.dataset import FieldSpec
from . import KINDS
from .base import Kind
from .formats import Formats
from .numbers import Number, Whole, bounds
from .text import ANY, LongText, Text
from .times import Date

Read = Callable[[str], Any]
SAFE_DIGITS = 15  # of a decimal number that every storage keeps as it is written


def text_reader(field: FieldSpec, formats: Formats) -> Read:
    """A function from a typed text to the value that a new record stores, as the field's kind reads it.

    It raises Unreadable as the kind does. Made once for a column: what depends on the field alone is found out here.

    >>> read = text_reader(FieldSpec("eta", "ETA", "date"), Formats.of("pt_PT"))
    >>> read("2026-03-31"), read("31.3.2026")
    ('2026-03-31', '2026-03-31')
    """
    kind = KINDS[field.kind]

    def slow(text: str) -> Any:
        return kind.typed_over(text, None, field, formats)

    # By the very class: one that an extension derives from ours may read other forms, or fewer.
    make = _QUICK.get(type(kind))
    return make(field, formats, slow) if make and not field.format else slow


def same_over_any(field: FieldSpec) -> bool:
    """Whether a text stands for the same value whatever the field holds, so that it can be read before that is known."""
    kind = type(KINDS[field.kind])
    if kind.typed_over is Kind.typed_over:
        return True
    return kind in (Text, LongText) and field.storage != ANY


def _text(field: FieldSpec, formats: Formats, slow: Read) -> Read:
    if field.picture or field.pattern or field.text_check or field.storage in ("uuid", "json", ANY):
        return slow
    most = 2**63 if field.length is None else field.length

    def read(text: str) -> Any:
        return text if 0 < len(text) <= most and "\x00" not in text and "\r" not in text else slow(text)

    return read


def _whole(field: FieldSpec, formats: Formats, slow: Read) -> Read:
    least, greatest = bounds(field.storage)
    # As many digits as fit whatever they are.
    plain = re.compile(rf"{'-?' if least else ''}[0-9]{{1,{len(str(greatest)) - 1}}}")
    return lambda text: int(text) if plain.fullmatch(text) else slow(text)


def _decimal(field: FieldSpec, formats: Formats, slow: Read) -> Read:
    after = SAFE_DIGITS if field.scale is None else field.scale
    before = SAFE_DIGITS if field.precision is None else field.precision - (field.scale or 0)
    # Where the point is the sign of groups, "1.234" may be a thousand.
    fraction = rf"(\.[0-9]{{1,{after}}})?" if after > 0 and formats.group != "." else ""
    if before < 1 or field.storage == "float32":
        return slow
    plain, made = re.compile(rf"-?[0-9]{{1,{before}}}{fraction}"), float if _is_float(field) else Decimal

    def read(text: str) -> Any:
        return made(text) if len(text) <= SAFE_DIGITS and plain.fullmatch(text) else slow(text)

    return read


def _is_float(field: FieldSpec) -> bool:
    return field.storage.startswith("float")


def _date(field: FieldSpec, formats: Formats, slow: Read) -> Read:
    if field.storage in ("julian day", "unix seconds", "unix milliseconds"):
        return slow
    plain, native = re.compile("[0-9]{4}-[0-9]{2}-[0-9]{2}"), field.storage == "native"

    def read(text: str) -> Any:
        if plain.fullmatch(text):
            try:
                day = datetime.date.fromisoformat(text)
            except ValueError:
                return slow(text)  # which says what is wrong with it
            return day if native else text
        return slow(text)

    return read


_QUICK: dict[type[Kind], Callable[[FieldSpec, Formats, Read], Read]] = {
    Text: _text,
    LongText: _text,
    Whole: _whole,
    Number: _decimal,
    Date: _date,
}
