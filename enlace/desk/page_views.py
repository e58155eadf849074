"""Whole pages of the desk: the start page, a form, and rows inside the rows of their master."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from enlace.core.draft.pending import as_read
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.workshop.models import Form

from .contexts import base_context, strip_context
from .controls import SHOWN, Drawing
from .controls.branches import inside
from .drawing import bare_panel, draw, draw_control, drawn_as, lone_sheet, places_in
from .kept import KeptCopy
from .lists import BEGINS, errand_of
from .opening import named_record, number_from, on_form, text_from
from .parameters import lines
from .review import name_of
from .sheet import Sheet
from .showing import details_of, drawing_of, rows_wanted
from .work import Work, home_of


@require_GET
def start(request: HttpRequest) -> HttpResponse:
    """The start page: all forms."""
    forms = Form.objects.for_person(request.user).select_related("dataset__connection").in_sections()
    kept = request.user.drafts.values_list("form", "changed", "counts")
    drafts = {form: changed for form, changed, counts in kept if counts.get("all")}
    return render(request, "desk/start.html", {"forms": [(form, drafts.get(form.pk)) for form in forms]})


@require_GET
def menu(request: HttpRequest, form_id: int) -> HttpResponse:
    """The forms of the project that a form is of, to go to from there: asked when somebody opens the menu."""
    here = get_object_or_404(Form.objects.for_person(request.user), pk=form_id)
    forms = Form.objects.for_person(request.user).filter(project=here.project_id).in_sections()
    return render(request, "desk/forms_menu.html", {"forms": forms, "here": here})


@require_GET
@on_form
def tally(request: HttpRequest, work: Work) -> HttpResponse:
    """How many records a form has, for its tile: asked after the start page is there, which does not wait for it."""
    try:
        count = work.rows.count()
    except Problem:
        return HttpResponse("")
    return HttpResponse(
        f"{work.formats.number()(count)} record{'s' * (count != 1)}", content_type="text/plain; charset=utf-8"
    )


@require_GET
@on_form(short=True, sheet=True)
def page(request: HttpRequest, work: Work) -> HttpResponse:
    """The form, at the record that the address names, or as it opens by itself."""
    view = named_record(request, work) or _opened_at(request, work)
    main = drawing_of(work, view)
    errand = errand_of(request, work)
    context = {
        **main.context,
        "project": work.form.project,
        "home": home_of(work.form.pk),
        **_master_context(work),
        "revision": work.store.revision,
        "errand": errand,
        "given": lines(work.form, work.parameter_values) if work.parameters and not work.part.name else None,
        "copy_made": KeptCopy(work.form, work.person).made if work.form.may_keep else None,
        "opening_told": work.opening.told if work.opening else (),
        # The page asks for it: reading a page changes no draft.
        "opens_new": work.dataset.editable
        and bool(
            (errand and BEGINS in errand) or (work.opening and work.opening.record == "new" and not work.new_count)
        ),
        "way_back": way_back(request, work.form),
        **strip_context(work),
    }
    if work.sheet is None:
        return render(
            request, "desk/work.html", {**context, "sheet": lone_sheet(main), "fills": True, "holders": [main]}
        )
    places = places_in(request)
    # The page asks for what lies on other pages of tabs once somebody opens them.
    places |= {name: {**places.get(name, {}), "closed": "1"} for name in work.sheet.closed}
    several = [main, *details_of(work, view, places)]
    drawings = {work.sheet.source_names[drawing.part.name]: drawing for drawing in several}
    fills = any(control.place.fill for control in work.sheet.document.controls)
    sheet = draw(work.sheet, drawings)
    bare = [bare_panel(drawing) for drawing in several if work.sheet.panel(drawing.part.name) is None]
    more = {"sheet": sheet, "fills": fills, "holders": several, "bare": bare, "troubles": work.troubles.told}
    return render(request, "desk/work.html", {**context, **more})


def _opened_at(request: HttpRequest, work: Work) -> Any:
    """The record at which a form opens: the one of the address's position, or as its steps say."""
    at = number_from(request, "at", 0)
    if work.opening is not None:
        at = 0 if work.opening.record in ("", "first") else max(work.total() - 1, 0)
    if at == 0:
        work.look_ahead(rows_wanted(work))
    return work.at(at)


def way_back(request: HttpRequest, form: Form) -> tuple[str, str] | None:
    """(address, words) of the form that a button led here from; None where none did."""
    number, at = request.GET.get("back", ""), request.GET.get("back_at", "")[:400]
    if not number.isdecimal() or len(number) > 9 or int(number) == form.pk:
        return None
    other = Form.objects.for_person(request.user).filter(pk=int(number), project=form.project).first()
    if other is None:
        return None
    address = reverse("work", args=[other.pk])
    return f"{address}?{urlencode({'record': at})}" if at else address, other.title


def _master_context(work: Work) -> dict:
    """For a detail: its master and what people know it by."""
    if not work.part.name:
        return {}
    master = work.master_work.record(work.master)
    pending = master.pending or as_read(work.master_work.dataset, master.id, _key(master.id), master.stored or {})
    above = work.master_work.part
    return {"master_at": work.master_address, "master_title": above.title, "master_name": name_of(above, pending)}


def _key(identifier: str) -> tuple:
    return () if identifier.startswith("n") else key_of(identifier)


@require_GET
@on_form
def branches(request: HttpRequest, work: Work) -> HttpResponse:
    """The rows of a detail, to stand inside the row of their master. start: the position of the first."""
    sheet = Sheet(work.form)
    drawing = Drawing(work.part, base_context(work), work, None)
    start = number_from(request, "start", 0)
    return render(request, "desk/branches.html", inside(sheet.document, sheet, drawing, start))


@require_GET
@on_form
def control(request: HttpRequest, work: Work) -> HttpResponse:
    """One control of these records, drawn anew around one of them."""
    sheet = work.sheet or Sheet(work.form)
    asked, source = sheet.document.control(text_from(request, "control")), sheet.source_names[work.part.name]
    if asked.source != source:
        raise Problem("This control shows other records.", "Reload the page.", code="bad")
    if drawn_as(sheet, asked) not in SHOWN:
        raise Problem("This control is not drawn by itself.", "Reload the page.", code="bad")
    identifier = request.GET.get("record", "")
    view = work.record(identifier, number_from(request, "position", 0)) if identifier else None
    drawing = Drawing(work.part, base_context(work), work, view)
    return HttpResponse(draw_control(sheet, asked, {source: drawing}))
