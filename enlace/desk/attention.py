"""Where on the page a record stands that a save stopped at."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from .report import Address
from .work import Work

MOST_LOOKED_AT = 20  # records that a save stopped at: the first one that the page can show is shown


def way_to(work: Work, address: Address) -> list[Address]:
    """The records that lead to one, the form's own first and itself last; none where its masters are not known, or the
    sheet has nothing that shows it."""
    part, identifier = address
    way: list[Address] = []
    while part and identifier:
        if work.sheet is None or part not in work.sheet.part_names.values():
            return []
        way.insert(0, (part, identifier))
        here = work.for_part(part)
        # What a new record was entered under may be new itself, with a key that nothing stored has.
        owner = here.store.owners([(part, identifier)]).get((part, identifier))
        pending = None if owner else here.store.get(identifier)
        values = {} if owner or pending else here.stored(identifier) or {}
        identifier = owner or (here.part.master_of(pending) if pending else here.part.master_by(values))
        part = here.part.of
    return [("", identifier), *way] if identifier else []


def first_way(work: Work, failed: Sequence[Address]) -> list[Address]:
    """The way to the first of some records that has one."""
    return next((way for address in failed[:MOST_LOOKED_AT] if (way := way_to(work, address))), [])


def places_of(way: Sequence[Address]) -> dict[str, dict[str, str]]:
    """Where the page stands then in each part beside the form's own (see `drawing.places_in`)."""
    return {part: {"record": identifier, "master": above} for (_, above), (part, identifier) in pairwise(way)}
