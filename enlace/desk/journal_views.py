"""The journal's pages."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from enlace.accounts.models import Person
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.save.consequences import joined
from enlace.workshop.models import Form
from enlace.workshop.place import stand_in

from .journal import MOST_SHOWN, shown_lines, take_back
from .models import JournalEntry, JournalRecord
from .opening import form_of, number_from
from .work import Work

PAGE = 50


@require_GET
def entries(request: HttpRequest) -> HttpResponse:
    """Saves, the newest first, narrowed by form, person and table: to operators their own, to builders all."""
    saves = seen_by(request.user).order_by("-pk")
    form, person = number_from(request, "form", 0), request.GET.get("person", "")[:300].replace("\0", "")
    if form:
        saves = saves.filter(form_id=form)
    if person:
        saves = saves.filter(person_name__icontains=person)
    pages = Paginator(saves, PAGE)
    page = pages.get_page(number_from(request, "page", 1, 10**6))
    _count_lines(page.object_list)
    context = {"page": page, "forms": Form.objects.for_person(request.user), "chosen": form, "person": person}
    return render(request, "desk/journal.html", context)


def _count_lines(saves: Iterable[JournalEntry]) -> None:
    """Note with each of some saves how many records of it were "inserted", "updated" and "removed": of the saves of a page
    alone, since the journal has millions of lines."""
    by_id = {save.pk: save for save in saves}
    lines = JournalRecord.objects.filter(entry__in=list(by_id)).order_by()
    for save, action, count in lines.values_list("entry", "action").annotate(Count("pk")):
        setattr(by_id[save], action, count)


def seen_by(person: Person) -> Any:
    """The saves that a person may look at, and take back."""
    return JournalEntry.objects.all() if person.is_builder else JournalEntry.objects.filter(person=person)


def _opened(request: HttpRequest, entry_id: int) -> tuple[JournalEntry, Work | None]:
    several = seen_by(request.user).select_related("form__dataset__connection", "form__project")
    save = get_object_or_404(several, pk=entry_id)
    if save.form is None:
        return save, None
    form_of(request, save.form.pk)
    stand_in(request, save.form.project, "Desk")
    return save, Work(request.user, save.form, Formats.of(settings.LOCALE))


@require_GET
def entry(request: HttpRequest, entry_id: int) -> HttpResponse:
    """One save, record by record and field by field."""
    save, work = _opened(request, entry_id)
    total = save.records.count()
    context = {
        "entry": save,
        "lines": shown_lines(work, save),
        "left_out": max(0, total - MOST_SHOWN),
        "can_take_back": work is not None
        and not save.action
        and work.dataset.editable
        and save.practice == work.practice,
        "taken_back_by": save.taken_back_by.first(),
    }
    return render(request, "desk/journal_entry.html", context)


@require_POST
def undo_entry(request: HttpRequest, entry_id: int) -> HttpResponse:
    """Make a draft that takes a save back, and show it for review."""
    entry, work = _opened(request, entry_id)
    if entry.action:
        raise Problem("An action can't be taken back as a save can.", "Its statements did more than this.", code="bad")
    if work is None:
        raise Problem("The form of this save is not there any more.", "Make the change on another form.", code="gone")
    count, lost = take_back(work, entry)
    records = "record" if count == 1 else "records"
    said = f"A draft of {count} {records} that takes the save back. Look through it, then save it."
    if lost:
        said += f" It can't put back {joined(lost)}."
    messages.success(request, said)
    return redirect("review", entry.form_id)
