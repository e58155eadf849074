"""Stand-in values: where a record waits while another one takes its unique value."""

from __future__ import annotations

import secrets
from typing import Any

from ..kinds.numbers import bounds
from ..model.dataset import DatasetSpec, FieldSpec
from .plan import Act


def stand_ins(dataset: DatasetSpec, act: Act) -> dict[str, Any]:
    """A stand-in for each unique column that an act changes, the key apart; empty when there is none to be had."""
    unique = {name for columns in dataset.uniques for name in columns}
    values = {}
    for name in act.record.now:
        if name not in unique or name in dataset.key:
            continue
        value = _stand_in(dataset.by_name[name])
        if value is _NONE:
            return {}
        values[name] = value
    return values


_NONE = object()


def _stand_in(field: FieldSpec) -> Any:
    if field.nullable:
        return None
    if field.kind in ("text", "longtext") and not field.storage:
        return ("~" + secrets.token_hex(12))[: field.length or 25]
    if field.kind == "whole":
        least, greatest = bounds(field.storage)
        # Small negative numbers: those that somebody numbers rows with are positive.
        return -1 - secrets.randbelow(min(-least, 2**30)) if least < 0 else greatest - secrets.randbelow(greatest // 2)
    return _NONE
