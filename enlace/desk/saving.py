"""Save a draft, rehearse it, and settle what came of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from django.db import transaction

from enlace.core.draft import PendingRecord, conflicts
from enlace.core.draft.pending import as_read, handed_down, removed
from enlace.core.model.values import key_of
from enlace.core.rules import Complaint
from enlace.core.save import Part, Receipt, SaveOutcome, SavePolicy, find_saved, rehearse_parts, save_parts
from enlace.core.save.consequences import in_sentences
from enlace.core.save.foresee import each_counts, foreseen

from .checks import gone_fields
from .claims import Claim, claimed, cut_off, taken_over
from .journal import write_entry
from .models import SaveClaim
from .renamed import note_renamed
from .report import Address, SaveReport
from .work import Work

Records = dict[str, dict[str, PendingRecord]]


def policy_of(work: Work) -> SavePolicy:
    return SavePolicy(work.form.whole, work.form.most_failures)


def rehearse(work: Work) -> SaveReport:
    """Try the save on the server and roll it back; the draft stays as it is."""
    records, held = _to_send(work, None)
    if not _any(records) or (held and work.form.whole):
        return SaveReport({}, held)
    report = SaveReport(rehearse_parts(work.live, _parts(work, records), policy_of(work)), held)
    report.also = [line for outcome in report.outcomes.values() for line in in_sentences(outcome.consequences)]
    return report


def save(work: Work, only: str = "", token: str = "") -> SaveReport:
    """Save the draft, or one record of the part at hand and what hangs on it.

    token: the request's own; one that is sent again is answered with what came of it the first time. Where a save is
    all or nothing, nothing is sent while anything is held back. Raises Problem; nothing was written then. Raises
    UnknownOutcome when that can't be known yet.
    """
    work.require_editable()
    with claimed(work.store, token, lambda row: look_into(work, row)) as claim:
        if claim.answer:
            return SaveReport.from_text(claim.answer)
        work.forget_draft()
        records, held = _to_send(work, only or None)
        if not _any(records) and not held and claim.before:
            # Another window was at it: what that came to is what this one asked for, too.
            claim.end(claim.before)
            return SaveReport.from_text(claim.before)
        _note(work, held)
        if not _any(records) or (held and work.form.whole):
            report = SaveReport({}, held)
            claim.end(report.to_text())
            return report
        claim.sending(work.store.as_texts(records))
        receipt = Receipt(claim.row.draft.code, claim.row.receipt)
        report = SaveReport(save_parts(work.live, _parts(work, records), policy_of(work), receipt=receipt), held)
        if report.saved:
            report.also = [
                line for outcome in report.outcomes.values() for line in in_sentences(outcome.consequences, past=True)
            ]
        _apply_outcomes(work, records, report, claim)
    work.forget_draft()
    return report


def takes_along(work: Work, only: str = "") -> list[str]:
    """What saving the draft, or removing one record of the part at hand, would do beside, in sentences."""
    if not work.dataset.editable:
        return []
    if only:
        stored = work.stored(only)
        record = removed(as_read(work.dataset, only, key_of(only), stored)) if stored else None
        parts = [Part(work.dataset, [record], work.rules, work.part.name)] if record else []
    else:
        # A file brings in a hundred thousand new records, which take nothing along: the review waits for none of them.
        telling = {p: work.store.telling(p, each_counts(work.live, part.dataset)) for p, part in work.parts.items()}
        parts = _parts(work, telling)
    return in_sentences(foreseen(work.live, parts))


def _note(work: Work, held: dict[Address, list[Complaint]]) -> None:
    """Keep what only a save looks at beside the records that it holds back, until they are edited again."""
    told = {at: tuple(complaint for complaint in several if complaint.code == "save") for at, several in held.items()}
    if any(told.values()):
        stands = work.store.by_part()
        work.store.after_save({(p, i): replace(stands[p][i], refusals=said) for (p, i), said in told.items() if said})


def resolve_doubt(work: Work) -> None:
    """Where a save of the draft was begun and nobody told its outcome, find out before anything else is done to it.

    So it is after a crash of Enlace, or when the connection was lost while the server committed. Raises Problem while
    the server is away.
    """
    draft = work.store.draft
    if draft is not None and (row := cut_off(draft)) is not None:
        look_into(work, row)


UNKNOWN_ACTION = "action unknown"


def look_into(work: Work, row: SaveClaim) -> None:
    """Find out what a save did that was cut off, and settle the draft by it. Raises Problem while the server is away."""
    with taken_over(row) as claim:
        if claim is None:
            return  # somebody else is at it
        if not row.sent:
            row.delete()  # the server never got it
            return
        if row.action:
            claim.end(UNKNOWN_ACTION)  # what it did elsewhere only the server knows
            return
        sent = work.store.from_texts(row.records) if row.records else work.store.by_part(later=False)
        records = {part: several for part, several in sent.items() if part in work.parts}
        parts = _parts(work, records)
        outcomes = find_saved(work.live, parts, policy_of(work), Receipt(row.draft.code, row.receipt)) if parts else {}
        report = SaveReport(outcomes)
        _apply_outcomes(work, records, report, claim)
        if not report.saved:
            row.delete()  # nothing of it is there: the same request may try again
    work.forget_draft()


def _any(records: Records) -> bool:
    return any(several for several in records.values())


def _parts(work: Work, records: Records) -> list[Part]:
    """What a save is told; records that change a column which is gone can't be part of one."""
    parts = []
    for name, several in records.items():
        part = work.parts[name]
        if fitting := [record for record in several.values() if not gone_fields(record, part)]:
            parts.append(Part(part.dataset, fitting, part.rules, name))
    return parts


