"""Parts of a dataset's spec as JSON and back, for those who keep definitions."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from ..model.dataset import ColumnSpec, DetailSpec, LookupSpec


def as_json(spec: LookupSpec | DetailSpec) -> dict[str, Any]:
    """A lookup or a detail as what `json` can write."""
    return asdict(spec)


def lookup_of(kept: dict[str, Any] | None) -> LookupSpec | None:
    """The lookup that `as_json` made; None for nothing."""
    if not kept:
        return None
    return LookupSpec(
        **{
            **kept,
            "shows": tuple(kept.get("shows", ())),
            "columns": _columns(kept.get("columns", ())),
            "also": _pairs(kept.get("also", ())),
            "choices": _pairs(kept.get("choices", ())),
        }
    )


def detail_of(kept: dict[str, Any]) -> DetailSpec:
    """The detail that `as_json` made."""
    return DetailSpec(
        kept["name"],
        kept["table"],
        tuple(kept["columns"]),
        tuple(kept["master_columns"]),
        _columns(kept["fields"]),
    )


def _columns(kept: Any) -> tuple[ColumnSpec, ...]:
    return tuple(ColumnSpec(**item) for item in kept)


def _pairs(kept: Any) -> tuple[tuple[str, str], ...]:
    return tuple((item[0], item[1]) for item in kept)
