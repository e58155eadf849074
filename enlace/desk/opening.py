"""From a request to the work it is about."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext, suppress
from functools import partial, wraps
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect

from enlace.core.dataset.query import parameters_of
from enlace.core.form.opening import Opening
from enlace.core.form.opening import opened as opened_by
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.server.engine import one_snapshot
from enlace.core.view import Asked
from enlace.workshop import layout
from enlace.workshop.definitions import opened_form
from enlace.workshop.models import Form
from enlace.workshop.place import stand_in
from enlace.workshop.sheet import leave_out_gone

from .addresses import ARRANGED, GROUP, ONLY, ORDER, asked_in
from .kept import KeptCopy
from .kept_views import away_page, in_use
from .parameters import ask_page, given_of
from .renamed import new_name
from .saving import resolve_doubt
from .troubles import GONE
from .work import Work

MOST_POSITION = 2**62


def form_of(request: HttpRequest, form_id: int) -> Form:
    """A form that the person may open; 404 where there is none."""
    try:
        return opened_form(request.user, form_id)
    except Form.DoesNotExist:
        raise Http404 from None


def on_form(view: Callable | None = None, *, short: bool = False, sheet: bool = False) -> Callable:
    """Hand a view the person's `Work` on the form, or the detail of it, named in the address; 404 when there is none.

    short: it reads much in a short time, all of one state; others may take long, and a reader of a file keeps its writers
    waiting. sheet: it shows the whole sheet without being asked from one.
    """
    if view is None:
        return partial(on_form, short=short, sheet=sheet)

    @wraps(view)
    def opened(request: HttpRequest, form_id: int, detail: str = "", master: str = "", **more: Any) -> HttpResponse:
        form = form_of(request, form_id)
        stand_in(request, form.project, "Desk")
        own = None if detail or not sheet or says_where(request) else steps_of(form)
        asked = _asked(request, own)
        kept = in_use(request, form)
        if (saved := new_name(master)) != master:  # the master was new when the page was shown
            if _is_page(request):
                return redirect(request.get_full_path().replace(f"/{master}/", f"/{saved}/", 1))
            master = saved

        def once(forgiving: bool = False) -> Any:
            values = {**(own.parameters if own else {}), **given_of(request, form)}
            on_sheet = request.GET.get("on") == "sheet" or (sheet and not detail)
            formats = Formats.of(settings.LOCALE)
            work = Work(request.user, form, formats, asked, detail, master, kept, values, on_sheet=on_sheet)
            work.arrange_by("".join(c for c in request.GET.get(ARRANGED, "")[:22] if c.isalnum() or c in "-_"))
            work.opening, work.trying = own, request.GET.get("trying") == "1"
            # What was done is not done again for a table that is gone.
            work.troubles.forgiving = forgiving or request.method == "POST"
            if request.method == "POST":
                resolve_doubt(work)
                _rename(request, work)
            with one_snapshot() if request.method == "GET" and short else nullcontext():
                return view(request, work, **more)

        try:
            return _once_more(form, once, request.method == "POST")
        except Problem as problem:
            page = _in_its_place(request, form, problem, kept)
            if page is None:
                raise
            return page

    return opened


def _once_more(form: Form, once: Callable[..., Any], acts: bool) -> Any:
    """What a request comes to, also where columns of the form are gone, or a whole table. acts: it may change something."""
    try:
        return once()
    except Problem as problem:
        if problem.code != GONE:
            raise
        left_out = _left_out(form)
        if acts and not left_out:
            raise
        # Nothing was done yet: what reads or writes a column that is gone does nothing at all.
        return once(forgiving=not left_out)


def _is_page(request: HttpRequest) -> bool:
    """Whether somebody asks for a whole page of a form, which shows its address."""
    part = request.headers.get("HX-Request") == "true"
    return request.method == "GET" and not part and request.path.endswith("/")


def _in_its_place(request: HttpRequest, form: Form, problem: Problem, kept: bool) -> HttpResponse | None:
    """The page that stands for that of a form which can't be shown, and lets one go on; None for a problem that is told as
    any other."""
    if problem.code == "parameters" and request.method == "GET":
        return ask_page(request, form)
    if request.method != "GET" or request.headers.get("HX-Request") == "true":
        return None
    if problem.code == "away":
        return None if kept or KeptCopy(form, request.user).made is None else away_page(request, form, problem)
    # The values are kept: one that the server can't take would be in the way whenever the form is opened.
    refused = problem.words and problem.code != "locked"
    return ask_page(request, form, problem) if refused and given_of(request, form) else None


def _asked(request: HttpRequest, own: Opening | None) -> Asked:
    """What a request asks for. own: what the form opens by, where the request does not say itself where it stands."""
    order = request.GET.getlist(ORDER) or request.POST.getlist(ORDER)
    asked = asked_in({**dict(request.GET.lists()), ORDER: order})
    if own is None:
        return asked
    return Asked.made(own.order or asked.order, own.filters or dict(asked.boxes), asked.conditions, asked.groups)


def says_where(request: HttpRequest) -> bool:
    """Whether an address says itself where the form stands: it does not open by its own steps then."""
    return any(name in ("record", "at", "places", ORDER, GROUP) or name.startswith(ONLY) for name in request.GET)


def steps_of(form: Form) -> Opening:
    """What the form's steps come to when it opens. Raises Problem where one stops."""
    steps = layout.document(form).opening if form.document else ()
    asked = parameters_of(form.dataset.query, form.dataset.connection.kind)
    return opened_by(steps, form.dataset.to_spec(), asked)


def _left_out(form: Form) -> bool:
    """Whether a form goes on without some fields from now on, since their columns are gone from the table."""
    left = 0
    for dataset in (form.dataset, *(detail.dataset for detail in form.details.all())):
        with suppress(Problem):  # the whole table is gone
            left += leave_out_gone(dataset)
    return left > 0


def _rename(request: HttpRequest, work: Work) -> None:
    """A record that was new when the page was shown is meant by the id that it has by now."""
    named = request.POST.get("record", "")
    if new_name(named) != named and work.store.get(named) is None:
        request.POST = request.POST.copy()
        request.POST["record"] = new_name(named)


def grid_from(request: HttpRequest) -> str:
    """Which grid of a part a request is about: "" for its first one, else the control's id."""
    return (request.GET.get("grid") or request.POST.get("grid") or "")[:60]


def number_from(request: HttpRequest, name: str, default: int, most: int = MOST_POSITION) -> int:
    """A whole number of an address, held between 0 and `most`. Raises Problem when it is none."""
    text = request.GET.get(name) or request.POST.get(name) or ""
    text = "".join(text.split()).replace(",", "").replace("\u202f", "")
    if not text:
        return default
    try:
        return max(0, min(int(text[:40]), most))
    except ValueError:
        hint = "Type a whole number, such as 412."
        raise Problem(f"“{text[:40]}” is not a position.", hint, code="bad") from None


def text_from(request: HttpRequest, name: str) -> str:
    """A text of a form or address that must be there. Raises Problem otherwise."""
    value = request.POST.get(name) if request.method == "POST" else request.GET.get(name)
    if value is None:
        raise Problem("The request is incomplete.", f"It lacks “{name}”. Reload the page and try again.", code="bad")
    return value


def named_record(request: HttpRequest, work: Work) -> Any:
    """The record that the address names; None where it names none, or one that is not there: it may be old."""
    identifier = request.GET.get("record", "")
    if not identifier:
        return None
    try:
        view = work.record(identifier)
        position = work.position(view.id)
        return view.moved_to(position) if position is not None else None
    except Problem:
        return None
