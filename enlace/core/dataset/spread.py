"""How the numbers of a field spread: in bars of one width, counted by the server."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from sqlalchemy import and_, case, func, select

from ..kinds import KINDS, Nonconforming
from ..server.dialects import server_kind
from ..server.engine import reading
from .groups import SECONDS
from .window import Rows

BARS = 16  # about as many


@dataclass(frozen=True)
class Bar:
    """Numbers from `least` on, and below `most`."""

    least: Decimal
    most: Decimal
    count: int


def spread(rows: Rows, name: str) -> list[Bar]:
    """The bars of a field's numbers over the rows; none where there are no two different numbers. Raises Problem, "slow" where
    counting takes longer than somebody waits for it.

    Two passes of the server, whatever the number of bars: one for the ends, one that counts all bars.
    """
    field = rows.dataset.any_name[name]
    # Calculated once for each row, however many bars it is compared with.
    met = select(rows.source.column(name).label("v")).select_from(rows.source_with([name])).where(rows.belonging())
    source = met.subquery("met")
    column = source.c.v
    kind = server_kind(rows.spec.kind)
    # What is calculated has no type of its own in a loosely typed server: it is a number beside numbers only.
    bound = float if kind.loosely_typed and name not in rows.dataset.by_name else kind.bound
    with reading(rows.spec) as connection, kind.limited(connection, SECONDS):
        ends = select(func.min(column), func.max(column)).select_from(source)
        least, most = (_number(field, raw) for raw in connection.execute(ends, rows.bound_values).one())
        if least is None or most is None or least == most:
            return []
        step = _step(most - least, field.kind == "whole")
        # From a multiple of the width on, so that the first bar begins at a round number too.
        first = (least / step).to_integral_value("ROUND_FLOOR") * step
        edges = [first + step * i for i in range(int((most - first) // step) + 1)]
        # Summed cases, not GROUP BY over a rounded quotient: servers round and divide in their own ways, all compare
        # alike.
        counts = [
            func.sum(case((and_(column >= bound(edge), column < bound(edge + step)), 1), else_=0)) for edge in edges
        ]
        counted = connection.execute(select(*counts).select_from(source), rows.bound_values).one()
    return [Bar(edge, edge + step, int(counted[i] or 0)) for i, edge in enumerate(edges)]


def _step(whole_way: Decimal, whole: bool) -> Decimal:
    """The width of a bar: one, two or five of a power of ten, so that bars begin at numbers that people read at a glance."""
    rough = whole_way / BARS
    power = Decimal(10) ** rough.adjusted()
    step = next(power * n for n in (1, 2, 5, 10) if power * n >= rough)
    return max(step, Decimal(1)) if whole else step


def _number(field: Any, raw: Any) -> Decimal | None:
    """A stored number as a decimal; None for what is none, such as a text in a column of numbers."""
    read = KINDS[field.kind].read(raw, field)
    number = None if read is None or isinstance(read, Nonconforming) else Decimal(str(read))
    return number if number is not None and number.is_finite() else None
