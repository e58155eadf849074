"""What goes out: tables of rows, and records with those that belong to them inside."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..kinds import KINDS, Nonconforming, raw_text
from ..model.dataset import FieldSpec

CUT_OFF = "… (cut off here: a cell holds no more)"  # the end of a text that is longer than a format allows


@dataclass(frozen=True)
class Sheet:
    """One table of a file. title: for people. name: of its table, "" where it has none. rows: of values in the order of the
    heads: None, yes and no, numbers, texts, dates and times. schema: its Table Schema, for a Data Package."""

    title: str
    heads: Sequence[str]
    rows: Iterable[Sequence[Any]]
    name: str = ""
    schema: Mapping[str, Any] = field(default_factory=dict)


def value_out(field: FieldSpec, raw: Any) -> Any:
    """A stored value as one of its field's kind; one that is none goes out as the text that it is."""
    if raw is None:
        return None
    read = KINDS[field.kind].read(raw, field)
    if isinstance(read, Nonconforming):
        return raw_text(raw)
    return bool(read) if field.kind == "yesno" else read


@dataclass(frozen=True)
class Inside:
    """Records that stand inside of another one, as a value of it: for formats that can hold such."""

    heads: Sequence[str]
    rows: Sequence[Sequence[Any]]
