"""The order and the filters of a page as they stand in its address."""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlencode

from enlace.core.dataset.order import total_order
from enlace.core.dataset.source import SHOWN
from enlace.core.dataset.window import Rows

ONLY = "only-"  # what begins the name of a filter's box


def filters_in(given: Mapping[str, str]) -> dict[str, str]:
    """What an address says of filters, by field."""
    return {name.removeprefix(ONLY): said for name, said in given.items() if name.startswith(ONLY)}


def filters_text(filter_texts: Mapping[str, str]) -> str:
    """Filters as they stand in addresses."""
    return urlencode([(ONLY + name, said) for name, said in filter_texts.items()])


def view_text(rows: Rows, filter_texts: Mapping[str, str]) -> str:
    """An order and filters as a query string, which all acts of a page hand on."""
    return "&".join(filter(None, [urlencode([("order", order_text(rows))]), filters_text(filter_texts)]))


def order_text(rows: Rows) -> str:
    """The order as it stands in addresses: a field's name, "-" in front of it for descending; "" for the dataset's own."""
    if not rows.order or rows.order == total_order(rows.dataset):
        return ""
    return leading(rows)


def leading(rows: Rows) -> str:
    """The field that leads in the order of rows, "-" in front of it for descending."""
    first = rows.order[0]
    return ("-" if first.descending else "") + first.column.removeprefix(SHOWN)
