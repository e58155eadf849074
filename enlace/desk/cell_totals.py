"""What chosen cells come to: how many have a value, how many different ones, and of numbers the sum, the average and the ends."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_GET

from enlace.core import exact
from enlace.core.dataset import FieldSpec
from enlace.core.dataset.totals import NUMBERS
from enlace.core.kinds import KINDS, Nonconforming
from enlace.core.kinds.patterns import BadPattern

from .contexts import on_grid
from .controls.base import records_of
from .opening import grid_from, number_from, on_form
from .work import Work

MOST_ROWS = 10_000
AT_ONCE = 500


@require_GET
@on_form
def chosen_cells(request: HttpRequest, work: Work) -> JsonResponse:
    """The words for a block of cells, the draft counted in. from, count: its rows; column, wide: its columns in a grid."""
    start, count = number_from(request, "from", 0), number_from(request, "count", 0)
    column, wide = number_from(request, "column", 0), number_from(request, "wide", 1, 1000)
    fields = on_grid(work, grid_from(request)).shown[column : column + wide]
    if count > MOST_ROWS:
        write = work.formats.number()
        more = f"{write(count * len(fields))} cells; of at most {write(MOST_ROWS)} rows they are added up here"
        return JsonResponse({"words": f"{more}. Totals in the column's menu add up all rows."})
    return JsonResponse({"words": _words(work, fields, _values(work, fields, start, count), count * len(fields))})


def _values(work: Work, fields: Iterable[FieldSpec], start: int, count: int) -> list[tuple[FieldSpec, Any]]:
    """The values of the cells that have one, each with its field."""
    several = list(fields)
    values = []
    # In pieces, so that ten thousand wide rows never stand in memory together.
    for first in range(start, start + count, AT_ONCE):
        rows, pending = work.window(first, min(AT_ONCE, start + count - first))
        for record in records_of(work, rows, pending):
            values += [(field, record.get(field.name)) for field in several if record.get(field.name) is not None]
    return values


def _words(work: Work, fields: Iterable[FieldSpec], values: list[tuple[FieldSpec, Any]], cells: int) -> str:
    write = work.formats.number()
    parts = [f"{write(cells)} cells", f"{write(len(values))} with a value"]
    # By their text: 1 and 1.0 are one number to Python and two to a person; bytes and lists have none to compare by.
    different = len({(field.name, repr(value)) for field, value in values})
    parts.append(f"{write(different)} different")
    numbers = [number for field, value in values if (number := _number(field, value)) is not None]
    if not numbers:
        return ", ".join(parts)
    total = exact.total(numbers)
    least, greatest = min(numbers, key=exact.rank), max(numbers, key=exact.rank)
    average = exact.divided(total, len(numbers))
    for name, value in (("sum", total), ("average", average), ("least", least), ("greatest", greatest)):
        parts.append(f"{name} {_written(work, value)}")
    return ", ".join(parts)


def _number(field: FieldSpec, value: Any) -> Decimal | None:
    """A value of a field of numbers, to the last digit; what a list shows in its place is no number."""
    if field.kind not in NUMBERS or field.lookup:
        return None
    read = KINDS[field.kind].read(value, field)
    return None if isinstance(read, Nonconforming) else Decimal(str(read))


def _written(work: Work, value: Decimal) -> str:
    """A number with its digits, but no more than six behind the point."""
    if not value.is_finite():
        return str(value)
    short = exact.WIDE.normalize(exact.rounded(value, 6))
    field = FieldSpec("n", "", "decimal", scale=max(0, -int(short.as_tuple().exponent)))
    try:
        return KINDS["decimal"].formatter(field, work.formats)(short)
    except (BadPattern, ValueError):
        return str(short)
