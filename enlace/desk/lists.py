"""The list of a lookup, a page at a time, and the way to add to it and come back."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.lookups import Option, listed, shown_text
from enlace.core.kinds import raw_text
from enlace.core.problem import Problem
from enlace.workshop.models import Form

from . import editing
from .contexts import base_context
from .opening import number_from, on_form, text_from
from .record_view import RecordView
from .typed import choice_of
from .work import Work

LONGEST_TYPED = 200
BEGINS = "begins"  # of an errand: a new record is to be made, with what was typed
ERRAND = "errand"  # in the session: for which field of which record somebody looks for a line in another form


@require_GET
@on_form
def choices(request: HttpRequest, work: Work) -> HttpResponse:
    """The lines of a field's list that have what was typed."""
    field = _with_list(work, text_from(request, "field"))
    record = work.record(text_from(request, "record"))
    start = number_from(request, "start", 0, 10_000_000)
    typed = request.GET.get("typed", "")[:200]
    page = listed(work.spec, work.dataset, field, typed, start, record.values)
    lines = [(start + i, choice_of(option), line_text(work, field, option)) for i, option in enumerate(page.options)]
    context = {"lines": lines, "more": start + len(lines) if page.more else None, "typed": typed, "field": field}
    context["adds"] = start == 0 and _form_of(work, field) is not None
    context["narrowed"] = bool(field.lookup and field.lookup.narrowed)
    return render(request, "desk/choices.html", {**base_context(work), **context, "record": record, "first": not start})


def _with_list(work: Work, name: str) -> FieldSpec:
    field = work.field(name)
    if field.lookup is None:
        raise Problem("This field has no list.", "Reload the page; the form may have changed.", code="bad")
    return field


def line_text(work: Work, field: FieldSpec, option: Option) -> str:
    """A line of a list as people read it."""
    assert field.lookup is not None
    if not field.lookup.table:
        return str(option.shown[0])
    return shown_text(field.lookup, option.shown, work.formats) or raw_text(option.value)


def _form_of(work: Work, field: FieldSpec, wanted: str = "") -> Form | None:
    """A form of the project on which the list itself can be edited: the one of a number, where it is one of them."""
    lookup = field.lookup
    if lookup is None or not lookup.table or lookup.query or lookup.also:
        return None
    here = {"project": work.form.project, "dataset__connection": work.form.dataset.connection}
    forms = Form.objects.filter(**here, dataset__table=lookup.table, dataset__read_only_because="")
    return (forms.filter(pk=int(wanted)).first() if wanted.isdecimal() and len(wanted) < 10 else None) or forms.first()


@require_GET
@on_form
def add_to(request: HttpRequest, work: Work) -> HttpResponse:
    """Go to the form of a field's list, to come back with a record of it. typed: what the list lacks; new: the form on which
    a record is to be entered, and not looked for."""
    field = _with_list(work, text_from(request, "field"))
    other = _form_of(work, field, request.GET.get("new", ""))
    if other is None:
        raise Problem("No form edits this list.", "A builder can make one of its table.", code="bad")
    request.session[ERRAND] = {
        "for": other.pk,
        "form": work.form.pk,
        "part": work.part.name,
        "master": work.master,
        "record": text_from(request, "record"),
        "field": field.name,
        "words": f"{field.label} of {work.part.title}",
    }
    typed = " ".join(request.GET.get("typed", "").split())[:LONGEST_TYPED]
    if typed or request.GET.get("new"):
        assert field.lookup is not None
        request.session[ERRAND][BEGINS] = {"typed": typed, "shows": list(field.lookup.shows)}
    return HttpResponseRedirect(reverse("work", args=[other.pk]))


def errand_of(request: HttpRequest, work: Work) -> dict | None:
    """What somebody came to this form for, if they came from another one."""
    errand = request.session.get(ERRAND)
    return errand if errand and errand["for"] == work.form.pk and not work.part.name else None


def begun(request: HttpRequest, work: Work, view: RecordView) -> tuple[RecordView, str]:
    """A new record with what the list lacked that somebody came from, in the first field that the list shows, once; and the
    name of that field, "" where nothing was put in."""
    errand = errand_of(request, work)
    begins = errand.pop(BEGINS, None) if errand else None
    if not begins:
        return view, ""
    request.session.modified = True
    fields = [work.dataset.by_name[name] for name in begins["shows"] if name in work.dataset.by_name]
    field = next((field for field in fields if field.kind == "text" and not field.read_only), None)
    if not begins["typed"] or field is None:
        return view, ""
    return editing.edit(work, view.id, field.name, begins["typed"]).view().moved_to(view.position), field.name


@require_POST
@on_form
def bring(request: HttpRequest, work: Work) -> HttpResponse:
    """Come back from a list's own form with the current record, or (leave) without one."""
    errand = errand_of(request, work)
    if errand is None:
        raise Problem("Nothing waits for a record of this form.", "Open the list of a field and press Add.", code="bad")
    several = Form.objects.for_person(work.person).select_related("dataset__connection", "project")
    form = several.filter(pk=errand["form"]).first()
    if form is None:
        request.session.pop(ERRAND)
        raise Problem("The form that you came from is not there any more.", "Go to the desk.", code="missing")
    back = Work(
        work.person, form, work.formats, part=errand["part"], master=errand["master"], kept=work.kept is not None
    )
    if "leave" not in request.POST:
        field = _with_list(back, errand["field"])
        assert field.lookup is not None
        stored = work.stored(text_from(request, "record"))
        if stored is None:
            raise Problem("This record is not saved yet.", "Save it first, then choose it.", code="bad")
        option = Option(stored.get(field.lookup.target), ())
        editing.edit(back, errand["record"], field.name, "", choice=choice_of(option))
    request.session.pop(ERRAND)
    to = f"{back.address}?record={errand['record']}"
    if request.headers.get("HX-Request") == "true":
        return HttpResponse(headers={"HX-Redirect": to})
    return HttpResponseRedirect(to)
