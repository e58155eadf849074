"""What links a pending detail to its master, as text: by it the details of some masters are found in a draft of any size."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from enlace.core.draft import PendingRecord
from enlace.core.model.values import record_id

UNKNOWN_LINK = "?"
WAITS = "under "  # in front of a master's record id: its key is not known yet


def link_text(values: Sequence[Any]) -> str:
    """The text of some values of a master's columns; "" where one of them is none. Equal numbers have equal texts."""
    return "" if None in values else record_id(tuple(map(_plain, values)))


def _plain(value: Any) -> Any:
    if isinstance(value, bool) or not isinstance(value, int | float | Decimal):
        return value
    number = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
    if not number.is_finite():
        return str(number)
    return int(number) if number == number.to_integral_value() and abs(number.adjusted()) < 40 else number.normalize()


def links_of(record: PendingRecord, columns: Sequence[str], of: str) -> tuple[str, str]:
    """(was, now) of a pending detail. columns: those that hold its master's values. of: the master's part."""
    if not columns:
        return "", ""
    was = "" if record.state == "new" else link_text([record.was.get(name) for name in columns])
    waits = [source[1] for source in record.waits_for.values() if source[0] == of]
    if waits:
        return was, WAITS + waits[0]
    values = record.values()
    return was, link_text([values.get(name) for name in columns])


def links_to(identifier: str, values: Mapping[str, Any], columns: Sequence[str]) -> list[str]:
    """What the details of a master may hold. columns: the master's own ones."""
    own = link_text([values.get(name) for name in columns])
    return [name for name in (own, WAITS + identifier) if name]
