"""What is kept under names at the desk: one's own things, and those that a builder shares with all who use the form."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet
from django.http import HttpRequest

from enlace.core.problem import Problem

from .work import Work

LONGEST, MOST = 60, 100


def for_person(several: QuerySet[Any], work: Work) -> QuerySet[Any]:
    """Those that are one's own or shared."""
    return several.filter(Q(person=work.person) | Q(person=None))


def keep(
    request: HttpRequest, work: Work, known: QuerySet[Any], what: str, place: dict[str, Any], kept: dict[str, Any]
) -> str:
    """Keep something under the name that a request gives, for everybody where a builder shares it; what to say of it.

    known: what is there already. what: the word for such a thing. Raises Problem.
    """
    name = " ".join(request.POST.get("name", "").split())
    if not name or len(name) > LONGEST:
        raise Problem(f"The {what} needs a name.", f"Type one of at most {LONGEST} characters.", code="bad")
    if known.count() >= MOST:
        raise Problem(f"There are {MOST} {what}s already.", "Remove one first.", code="bad")
    owner = None if request.POST.get("shared") and work.person.is_builder else work.person
    known.model._default_manager.update_or_create(**place, person=owner, name=name, defaults=kept)
    return f"Kept as {name}{'' if owner else ', for everybody'}."


def remove(request: HttpRequest, work: Work, known: QuerySet[Any], what: str) -> str:
    """Remove the one that a request names by its number; what to say of it. Raises Problem."""
    number = request.POST["remove"]
    mine = known if work.person.is_builder else known.filter(person=work.person)
    there = mine.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 12 else None
    if there is None:
        raise Problem(f"There is no such {what} of yours.", "A builder can remove shared ones.", code="bad")
    there.delete()
    return f"{there.name} is removed."
