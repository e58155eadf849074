"""Bringing a file into a form: one page with its steps, and the requests that check and put in a stretch each."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from enlace.core.exchange.csv_in import ENCODINGS, SEPARATORS
from enlace.core.exchange.csv_out import csv_lines, guarded
from enlace.core.exchange.empties import MARK
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.readers import FORMATS
from enlace.core.exchange.written import ways_of
from enlace.core.problem import Problem

from . import bringing
from .bringing import Bringing, begun
from .contexts import base_context
from .opening import on_form
from .work import Work


@require_http_methods(["GET", "POST"])
@on_form
def page(request: HttpRequest, work: Work) -> HttpResponse:
    """The steps from a file to a draft. POST: a file, how it is read (look), where its columns go (map), or nothing of it
    any more (forget). For a page that is open only what was found in the rows."""
    work.require_editable()
    told, status = "", 200
    is_open = request.headers.get("HX-Request") == "true"
    if request.method == "POST":
        try:
            _act(request, work)
            return _found(request, work) if is_open else redirect(work.address + "bring-in")
        except Problem as problem:
            if is_open:
                raise
            told, status = str(problem), 400
    if is_open:
        return _found(request, work)
    return render(request, "desk/bring_in.html", _context(request, work, told), status=status)


def _found(request: HttpRequest, work: Work) -> HttpResponse:
    """What was found in the rows, and what can be done with them."""
    return render(request, "desk/bring_in_found.html", {**base_context(work), **progress(_begun(work))})


def _act(request: HttpRequest, work: Work) -> None:
    act = request.POST.get("act", "")
    if act == "file":
        file = request.FILES.get("file")
        if file is None or not file.size:
            raise Problem("No file is chosen, or it is empty.", "Choose a file first.", code="bad")
        bringing.begin(work, file.name or "file", file, file.size)
        return
    if act == "forget":
        bringing.forget(work)
        return
    there = _begun(work)
    if act == "look":
        said = {name: request.POST.get(name, "") for name in ("encoding", "separator", "sheet", "path", "written")}
        separator = {word: sign for sign, word in SEPARATORS.items()}.get(said.pop("separator"), "")
        above = request.POST.get("above", "")
        if said["encoding"] not in ("", *ENCODINGS):
            raise Problem("There is no such encoding.", "Choose one of the list.", code="bad")
        if said["written"] not in ("", *dict(ways_of(there.own.locale))):
            raise Problem("Numbers and dates are not written so.", "Choose one of the list.", code="bad")
        look = Look(request.POST.get("format", ""), separator=separator, heads=bool(request.POST.get("heads")), **said)
        there.read(replace(look, above=int(above) if above.isdecimal() and len(above) < 5 else -1))
    elif act == "map":
        heads = there.spool.heads
        mapping = {head: request.POST.get(f"column-{i}", "") for i, head in enumerate(heads)}
        there.map(mapping, request.POST.get("existing", ""))
    else:
        raise Problem("There is no such act.", "Use the buttons of the page.", code="bad")


def _begun(work: Work) -> Bringing:
    there = begun(work)
    if there is None:
        raise Problem("There is no file any more.", "Choose it again.", code="missing")
    return there


def _context(request: HttpRequest, work: Work, told: str) -> dict[str, Any]:
    context = {
        **base_context(work),
        "told": told,
        "project": work.form.project,
        "formats": [(n, f.label) for n, f in FORMATS.items()],
    }
    there = begun(work)
    if there is None:
        return context
    mapping = there.incoming.mapping
    return {
        **context,
        "incoming": there.incoming,
        "look": there.look,
        "encodings": ENCODINGS,
        "ways": ways_of(there.own.locale) if there.look.format != "package" else (),
        "separators": [(word, sign == there.look.separator) for sign, word in SEPARATORS.items()],
        "columns": [(head, mapping.get(head, "")) for head in there.spool.heads],
        "sample": there.sample() if there.spool.count else [],
        "fields": there.fields,
        "key": [work.dataset.by_name[name].label for name in work.dataset.key if name in work.dataset.by_name],
        "existing": bringing.EXISTING.items(),
        **progress(there),
    }


def progress(there: Bringing) -> dict[str, Any]:
    """How far the rows are checked and put in, and what was found."""
    incoming, counts = there.incoming, there.incoming.counts
    sound = counts.get("new", 0) + counts.get("update", 0)
    said = Counter((head, fault["texts"].get(head, "")) for fault in incoming.faults for head, _ in fault["faults"])
    offered = {head: there.offered(head) for head in there.heads if any(where == head for where, _ in said)}
    places = {head: number for number, (head, lines) in enumerate(offered.items(), 1) if lines}
    faults = [
        {
            "alike": max((said[head, fault["texts"].get(head, "")] for head, _ in fault["faults"] if head), default=0),
            "row": fault["row"],
            "place": fault.get("place") or f"Row {fault['row']:,}",
            "cells": [
                (
                    head,
                    text := fault["texts"].get(head, ""),
                    wrong := _told(fault, head),
                    "\n" in text or "\r" in text,
                    places.get(head) if wrong else None,
                )
                for head in there.heads
            ],
            "general": [sentence for head, sentence in fault["faults"] if head not in incoming.mapping],
        }
        for fault in incoming.faults
    ]
    return {
        "count": there.spool.count,
        "checked": incoming.checked,
        "taken": incoming.taken,
        "counts": counts,
        "sound": sound,
        "faults": faults,
        "offered": [(number, offered[head]) for head, number in places.items()],
        "unkept": counts.get("faulty", 0) - len(faults),
        "whole": bool(there.spool.count) and incoming.checked >= there.spool.count,
        "done": bool(there.spool.count) and incoming.taken >= there.spool.count,
    }


def _told(fault: dict[str, Any], head: str) -> str:
    return " ".join(sentence for place, sentence in fault["faults"] if place == head)


@require_POST
@on_form
def check(request: HttpRequest, work: Work) -> JsonResponse:
    """Check the next rows."""
    there = _begun(work)
    return JsonResponse({"done": there.for_a_while("check"), "of": there.spool.count})


@require_POST
@on_form
def put_in(request: HttpRequest, work: Work) -> JsonResponse:
    """Put the next rows into the draft."""
    there = _begun(work)
    return JsonResponse({"done": there.for_a_while("put_in"), "of": there.spool.count})


@require_POST
@on_form
def mend(request: HttpRequest, work: Work) -> HttpResponse:
    """Put other texts into a faulty row, and look at it again; what is found in the rows then. alike: into all rows that
    have the same texts; all of them are to be checked again then."""
    there = _begun(work)
    number = request.POST.get("row", "")
    cells = {head: f"cell-{i}" for i, head in enumerate(there.heads)}
    texts = {head: request.POST[name] for head, name in cells.items() if name in request.POST}
    at = int(number) if number.isdecimal() and len(number) < 9 else -1
    if request.POST.get("alike") == "1":
        there.mend_alike(at, texts)
    else:
        there.mend(at, texts)
    return _found(request, work)


@require_GET
@on_form
def faults(request: HttpRequest, work: Work) -> StreamingHttpResponse:
    """The faulty rows with their sentences, as CSV."""
    rows = _begun(work).faulty_rows()
    lines = csv_lines(next(rows), ([text if text == MARK else guarded(text) for text in row] for row in rows))
    headers = {"Content-Disposition": 'attachment; filename="faulty-rows.csv"', "Cache-Control": "no-store"}
    return StreamingHttpResponse(lines, content_type="text/csv; charset=utf-8", headers=headers)