def _to_send(work: Work, only: str | None) -> tuple[Records, dict[Address, list[Complaint]]]:
    """The records to send, and what holds others back."""
    work.require_editable()
    wanted = {part: several for part, several in work.store.by_part(later=False).items() if part in work.parts}
    if only is not None:
        wanted = _with_details(wanted, work.part.name, only)
    records: Records = {}
    held: dict[Address, list[Complaint]] = {}
    for part, several in wanted.items():
        # One by one only those that are not sound at first sight: a file brings in a hundred thousand.
        fine = dict(zip(several, work.checks.sound(work.parts[part], list(several.values()), saving=True), strict=True))
        work.checks.prefetch_all(work.parts[part], [record for name, record in several.items() if not fine[name]])
        for identifier, record in several.items():
            if not fine[identifier] and (complaints := _problems(work, part, record)):
                held[part, identifier] = complaints
            else:
                records.setdefault(part, {})[identifier] = record
    return records, held


def _with_details(records: Records, part: str, only: str) -> Records:
    """One record, and those that wait for its key."""
    kept: Records = {}
    for p, several in records.items():
        for identifier, record in several.items():
            if (p, identifier) == (part, only) or any(
                source[:2] == (part, only) for source in record.waits_for.values()
            ):
                kept.setdefault(p, {})[identifier] = record
    return kept


def _problems(work: Work, part: str, record: PendingRecord) -> list[Complaint]:
    """What keeps a record from being saved as it is: complaints, or a conflict to settle."""
    told = work.checks.complaints(replace(record, refusals=()), part=work.parts[part], saving=True)
    complaints = [complaint for complaint in told if complaint.holds_back]
    if record.conflict:
        complaints.append(Complaint("conflict", "Somebody else changed this record; choose what stays.", ()))
    return complaints


def _apply_outcomes(work: Work, records: Records, report: SaveReport, claim: Claim) -> None:
    """Write the journal, drop what was saved, note what was said of the rest, and end the claim: all at once."""
    saved = report.saved
    with transaction.atomic():
        if saved:
            write_entry(work, records, {p: o for p, o in report.outcomes.items() if o.committed})
        stands = work.store.by_part()
        changed = _told(stands, records, report)
        if saved:
            changed |= _handed_down(work, stands, records, report)
            changed |= _edited_meanwhile(work, stands, records, saved)
        work.store.after_save(changed, saved)
        renamed = {(part, old): new for (part, old), new in saved.items() if new and old != new}
        work.store.own(renamed)
        note_renamed({old: new for (_, old), new in renamed.items()})
        claim.end(report.to_text())


def _told(stands: Records, records: Records, report: SaveReport) -> dict[Address, PendingRecord]:
    """The records of which the server said something."""
    changed: dict[Address, PendingRecord] = {}
    for part, several in records.items():
        outcome = report.outcomes.get(part, SaveOutcome())
        for identifier, record in several.items():
            told = identifier in outcome.conflicts or identifier in outcome.refusals or record.refusals
            now = stands.get(part, {}).get(identifier)
            if told and now is not None and not (outcome.committed and identifier in outcome.ids):
                refusals = tuple(outcome.refusals.get(identifier, ()))
                changed[part, identifier] = replace(now, conflict=outcome.conflicts.get(identifier), refusals=refusals)
    return changed


def _edited_meanwhile(
    work: Work, stands: Records, sent: Records, saved: dict[Address, str]
) -> dict[Address, PendingRecord]:
    """What somebody went on editing while the save was under way: pending still, over what was saved."""
    records: dict[Address, PendingRecord] = {}
    for (part, was), identifier in saved.items():
        now = stands.get(part, {}).get(was)
        if now is None or now == sent[part][was]:
            continue
        left = conflicts.saved_meanwhile(work.parts[part].dataset, sent[part][was], now, identifier)
        if left is not None:
            records[part, left.id] = left
    return records


def _handed_down(work: Work, stands: Records, sent: Records, report: SaveReport) -> dict[Address, PendingRecord]:
    """The records left in the draft that waited for the key of one that is saved now."""
    records: dict[Address, PendingRecord] = {}
    saved = report.saved
    for part, several in stands.items():
        for identifier, record in several.items():
            if (part, identifier) in saved or not record.waits_for:
                continue
            for source in {s[:2] for s in record.waits_for.values()} & saved.keys():
                record = handed_down(record, *source, _values(work, sent, source, saved[source]))
            records[part, identifier] = record
    return records


def _values(work: Work, sent: Records, source: Address, now: str) -> Mapping:
    part, identifier = source
    return {**sent[part][identifier].now, **dict(zip(work.parts[part].dataset.key, key_of(now), strict=True))}


def later(work: Work, identifiers: Collection[str], wanted: bool) -> None:
    """Leave records out of saves until somebody comes back to them, or take them in again."""
    with transaction.atomic():
        before = work.store.some(identifiers)
        after = {identifier: replace(record, later=wanted) for identifier, record in before.items()}
        work.store.put("Leave for later" if wanted else "Take up again", before, after)
