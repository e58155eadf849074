"""Drafts in the database: each edit stores one record and one step, whatever the size of the draft."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from django.db import transaction
from django.db.models import Count

from enlace.core.dataset.values import packed, unpacked
from enlace.core.draft import PendingRecord, Step, dump, load, undone

from .models import Draft, DraftBlob, DraftRecord, DraftStep, JournalEntry

BLOB_FROM = 50_000  # characters or bytes; larger values are kept apart
MOST_STEPS = 1_000


class DraftStore:
    """The draft of one person on one form.

    faulty: tells whether a record needs attention before it can be saved; kept with the record, so that
    counting does not mean looking at each.
    """

    def __init__(self, person, form, faulty: Callable[[PendingRecord], bool] = lambda record: False) -> None:
        self.person, self.form, self.faulty = person, form, faulty
        self._draft: Draft | None = None
        self._looked = False

    @property
    def draft(self) -> Draft | None:
        """The draft's row, None as long as nothing was ever edited."""
        if not self._looked:
            self._draft = Draft.objects.filter(person=self.person, form=self.form).first()
            self._looked = True
        return self._draft

    # -- reading --------------------------------------------------------------------------------------

    def get(self, identifier: str) -> PendingRecord | None:
        """One pending record."""
        return self.some([identifier]).get(identifier)

    def some(self, identifiers: Iterable[str]) -> dict[str, PendingRecord]:
        """Those of the records that are pending."""
        if self.draft is None:
            return {}
        return self._loaded(self.draft.records.filter(record__in=list(identifiers)))

    def all(self) -> dict[str, PendingRecord]:
        """All pending records, in the order in which they came."""
        return {} if self.draft is None else self._loaded(self.draft.records.all())

    def new_ids(self) -> list[str]:
        """The ids of the new records, in the order in which they came."""
        if self.draft is None:
            return []
        return list(self.draft.records.filter(state="new").values_list("record", flat=True))

    def counts(self) -> dict[str, int]:
        """How many records are pending: "edited", "new", "removed", "all", and "faulty" of them all."""
        found = dict.fromkeys(("edited", "new", "removed", "all", "faulty"), 0)
        if self.draft is not None:
            groups = self.draft.records.order_by().values_list("state", "faulty").annotate(Count("pk"))
            for state, faulty, count in groups:
                found[state] += count
                found["all"] += count
                found["faulty"] += count if faulty else 0
        return found

    def first_faulty(self) -> str | None:
        """The id of the first record that needs attention."""
        rows = self.draft.records.filter(faulty=True) if self.draft else DraftRecord.objects.none()
        return rows.values_list("record", flat=True).first()

    def can_undo(self) -> bool:
        return self.draft is not None and self.draft.done > 0

    def can_redo(self) -> bool:
        return self.draft is not None and self.draft.steps.filter(number__gt=self.draft.done).exists()

    def _loaded(self, rows) -> dict[str, PendingRecord]:
        return {row.record: load(row.record, row.body, self._unpack) for row in rows}

    # -- writing --------------------------------------------------------------------------------------

    @transaction.atomic
    def put(self, label: str, before: Mapping[str, PendingRecord | None], after: Mapping[str, PendingRecord | None]):
        """Store the records of one step and the step itself; what was undone can't be redone any more."""
        draft = self._existing()
        draft.steps.filter(number__gt=draft.done).delete()
        self._write(after)
        number = draft.done + 1
        DraftStep.objects.create(
            draft=draft, number=number, label=label, before=self._texts(before), after=self._texts(after)
        )
        draft.steps.filter(number__lte=number - MOST_STEPS).delete()
        self._stand(draft, number)

    @transaction.atomic
    def undo(self) -> Step | None:
        """Take the last step back; None when there is none."""
        draft = self.draft
        row = draft and draft.steps.filter(number=draft.done).first()
        if not row:
            return None
        step = undone(self._step(row))
        self._write(step.after)
        self._stand(draft, row.number - 1)
        return step

    @transaction.atomic
    def redo(self) -> Step | None:
        """Do the last undone step again; None when there is none."""
        draft = self.draft
        row = draft and draft.steps.filter(number=draft.done + 1).first()
        if not row:
            return None
        step = self._step(row)
        self._write(step.after)
        self._stand(draft, row.number)
        return step

    def begin_sending(self) -> bool:
        """Note that a save begins; tells whether the outcome of an earlier one was never known."""
        draft = self.draft
        assert draft is not None
        in_doubt = draft.sending
        Draft.objects.filter(pk=draft.pk).update(sending=True)
        return in_doubt

    def end_sending(self) -> None:
        """Note that the outcome of the save is known."""
        if self.draft is not None:
            Draft.objects.filter(pk=self.draft.pk).update(sending=False)

    def note_takes_back(self, entry: JournalEntry) -> None:
        """Note which save the draft takes back."""
        assert self.draft is not None
        Draft.objects.filter(pk=self.draft.pk).update(takes_back=entry)

    @transaction.atomic
    def settle(self, records: Mapping[str, PendingRecord | None]) -> None:
        """Store what a save said of records, without a step: it is not something a person did."""
        self._existing()
        self._write(records)

    @transaction.atomic
    def clear(self) -> None:
        """Nothing is pending any more, and nothing can be undone."""
        if self.draft is not None:
            self.draft.delete()
            self._draft = None

    def _existing(self) -> Draft:
        if self.draft is None:
            self._draft, _ = Draft.objects.get_or_create(person=self.person, form=self.form)
        assert self._draft is not None
        # BEGIN IMMEDIATE made this transaction the only writer; the number may have moved in another window.
        self._draft.refresh_from_db(fields=["done"])
        return self._draft

    def _stand(self, draft: Draft, done: int) -> None:
        draft.done = done
        draft.save(update_fields=["done", "changed"])

    def _write(self, records: Mapping[str, PendingRecord | None]) -> None:
        assert self.draft is not None
        gone: list[str] = []
        kept: list[DraftRecord] = []
        for identifier, record in records.items():
            if record is None:
                gone.append(identifier)
            else:
                body, faulty = dump(record, self._pack), self.faulty(record)
                kept.append(
                    DraftRecord(draft=self.draft, record=identifier, state=record.state, body=body, faulty=faulty)
                )
        if gone:
            self.draft.records.filter(record__in=gone).delete()
        DraftRecord.objects.bulk_create(
            kept,
            update_conflicts=True,
            unique_fields=["draft", "record"],
            update_fields=["state", "body", "faulty"],
        )

    def _texts(self, records: Mapping[str, PendingRecord | None]) -> str:
        return json.dumps({one: record and dump(record, self._pack) for one, record in records.items()})

    def _step(self, row: DraftStep) -> Step:
        def records(text: str) -> dict[str, PendingRecord | None]:
            return {one: body and load(one, body, self._unpack) for one, body in json.loads(text).items()}

        return Step(row.label, records(row.before), records(row.after))

    # -- large values -----------------------------------------------------------------------------------

    def _pack(self, value: Any) -> Any:
        if not isinstance(value, str | bytes) or len(value) < BLOB_FROM:
            return packed(value)
        content = value.encode("utf-8", "surrogatepass") if isinstance(value, str) else value
        digest = hashlib.sha256(content).hexdigest()
        is_text = isinstance(value, str)
        DraftBlob.objects.get_or_create(draft=self.draft, digest=digest, is_text=is_text, defaults={"content": content})
        return {"$": "blob", "v": digest, "text": is_text}

    def _unpack(self, value: Any) -> Any:
        if not isinstance(value, dict) or value.get("$") != "blob":
            return unpacked(value)
        row = DraftBlob.objects.get(draft=self.draft, digest=value["v"], is_text=value["text"])
        content = bytes(row.content)
        return content.decode("utf-8", "surrogatepass") if value["text"] else content
