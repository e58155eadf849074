"""How grids are arranged: kept for a person, for all, or shared by an address."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import Q

from enlace.core.view import Arranged
from enlace.workshop.models import Form

from .existing import exists
from .models import Arrangement, SharedArrangement

# The key of the second view of a grid that is split: no control has an id with a dash in it.
SPLIT = "split-view"


def arranged_key(key: str) -> str:
    """The key under which a grid is arranged: a second view is arranged as the first one is."""
    return "" if key == SPLIT else key


def shared(form: Form, token: str) -> dict[tuple[str, str], Arranged]:
    """What an address shares, by part and a grid's key; nothing for one that is not known, or of another form."""
    kept = SharedArrangement.objects.filter(form=form, token=token).first() if token else None
    several = {}
    for grid in kept.grids if kept else ():
        place = {name: grid.pop(name) for name in ("part", "grid")}
        several[place["part"], place["grid"]] = Arranged.of(grid)
    return several


def in_force(form: Form, person: Any) -> Mapping[tuple[str, str], Arranged]:
    """By part and a grid's key, how it is arranged for a person: by themselves, else for all."""
    if not exists(Arrangement, form_id=form.pk, name=""):
        return {}
    several = form.arrangements.filter(Q(person=person) | Q(person=None), name="")
    by_grid: dict[tuple[str, str], Arranged] = {}
    for kept in sorted(several, key=lambda kept: kept.person_id is not None):
        by_grid[kept.part, kept.grid] = Arranged.of(vars(kept))
    return by_grid
