"""Opening and closing groups of rows."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from enlace.core.dataset.grouping import Opened
from enlace.core.problem import Problem

from .answers import Answer
from .grouped import keep, line_total, opened
from .opening import on_form, text_from
from .work import Work


@require_POST
@on_form
def fold(request: HttpRequest, work: Work) -> HttpResponse:
    """Open or close one group (key), or (all) every one; tells the page how many lines there are then."""
    if not work.asked.groups:
        raise Problem("The rows are in no groups.", "Choose in a column's menu what to group by.", code="bad")
    is_open = text_from(request, "open") == "1"
    if request.POST.get("all"):
        keep(work, Opened(is_open))
    else:
        keep(work, opened(work).turned(text_from(request, "key")[:2000], is_open))
    answer = Answer(request, work)
    answer.events["enlace:total"] = {"total": line_total(work), "p": work.prefix}
    return answer.stale().response()
