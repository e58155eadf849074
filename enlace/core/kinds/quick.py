"""Typed texts of one column read by the thousand: the plain forms at once, all others as their kind reads them."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from ..model.dataset import FieldSpec
from ..model.whole_column import BETWEEN, WholeColumn, looked_up, of_classes, whole
from . import KINDS
from .base import Kind
from .formats import Formats
from .numbers import Number, Whole, bounds
from .text import ANY, LongText, Text
from .times import Date

Read = Callable[[str], Any]
ReadAll = Callable[[Sequence[str]], WholeColumn[Any] | None]
SAFE_DIGITS = 15  # of a decimal number that every storage keeps as it is written
WORDS = r"[^\0\r]+"  # any text but an empty one
LONGEST = 2**31  # characters of any text


class Plain(NamedTuple):
    """The plain form of a field's texts. pattern: of a whole text. gives: the class of the values. longest: in characters. make:
    from a text of that form to the value; it raises ValueError where there is none after all."""

    pattern: str
    gives: type
    make: Read
    longest: int = LONGEST


def text_reader(field: FieldSpec, formats: Formats) -> Read:
    """A function from a typed text to the value that a new record stores, as the field's kind reads it.

    It raises Unreadable as the kind does. Made once for a column: what depends on the field alone is found out here.

    >>> read = text_reader(FieldSpec("eta", "ETA", "date"), Formats.of("pt_PT"))
    >>> read("2026-03-31"), read("31.3.2026")
    ('2026-03-31', '2026-03-31')
    """
    kind, form = KINDS[field.kind], _plain(field, formats)

    def slow(text: str) -> Any:
        return kind.typed_over(text, None, field, formats)

    if form is None:
        return slow
    plain, make, longest = re.compile(form.pattern), form.make, form.longest

    def read(text: str) -> Any:
        if len(text) <= longest and plain.fullmatch(text):
            try:
                return make(text)
            except ValueError:
                pass  # the kind says what is wrong with it
        return slow(text)

    return read


def column_reader(field: FieldSpec, formats: Formats) -> ReadAll:
    """A function from texts to the values that `text_reader` reads, where all of them are in the plain form; else to None.

    >>> read = column_reader(FieldSpec("pieces", "Pieces", "whole"), Formats.of("pt_PT"))
    >>> read(["12", "-7"]), read(["12", "1 200"])
    ([12, -7], None)
    """
    form = _plain(field, formats)
    if form is None:
        return lambda texts: None
    plain, make, longest = re.compile(f"(?:(?:{form.pattern}){BETWEEN})*"), form.make, form.longest

    def read(texts: Sequence[str]) -> WholeColumn[Any] | None:
        texts = whole(texts)
        if texts.repeats:
            distinct = WholeColumn(texts.distinct)
            values = read_all(distinct)
            told = None if values is None else dict(zip(distinct, values, strict=True))
            return None if told is None else looked_up(texts, told)
        return read_all(texts)

    def read_all(texts: WholeColumn[str]) -> WholeColumn[Any] | None:
        if texts.has_between or texts.longest > longest:
            return None
        # What few characters are excluded from is found faster by looking for these.
        fits = not ("\r" in texts.joined or "" in texts) if form.pattern == WORDS else plain.fullmatch(texts.joined)
        if not fits:
            return None
        try:
            # Texts stay the same column: how long they are, and more, is known of it by now.
            return texts if make is str else of_classes(map(make, texts), {form.gives})
        except ValueError:
            return None

    return read


def same_over_any(field: FieldSpec) -> bool:
    """Whether a text stands for the same value whatever the field holds, so that it can be read before that is known."""
    kind = type(KINDS[field.kind])
    if kind.typed_over is Kind.typed_over:
        return True
    return kind in (Text, LongText) and field.storage != ANY


def _plain(field: FieldSpec, formats: Formats) -> Plain | None:
    # By the very class: one that an extension derives from ours may read other forms, or fewer.
    make = _FORMS.get(type(KINDS[field.kind]))
    return make(field, formats) if make and not field.format else None


def _text(field: FieldSpec, formats: Formats) -> Plain | None:
    if field.picture or field.pattern or field.text_check or field.storage in ("uuid", "json", ANY):
        return None
    # How many characters it may have is looked at apart: a pattern that counts is slower.
    return Plain(WORDS, str, str, LONGEST if field.length is None else field.length)


def _whole(field: FieldSpec, formats: Formats) -> Plain | None:
    least, greatest = bounds(field.storage)
    # As many digits as fit whatever they are.
    return Plain(rf"{'-?' if least else ''}[0-9]{{1,{len(str(greatest)) - 1}}}", int, int)


def _decimal(field: FieldSpec, formats: Formats) -> Plain | None:
    after = SAFE_DIGITS if field.scale is None else field.scale
    before = SAFE_DIGITS if field.precision is None else field.precision - (field.scale or 0)
    # Where the point is the sign of groups, "1.234" may be a thousand.
    fraction = rf"(?:\.[0-9]{{1,{after}}})?" if after > 0 and formats.group != "." else ""
    if before < 1 or field.storage.startswith("float32"):
        return None
    made = float if field.storage.startswith("float") else Decimal
    return Plain(rf"-?[0-9]{{1,{before}}}{fraction}", made, made, SAFE_DIGITS)


def _date(field: FieldSpec, formats: Formats) -> Plain | None:
    if field.storage in ("julian day", "unix seconds", "unix milliseconds"):
        return None
    native = field.storage == "native"
    gives, make = (datetime.date, datetime.date.fromisoformat) if native else (str, _real_day)
    return Plain("[0-9]{4}-[0-9]{2}-[0-9]{2}", gives, make)


def _real_day(text: str) -> str:
    """The text of a day, where there is one. Raises ValueError."""
    datetime.date.fromisoformat(text)
    return text


_FORMS: dict[type[Kind], Callable[[FieldSpec, Formats], Plain | None]] = {
    Text: _text,
    LongText: _text,
    Whole: _whole,
    Number: _decimal,
    Date: _date,
}
