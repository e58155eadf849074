"""Views kept by name: what a person asked a grid for, to be asked again."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from . import kept_names
from .contexts import base_context
from .models import KeptView
from .opening import on_form
from .work import Work


@require_http_methods(["GET", "POST"])
@on_form
def kept_views(request: HttpRequest, work: Work) -> HttpResponse:
    """The views of a grid that are one's own or shared. POST keeps what is asked for now by a name, or (remove) takes one out."""
    said = ""
    if request.method == "POST":
        said = (
            kept_names.remove(request, work, _views(work), "view")
            if request.POST.get("remove")
            else _keep(request, work)
        )
    context = {**base_context(work), "views": _views(work), "said": said}
    return render(request, "desk/views.html", context)


def _views(work: Work) -> QuerySet[KeptView]:
    return kept_names.for_person(KeptView.objects.filter(form=work.form, part=work.part.name), work)


def _keep(request: HttpRequest, work: Work) -> str:
    place = {"form": work.form, "part": work.part.name}
    return kept_names.keep(request, work, _views(work), "view", place, {"asked": work.asked.kept()})
