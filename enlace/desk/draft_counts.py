"""How many records of a draft are what: kept with it and counted forth, so that an edit costs the same in a large draft as in a
small one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from operator import attrgetter

from django.db.models.functions import Length

from enlace.core.dataset.keys import in_parts
from enlace.core.problem import Problem

from .draft_bundles import Bundle
from .draft_rows import DraftRow
from .models import Draft

MOST_PENDING = 250_000  # records of a draft
MOST_PENDING_BYTES = 256 * 1024 * 1024  # of them, large values apart
OWN_NEW = "own new"  # new records of the form's own part
BUNDLED = "bundled"  # of these, those that are kept together
COUNTED = ("edited", "new", OWN_NEW, BUNDLED, "removed", "all", "faulty", "later", "bytes")
_TALLIED = attrgetter("part", "state", "faulty", "later")


def tally(part: str, state: str, faulty: bool, later: bool) -> list[str]:
    """What one record counts as."""
    counted_as = [state, "all"]
    if state == "new" and not part:
        counted_as.append(OWN_NEW)
    if later or faulty:
        counted_as.append("later" if later else "faulty")
    return counted_as


def counted(rows: Iterable[DraftRow]) -> Counter[str]:
    """How often there is what several rows count as."""
    counts: Counter[str] = Counter()
    for alike, count in Counter(map(_TALLIED, rows)).items():
        counts.update(dict.fromkeys(tally(*alike), count))
    return counts


def count_forth(
    draft: Draft, there: Iterable[tuple[str, str]], kept: Sequence[DraftRow], bundles: Sequence[Bundle] = ()
) -> None:
    """Keep a draft's counts: what records were before goes, what they are now comes. there: those that may be stored already.
    kept, bundles: all that are stored now. Raises Problem when the draft would get larger than it may."""
    counts = Counter({**dict.fromkeys(COUNTED, 0), **draft.counts})
    by_part: dict[str, list[str]] = {}
    for part, identifier in there if counts["all"] else ():
        by_part.setdefault(part, []).append(identifier)
    for part, identifiers in by_part.items():
        for some in in_parts(identifiers, 500):
            before = draft.records.filter(part=part, record__in=some).order_by()
            for state, faulty, later, size in before.values_list("state", "faulty", "later", Length("body")):
                counts.subtract(tally(part, state, faulty, later))
                counts["bytes"] -= size
    counts.update(counted(kept))
    counts["bytes"] += sum(len(row.body) for row in kept)
    counts.update(bundled(bundles))
    _bounded(counts, draft.counts)
    draft.counts = dict(counts)


def bundled(bundles: Iterable[Bundle]) -> Counter[str]:
    """What the records of bundles count as."""
    counts: Counter[str] = Counter()
    for bundle in bundles:
        counts.update(dict.fromkeys((*tally("", "new", False, False), BUNDLED), bundle.size))
        counts["bytes"] += len(bundle.body)
    return counts


def _bounded(counts: Mapping[str, int], now: Mapping[str, int]) -> None:
    """Raises Problem when a draft would get larger than it may; what makes it smaller is always fine."""
    hint = "Save it, or drop some of it, and go on then."
    if counts["all"] > max(MOST_PENDING, now.get("all", 0)):
        raise Problem(f"A draft holds at most {MOST_PENDING:,} records.", hint, code="bad")
    if counts["bytes"] > max(MOST_PENDING_BYTES, now.get("bytes", 0)):
        raise Problem(f"A draft holds at most {MOST_PENDING_BYTES // 2**20} MB.", hint, code="bad")
