"""What is pending in a person's draft of a form, read."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping
from itertools import islice
from operator import itemgetter
from typing import Any

from django.db import models

from enlace.accounts.models import Person
from enlace.core.dataset.keys import in_parts
from enlace.core.draft import PendingRecord, dump, load
from enlace.core.model.values import as_json
from enlace.workshop.models import Form

from . import draft_blobs, draft_bundles
from .draft_blobs import holds_apart
from .draft_counts import BUNDLED, COUNTED, OWN_NEW
from .draft_few import FewRecords
from .existing import exists
from .links import UNKNOWN_LINK
from .models import Draft, DraftRecord

STATES = ("new", "edited", "removed")


class DraftReader:
    """The draft of one person on one form, seen from one of its parts: as of `DraftStore`."""

    def __init__(self, person: Person, form: Form, part: str = "", owner: str = "", practice: bool = False) -> None:
        self.person, self.form = person, form
        self.part, self.owner, self.practice = part, owner, practice
        self._draft: Draft | None = None
        self._whole: tuple[int, dict[str, dict[str, PendingRecord]]] | None = None  # at a revision: a save asks twice
        self._read_from: dict[
            tuple[str, str], tuple[PendingRecord, str]
        ] = {}  # of those, the texts that they were read from
        self._looked = False
        self._empty = False
        self._few = FewRecords()

    def share(self, other: DraftReader) -> None:
        """Take over what another store of the same draft knows of it, to read only: where nothing is pending, nothing is asked."""
        self._draft, self._looked, self._few = other.draft, True, other._few
        # The parts of one page share a draft: twelve controls on an empty one ask nothing.
        self._empty = other.draft is None or not other.draft.counts.get("all")

    @property
    def draft(self) -> Draft | None:
        """The draft's row, None as long as nothing was ever edited."""
        if not self._looked:
            its = {"person_id": self.person.pk, "form_id": self.form.pk, "practice": self.practice}
            self._draft = Draft.objects.filter(**its).first() if exists(Draft, **its) else None
            self._looked = True
        return self._draft

    def look_again(self) -> None:
        """Forget what is known of the draft's row."""
        self._looked = self._empty = False
        self._few.forget()

    @property
    def revision(self) -> int:
        """A number that every change raises."""
        return self.draft.revision if self.draft else 0

    @property
    def _mine(self) -> Any:
        return self.draft.records.filter(part=self.part) if self.draft else DraftRecord.objects.none()

    @property
    def _mine_of_few(self) -> list[DraftRecord] | None:
        """The rows of the part, where the draft has no more than a few."""
        few = self._few.of(self.draft)
        return None if few is None else [row for row in few if row.part == self.part]

    @property
    def _bundled(self) -> bool:
        """Whether the part has records that are kept together."""
        return not self.part and self.draft is not None and bool(self.draft.counts.get(BUNDLED))

    def get(self, identifier: str) -> PendingRecord | None:
        """One pending record."""
        return self.some([identifier]).get(identifier)

    def some(self, identifiers: Iterable[str]) -> dict[str, PendingRecord]:
        """Those of the records that are pending."""
        if self._empty or not self.draft:
            return {}
        wanted = set(identifiers)
        if (few := self._mine_of_few) is not None:
            return {row.record: self._loaded(row) for row in few if row.record in wanted}
        # Asked for first: a bundle that is opened meanwhile has its records among the others.
        found = draft_bundles.some(self.draft, wanted) if self._bundled else {}
        wanted -= found.keys()
        # A smaller draft is read as a whole, rather than looked through for each of very many.
        if self.draft.counts.get("all", 0) < len(wanted) > 1:
            return found | {r.record: self._loaded(r) for r in self._mine if r.record in wanted}
        # SQLite binds no more than a thousand values in older builds; a window of rows is smaller, a save is not.
        parts = in_parts(list(wanted), 500)
        # In no order: to have them in theirs SQLite would go through the whole draft.
        mine = self._mine.order_by()
        return found | {r.record: self._loaded(r) for some in parts for r in mine.filter(record__in=some)}

    def owners(self, addresses: Collection[tuple[str, str]]) -> dict[tuple[str, str], str]:
        """The masters that new details were entered under, of those among some records: by part and record."""
        if self._empty or not self.draft:
            return {}
        entered = self.draft.records.exclude(owner="").filter(record__in=[record for _, record in addresses])
        return {(part, record): owner for part, record, owner in entered.values_list("part", "record", "owner")}

    def all(self) -> dict[str, PendingRecord]:
        """All pending records of the part, in the order in which they came."""
        few = self._mine_of_few
        if few is None and self._bundled:
            return {record.id: record for _, record in sorted(self._numbered(self._mine), key=itemgetter(0))}
        return {row.record: self._loaded(row) for row in (self._mine if few is None else few)}

    def _numbered(self, rows: Iterable[DraftRecord]) -> list[tuple[int, PendingRecord]]:
        """Records kept together, and those of some rows, each with its number."""
        assert self.draft is not None
        several = list(draft_bundles.numbered(self.draft))
        return [*several, *((row.pk, self._loaded(row)) for row in rows)]

    def linked(self, part: str, links: Collection[str]) -> list[PendingRecord]:
        """The pending records of a part that belong, or belonged when they were read, to the masters of some links."""
        if not self.draft:
            return []
        # Records of drafts made before links were kept have an unknown one: they are looked at, then told apart.
        wanted = [*links, UNKNOWN_LINK]
        if (few := self._few.of(self.draft)) is not None:
            return [self._loaded(r) for r in few if r.part == part and (r.was_of in wanted or r.now_of in wanted)]
        records: dict[int, DraftRecord] = {}
        for some in in_parts(wanted, 400):
            for link in ("was_of", "now_of"):  # one after the other, each by its index
                of_part = self.draft.records.filter(part=part, **{f"{link}__in": some}).order_by()
                records |= {row.pk: row for row in of_part}
        return [self._loaded(records[pk]) for pk in sorted(records)]

    def in_view(self) -> list[PendingRecord]:
        """The pending records of the part, new ones of other masters left out."""
        if (few := self._mine_of_few) is not None:
            return [self._loaded(r) for r in few if not self.part or r.state != "new" or r.owner == self.owner]
        if not self.part:
            return list(self.all().values())
        return [self._loaded(r) for r in self._mine.exclude(models.Q(state="new") & ~models.Q(owner=self.owner))]

    def all_edited(self) -> list[PendingRecord]:
        """The edited records of the part."""
        if self._empty or not self.counts()["edited"]:
            return []
        few = self._mine_of_few
        rows = self._mine.filter(state="edited") if few is None else [row for row in few if row.state == "edited"]
        return [self._loaded(row) for row in rows]

    def pending_here(self) -> int:
        """How many records of the part are pending."""
        if not self.counts()["all"]:
            return 0
        few, bundled = self._mine_of_few, 0 if self.part else self.counts()[BUNDLED]
        return self._mine.count() + bundled if few is None else len(few)

    def by_part(self, later: bool = True) -> dict[str, dict[str, PendingRecord]]:
        """All pending records of all parts. later: those that saves leave out as well."""
        if self.draft is None:
            return {}
        # Asked for before the records are: these may be newer than it says, never older.
        [revision] = Draft.objects.filter(pk=self.draft.pk).values_list("revision", flat=True)
        if self._whole is None or self._whole[0] != revision:
            read: dict[str, dict[str, PendingRecord]] = {}
            bodies: dict[tuple[str, str], tuple[PendingRecord, str]] = {}
            own = list(draft_bundles.numbered(self.draft))
            several = self.draft.records.values_list("pk", "part", "record", "body")
            for number, part, identifier, body in several:
                record = read.setdefault(part, {})[identifier] = load(identifier, body, self._unpack)
                bodies[part, identifier] = record, body
                if own and not part:
                    own.append((number, record))
            if own:
                read[""] = {record.id: record for _, record in sorted(own, key=itemgetter(0))}
            self._whole, self._read_from = (revision, read), bodies
        wanted = {
            p: {i: r for i, r in several.items() if later or not r.later} for p, several in self._whole[1].items()
        }
        return {part: several for part, several in wanted.items() if several}

    def _is_whole(self, addresses: Collection[tuple[str, str]]) -> bool:
        """Whether these are surely all records of the draft as it is now."""
        if self._whole is None or self.draft is None or self._whole[0] != self.draft.revision:
            return False
        return set(addresses) == {(part, i) for part, several in self._whole[1].items() for i in several}

    def telling(self, part: str, each: Collection[str]) -> dict[str, PendingRecord]:
        """The pending records of a part that a save would send: all of some states, of the others one."""
        told: list[DraftRecord] = []
        for state in STATES if self.draft and self.counts()["all"] else ():
            several = self.draft.records.filter(part=part, state=state, later=False)  # type: ignore[union-attr]
            told += several if state in each else several.order_by()[:1]
        numbered = [(row.pk, self._loaded(row)) for row in told]
        if self.draft and not part and self.counts()[BUNDLED]:
            numbered += islice(draft_bundles.numbered(self.draft), None if "new" in each else 1)
        return {record.id: record for _, record in sorted(numbered, key=itemgetter(0))}

    def sample(self, most: int) -> dict[str, dict[str, PendingRecord]]:
        """The first records of all parts, those that need attention before the others."""
        if self.draft is None:
            return {}
        rows = self.draft.records.order_by("-faulty", "pk")[:most]
        told = [(not row.faulty, row.pk, row.part, self._loaded(row)) for row in rows]
        told += [(True, number, "", record) for number, record in islice(draft_bundles.numbered(self.draft), most)]
        by_name: dict[str, dict[str, PendingRecord]] = {}
        for _, _, part, record in sorted(sorted(told, key=itemgetter(0, 1))[:most], key=itemgetter(1)):
            by_name.setdefault(part, {})[record.id] = record
        return by_name

    def as_texts(self, records: Mapping[str, Mapping[str, PendingRecord]]) -> str:
        """Records of some parts as one text, large values by their digests; `from_texts` gives them again."""
        nothing = None, ""

        def text(address: tuple[str, str], record: PendingRecord) -> str:
            known, body = self._read_from.get(address, nothing)
            if known is record:
                return body
            return dump(record, self._pack) if holds_apart(record) else dump(record)

        return as_json([(p, i, text((p, i), r)) for p, several in records.items() for i, r in several.items()])

    def from_texts(self, text: str) -> dict[str, dict[str, PendingRecord]]:
        """The records of a text that `as_texts` made."""
        by_part: dict[str, dict[str, PendingRecord]] = {}
        for part, identifier, body in json.loads(text):
            by_part.setdefault(part, {})[identifier] = load(identifier, body, self._unpack)
        return by_part

    @property
    def _new(self) -> Any:
        # All of an index, which has them in the order in which they came.
        return self._mine.filter(state="new", owner=self.owner if self.part else "")

    @property
    def _new_of_few(self) -> list[DraftRecord] | None:
        few, owner = self._mine_of_few, self.owner if self.part else ""
        return None if few is None else [row for row in few if row.state == "new" and row.owner == owner]

    def new_count(self) -> int:
        """How many new records there are."""
        if self._empty or not self.counts()["new"]:
            return 0
        # Those of a master are few; of the form itself a file brings in a hundred thousand.
        if not self.part:
            return self.counts()[OWN_NEW]
        few = self._new_of_few
        return self._new.count() if few is None else len(few)

    def new_slice(self, start: int, size: int) -> list[str]:
        """The ids of some new records, in the order in which they came."""
        if self._bundled and self.draft:
            return draft_bundles.Order(self.draft, self._new).slice(start, size)
        few = self._new_of_few
        names = self._new.values_list("record", flat=True) if few is None else [row.record for row in few]
        return list(names[start : start + size])

    def new_place(self, identifier: str) -> int | None:
        """Where a new record stands among the new ones."""
        number = self._new.filter(record=identifier).values_list("pk", flat=True).first()
        # Numbers only grow, so their order is the one in which records were entered.
        if not (self._bundled and self.draft):
            return None if number is None else self._new.filter(pk__lt=number).count()
        order = draft_bundles.Order(self.draft, self._new)
        number = order.number(identifier) if number is None else number
        return None if number is None else order.place(number)

    def counts(self) -> dict[str, int]:
        """How many records of all parts are pending: COUNTED; "all" of them, and "faulty" and "later" among them, and the
        new ones of the form's own part."""
        return {**dict.fromkeys(COUNTED, 0), **(self.draft.counts if self.draft else {})}

    def can_undo(self) -> bool:
        return self.draft is not None and self.draft.done > 0

    def can_redo(self) -> bool:
        return self.draft is not None and self.draft.steps.filter(number__gt=self.draft.done).exists()

    def _pack(self, value: Any) -> Any:
        return draft_blobs.pack(self.draft, value)

    def _unpack(self, value: Any) -> Any:
        return draft_blobs.unpack(self.draft, value)

    def _loaded(self, row: DraftRecord) -> PendingRecord:
        return load(row.record, row.body, self._unpack)
