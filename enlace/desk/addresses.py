"""What a person asked to see of a page as it stands in its address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from urllib.parse import urlencode

from enlace.core.dataset.empty_order import EMPTY
from enlace.core.dataset.grouping import GroupTerm
from enlace.core.view import Asked, conditions_of, to_text
from enlace.core.view.asked import Term

ONLY = "only-"  # what begins the name of a filter's box; alone it names the conditions built from parts
ORDER = "order"  # a field's name, "-" in front of it for descending (see `said_way`); given once for each term (see `empty_order` too)
GROUP = (
    "group"  # a field's name and what its values are put together by, with a colon between, "-" in front as in an order
)
GIVEN = "given-"  # what begins the name of a value that a form's query asks for
ARRANGED = "arranged"  # the token of an arrangement that the address shares
MOST_READ = 40  # terms of an order, or groups, of an address that anybody can write
Terms = Sequence[Term]


def asked_in(given: Mapping[str, Sequence[str]]) -> Asked:
    """What an address asks for. given: by name, all values that it has. Raises Problem for conditions that are none."""
    order = [_read(text) for text in given.get(ORDER, ())[:MOST_READ] if text]
    boxes = {name.removeprefix(ONLY): texts[-1] for name, texts in given.items() if name.startswith(ONLY) and texts}
    conditions = conditions_of(boxes.pop("", ""))
    groups = []
    for text in given.get(GROUP, ())[:MOST_READ]:
        said, down = _read(text)
        name, _, by = said.rpartition(":")
        if name and by:
            groups.append(GroupTerm(name, by, down))
    return Asked.made(order, boxes, conditions, groups)


def said_way(name: str, down: bool) -> str:
    """A term of an order or a group as addresses have it. A name that begins like a sign has one in front of it always."""
    return ("-" if down else "+" if name.startswith(("-", "+")) else "") + name


def _read(text: str) -> Term:
    return (text[1:], text.startswith("-")) if text.startswith(("-", "+")) else (text, False)


def groups_text(groups: Sequence[GroupTerm]) -> str:
    """Groups as they stand in addresses."""
    return urlencode([(GROUP, said_way(f"{term.field}:{term.by}", term.descending)) for term in groups])


def filters_text(asked: Asked) -> str:
    """Filters as they stand in addresses."""
    conditions = [(ONLY, to_text(asked.conditions))] if asked.conditions else []
    return urlencode([*((ONLY + name, text) for name, text in asked.boxes), *conditions])


def order_text(terms: Terms) -> str:
    """An order as it stands in addresses: said even where there is none, since the dataset's own is meant then."""
    return urlencode([(ORDER, said_way(name, down)) for name, down in terms] or [(ORDER, "")])


def view_text(asked: Asked) -> str:
    """All that is asked for as a query string, which all acts of a page hand on."""
    return "&".join(filter(None, [order_text(asked.order), filters_text(asked), groups_text(asked.groups)]))


def pressed(terms: Terms, name: str) -> list[Term]:
    """The order after a heading was pressed: by its field alone, and the other way round when it was so already."""
    # What it says of where the empty ones of the field go stays.
    placed = [term for term in terms if term[0] == name + EMPTY]
    fields = [term for term in terms if term not in placed]
    return [*placed, (name, fields == [(name, False)])]


def added(terms: Terms, name: str) -> list[Term]:
    """The order with a field behind its terms; one that is in it turns round, and then goes out of it."""
    known = dict(terms)
    if name not in known:
        return [*terms, (name, False)]
    if not known[name]:
        return [(other, True if other == name else down) for other, down in terms]
    return [(other, down) for other, down in terms if other not in (name, name + EMPTY)]
