"""What stands in a file as a list: items of a model that belong to a dataset or a form."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from django.db import models

from enlace.core.problem import Problem
from enlace.desk.models import Arrangement, KeptView
from enlace.workshop.models import Detail, Field, Rule, ServerAction

from .bodies import fill

# By model, what no two items of a list have alike.
ONCE: dict[type[models.Model], tuple[str, ...]] = {
    Field: ("name",),
    Detail: ("name",),
    KeptView: ("part", "name"),
    Arrangement: ("part", "grid", "name"),
}
NAMED_BY: dict[type[models.Model], str] = {ServerAction: "title", Rule: "expression"}


def standing(item: models.Model) -> list[Any]:
    """The values of all columns, to be compared with those of later."""
    return [getattr(item, column.attname) for column in item._meta.concrete_fields]


def forget_read(item: models.Model) -> None:
    """Forget what was read together with others of what belongs to an item: it has changed since."""
    item.__dict__.pop("_prefetched_objects_cache", None)


@dataclass(frozen=True)
class Listed:
    """A list of a file. where: it stands. owner: what its items belong to, by column. place: whether they know their place.
    more(item, body, here): what is done beside filling one."""

    model: type[models.Model]
    where: str
    owner: dict[str, Any]
    place: bool = False
    more: Callable[[Any, Any, str], None] | None = None

    def bring(self, there: Iterable[models.Model], said: Any) -> bool:
        """Make the items what a file says: those of a name that are there are kept and filled anew, others go. Whether any
        of them is another one than before. Raises Problem."""
        if not isinstance(said, list):
            raise Problem(f"{self.where} should be a list.", "Mend it in the file.", code="bad")
        # Filled anew, not made anew: a number of a field or a detail stands in drafts and addresses.
        known: dict[str, list[models.Model]] = {}
        for item in there:
            known.setdefault(getattr(item, self._named_by), []).append(item)
        kept = []
        once: set[str] = set()
        for number, body in enumerate(said):
            here = f"{self.where}[{number}]"
            self._alone(body, once, here)
            name = body.get(self._named_by) if isinstance(body, dict) else None
            named = known.get(name) if isinstance(name, str) else None
            item = named.pop(0) if named else self.model(**self.owner)
            was = standing(item)
            self._fill(item, body, number, here)
            if not item.pk or standing(item) != was:
                kept.append(item)
        # They go before the others are kept, so that a name can go from one to another.
        if gone := [item.pk for several in known.values() for item in several]:
            self.model._base_manager.filter(pk__in=gone).delete()
        new = [item for item in kept if not item.pk]
        for item in kept:
            if item.pk:
                item.save()
        self.model._base_manager.bulk_create(new)
        return bool(kept or gone)

    @property
    def _named_by(self) -> str:
        return NAMED_BY.get(self.model, "name")

    def _alone(self, body: Any, once: set[str], here: str) -> None:
        """Raises Problem where there is one like it already."""
        if not isinstance(body, dict) or not (names := ONCE.get(self.model)):
            return
        alone = str([body.get(name, "") for name in names])
        if alone in once:
            raise Problem(
                f"{here}: {body.get(self._named_by) or 'one'} stands there twice.",
                "Leave one of them out.",
                code="bad",
            )
        once.add(alone)

    def _fill(self, item: Any, body: Any, number: int, here: str) -> None:
        fill(item, body, here)
        if self.place:
            item.place = number
        if self.more is not None:
            self.more(item, body, here)
