"""Pasting, filling and clearing many cells at once."""

from __future__ import annotations

import json

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST

from enlace.core.problem import Problem

from .blocks import Block, put_block, read_block
from .filling import read_fill
from .opening import grid_from, number_from, on_form, text_from
from .views import all_anew
from .work import Work

LABELS = {"paste": "Paste", "fill": "Fill down", "above": "The value above", "clear": "Clear cells"}
FILLS = ("fill", "above")


@require_POST
@on_form
def block(request: HttpRequest, work: Work) -> HttpResponse:
    """Put lines of texts into the grid from a cell on, or what its record holds into those below. preview: only say what
    that would do."""
    how = request.POST.get("how", "")
    position = number_from(request, "from", 0)
    made = _made(request, work, how, position)
    if request.POST.get("preview"):
        return JsonResponse({"edited": made.edited, "new": made.made, "refused": made.told(), "marked": made.marked()})
    label = LABELS.get(how, LABELS["paste"])
    changed = put_block(work, made, label)
    several = f"{len(changed):,} record{'s' * (len(changed) != 1)}"
    said = f"{label}: {several} changed." if changed else f"{label}: nothing is other than it was."
    if refused := made.told():
        said += " Not everything could be put in: " + " ".join(refused)
    return all_anew(request, work, work.at(position + (how == "above"))).say(said).response()


def _made(request: HttpRequest, work: Work, how: str, position: int) -> Block:
    column, key = number_from(request, "column", 0), grid_from(request)
    if how in FILLS:
        return read_fill(work, position, number_from(request, "count", 1), column, number_from(request, "wide", 1), key)
    return read_block(work, position, column, _lines(request), key)


def _lines(request: HttpRequest) -> list[list[str]]:
    try:
        lines = json.loads(text_from(request, "lines"))
    except (ValueError, RecursionError):
        lines = None
    if not isinstance(lines, list) or not all(
        isinstance(line, list) and all(isinstance(t, str) for t in line) for line in lines
    ):
        raise Problem("The block of cells can't be read.", "Copy it again.", code="bad")
    return lines
