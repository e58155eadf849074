"""The order and the filters of a page as they stand in its address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from urllib.parse import urlencode

from enlace.core.dataset.empty_order import EMPTY
from enlace.core.dataset.grouping import MOST_TERMS as MOST_LEVELS
from enlace.core.dataset.grouping import GroupTerm

ONLY = "only-"  # what begins the name of a filter's box
CONDITIONS = (
    ""  # among filters, in the place of a field's name: conditions built from parts, as `core.view` writes them
)
ORDER = "order"  # a field's name, "-" in front of it for descending; given once for each term (see `empty_order` too)
GROUP = (
    "group"  # a field's name and what its values are put together by, with a colon between, "-" in front as in an order
)
GIVEN = "given-"  # what begins the name of a value that a form's query asks for
ARRANGED = "arranged"  # the token of an arrangement that the address shares
MOST_TERMS = 8
Terms = Sequence[tuple[str, bool]]  # (field, descending)


def terms_in(texts: Sequence[str]) -> list[tuple[str, bool]]:
    """The terms of an order as addresses name them, each field once."""
    terms: dict[str, bool] = {}
    for text in texts[: 4 * MOST_TERMS]:
        if text:
            terms.setdefault(text.removeprefix("-"), text.startswith("-"))
    return list(terms.items())[:MOST_TERMS]


def groups_in(texts: Sequence[str]) -> tuple[GroupTerm, ...]:
    """The groups that an address asks for, from the outermost one, each field once."""
    terms: dict[str, GroupTerm] = {}
    for text in texts[: 4 * MOST_LEVELS]:
        name, _, by = text.removeprefix("-").rpartition(":")
        if name and by:
            terms.setdefault(name, GroupTerm(name, by, text.startswith("-")))
    return tuple(terms.values())[:MOST_LEVELS]


def groups_text(groups: Sequence[GroupTerm]) -> str:
    """Groups as they stand in addresses."""
    return urlencode([(GROUP, f"{'-' * term.descending}{term.field}:{term.by}") for term in groups])


def filters_in(given: Mapping[str, str]) -> dict[str, str]:
    """What an address says of filters, by field."""
    return {name.removeprefix(ONLY): said for name, said in given.items() if name.startswith(ONLY)}


def filters_text(filter_texts: Mapping[str, str]) -> str:
    """Filters as they stand in addresses."""
    return urlencode([(ONLY + name, said) for name, said in filter_texts.items()])


def order_text(terms: Terms) -> str:
    """An order as it stands in addresses: said even where there is none, since the dataset's own is meant then."""
    return urlencode([(ORDER, ("-" if down else "") + name) for name, down in terms] or [(ORDER, "")])


def view_text(terms: Terms, filter_texts: Mapping[str, str], groups: Sequence[GroupTerm] = ()) -> str:
    """An order, filters and groups as a query string, which all acts of a page hand on."""
    return "&".join(filter(None, [order_text(terms), filters_text(filter_texts), groups_text(groups)]))


def pressed(terms: Terms, name: str) -> list[tuple[str, bool]]:
    """The order after a heading was pressed: by its field alone, and the other way round when it was so already."""
    fields = [term for term in terms if term[0] != name + EMPTY]
    return [*_placed(terms, name), (name, fields == [(name, False)])]


def added(terms: Terms, name: str) -> list[tuple[str, bool]]:
    """The order with a field behind its terms; one that is in it turns round, and then goes out of it."""
    known = dict(terms)
    if name not in known:
        return [*terms, (name, False)]
    if not known[name]:
        return [(other, True if other == name else down) for other, down in terms]
    return [(other, down) for other, down in terms if other not in (name, name + EMPTY)]


def _placed(terms: Terms, name: str) -> list[tuple[str, bool]]:
    """What an order says of where the empty ones of a field go."""
    return [term for term in terms if term[0] == name + EMPTY]
