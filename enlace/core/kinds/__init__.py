"""Field kinds. To add one, write its class and name it here."""

from __future__ import annotations

from .base import Kind, Nonconforming, Unreadable, raw_text, stored_as
from .binary import Binary, Picture, is_picture, size_text
from .formats import Formats
from .numbers import Number, Whole, YesNo
from .text import TEXTS, LongText, Text
from .times import Date, DateTime, Time

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (Text(), LongText(), Whole(), Number(), YesNo(), Date(), Time(), DateTime(), Picture(), Binary())
}

__all__ = [
    "KINDS",
    "TEXTS",
    "Formats",
    "Kind",
    "Nonconforming",
    "Unreadable",
    "is_picture",
    "raw_text",
    "size_text",
    "stored_as",
]
