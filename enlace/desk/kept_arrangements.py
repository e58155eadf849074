"""Arrangements of a grid that are kept under a name: one's own, and those that a builder shares."""

from __future__ import annotations

import secrets
from collections.abc import Iterable
from dataclasses import replace
from itertools import islice

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from enlace.core.form.columns import columns_of
from enlace.core.problem import Problem
from enlace.workshop.models import Detail

from . import kept_names
from .arranged import arranged_key
from .contexts import as_laid_out, base_context, columns_now
from .models import Arrangement, SharedArrangement
from .opening import grid_from, on_form
from .work import Work

MOST_SHARED = 100  # addresses of a person for a form


@require_http_methods(["GET", "POST"])
@on_form
def kept_arrangements(request: HttpRequest, work: Work) -> HttpResponse:
    """The arrangements that can be put on a grid.

    POST keeps the grid's own by a name, lets everybody begin with it (for_all), takes one out (remove), or (share) makes an
    address that shows the grids as they are now.
    """
    said, key, token = "", arranged_key(grid_from(request)), ""
    if request.POST.get("share"):
        token = _share(work, key)
    elif request.method == "POST":
        said = (
            kept_names.remove(request, work, kept_for(work), "arrangement")
            if request.POST.get("remove")
            else _keep(request, work, key)
        )
    shown = {column.field for column in columns_now(work, key)}
    columns = [(field, field.name in shown) for field in as_laid_out(work, key).shown]
    context = {
        **base_context(work),
        "several": to_put_on(work),
        "said": said,
        "key": key,
        "token": token,
        "columns": columns,
    }
    return render(request, "desk/arrangements.html", context)


def kept_for(work: Work) -> QuerySet[Arrangement]:
    """The arrangements of the form that are kept under a name, one's own and those for everybody."""
    return kept_names.for_person(Arrangement.objects.filter(form=work.form).exclude(name=""), work)


def to_put_on(work: Work) -> list[Arrangement]:
    """The arrangements that a grid of the work's dataset can take, those of its own form first.

    One of another grid of the form needs a field in common with it. One of another form of the project is of a grid of the
    same table, or has no field that is not here. What a grid lacks of one is told when it is put on.
    """
    here = {field.name for field in work.dataset.shown}
    own = [kept for kept in kept_for(work) if not (named := _named(kept)) or named & here]
    others = Arrangement.objects.filter(form__project=work.form.project_id).exclude(form=work.form).exclude(name="")
    several = kept_names.for_person(others, work).select_related("form__dataset").order_by("form__title", "name", "pk")
    tables = _tables(several)
    fitting = (
        kept
        for kept in several
        if (named := _named(kept)) & here and (named <= here or tables[kept.pk] == work.dataset.table != "")
    )
    return [*own, *islice(fitting, kept_names.MOST)]


def _tables(several: Iterable[Arrangement]) -> dict[int, str]:
    """By the number of an arrangement, the table whose rows its grid shows; "" for those of a query."""
    details = Detail.objects.filter(form__in={kept.form_id for kept in several if kept.part})
    of_details = {(form, name): table for form, name, table in details.values_list("form", "name", "dataset__table")}
    return {
        kept.pk: of_details.get((kept.form_id, kept.part), "") if kept.part else kept.form.dataset.table
        for kept in several
    }


def _named(kept: Arrangement) -> set[str]:
    """The fields of its columns."""
    return {column.field for column in columns_of(kept.columns)}


def _keep(request: HttpRequest, work: Work, key: str) -> str:
    now = work.arrangement(key)
    # With all its columns, so that it stays what it is when the form gets others; which records stay in sight is of today.
    made = replace(now, columns=tuple(columns_now(work, key)), rows=())
    place = {"form": work.form, "part": work.part.name, "grid": key}
    if request.POST.get("for_all"):
        _require_builder(work)
        Arrangement.objects.update_or_create(**place, person=None, name="", defaults=made.kept())
        return "Everybody begins with these columns from now on; who has arranged them differently keeps that."
    return kept_names.keep(request, work, kept_for(work), "arrangement", place, made.kept())


def _share(work: Work, key: str) -> str:
    """Keep how the grids of the form stand for the person, for whoever opens it by an address; its token."""
    here = (work.part.name, key)
    now = {**work.arrangements(), here: replace(work.arrangement(key), columns=tuple(columns_now(work, key)))}
    grids = [{"part": part, "grid": grid, **arranged.kept()} for (part, grid), arranged in now.items()]
    own = SharedArrangement.objects.filter(person=work.person, form=work.form)
    token = secrets.token_urlsafe(16)
    own.create(person=work.person, form=work.form, token=token, grids=grids)
    # The oldest go: an address that nobody has used for a hundred others says the builder's arrangement.
    SharedArrangement.objects.filter(
        pk__in=list(own.order_by("-pk").values_list("pk", flat=True)[MOST_SHARED:])
    ).delete()
    return token


def _require_builder(work: Work) -> None:
    if not work.person.is_builder:
        raise Problem("Only a builder arranges a grid for everybody.", "Keep it for yourself.", code="forbidden")
