"""Views kept by name: what a person asked a grid for, to be asked again."""

from __future__ import annotations

from django.db.models import Q, QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from enlace.core.problem import Problem

from .addresses import view_text
from .contexts import base_context
from .models import KeptView
from .opening import on_form
from .work import Work

LONGEST, MOST = 60, 100


@require_http_methods(["GET", "POST"])
@on_form
def kept_views(request: HttpRequest, work: Work) -> HttpResponse:
    """The views of a grid that are one's own or shared. POST keeps what is asked for now by a name, or (remove) takes one out."""
    said = ""
    if request.method == "POST":
        said = _remove(request, work) if request.POST.get("remove") else _keep(request, work)
    context = {**base_context(work), "views": _views(work), "said": said}
    return render(request, "desk/views.html", context)


def _views(work: Work) -> QuerySet[KeptView]:
    several = KeptView.objects.filter(form=work.form, part=work.part.name)
    return several.filter(Q(person=work.person) | Q(person=None))


def _keep(request: HttpRequest, work: Work) -> str:
    name = " ".join(request.POST.get("name", "").split())
    if not name or len(name) > LONGEST:
        raise Problem("The view needs a name.", f"Type one of at most {LONGEST} characters.", code="bad")
    if _views(work).count() >= MOST:
        raise Problem(f"There are {MOST} views already.", "Remove one first.", code="bad")
    owner = None if request.POST.get("shared") and work.person.is_builder else work.person
    query = view_text(work.order, work.filter_texts, work.groups)
    place = {"form": work.form, "part": work.part.name, "person": owner, "name": name}
    KeptView.objects.update_or_create(**place, defaults={"query": query})
    return f"Kept as {name}{'' if owner else ', for everybody'}."


def _remove(request: HttpRequest, work: Work) -> str:
    number = request.POST["remove"]
    mine = _views(work) if work.person.is_builder else _views(work).filter(person=work.person)
    view = mine.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 12 else None
    if view is None:
        raise Problem("There is no such view of yours.", "A builder can remove shared ones.", code="bad")
    view.delete()
    return f"{view.name} is removed."
