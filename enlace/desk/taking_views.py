"""What a grid shows, taken out as a file: all its rows in its order, with the draft laid over them."""

from __future__ import annotations

from collections.abc import Iterator

from django.http import HttpRequest, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import render
from django.template.loader import render_to_string
from django.utils.html import escape
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.totals import NUMBERS
from enlace.core.exchange.outgoing import Sheet
from enlace.core.exchange.package_out import schema_of
from enlace.core.exchange.writers import WRITERS
from enlace.core.problem import Problem
from enlace.rows.sending import sent, writer_named

from .cells_out import cells, values_out
from .contexts import base_context
from .opening import grid_from, on_form
from .sentence import sentence_context
from .taking import Taken, fields_out, nested, records, sheets, table_of
from .work import Work

MOST_PRINTED = 10_000
MOST_UPRIGHT = 7  # columns that a page is wide enough for when it stands


def _offers(work: Work) -> list[tuple[str, str, list[tuple[str, str]]]]:
    """What can be chosen: (heading, more of the address, (name, label) of each format)."""
    every = [(name, writer.label) for name, writer in WRITERS.items()]
    plain = [pair for pair in every if pair[0] != "package"]
    offers = [
        ("All these rows as they are shown:", "", plain),
        ("As they are stored, to be brought in again:", "&stored=1", every),
    ]
    if Taken(work, True, fields_out(work)).details:
        several = [pair for pair in every if WRITERS[pair[0]].nests or WRITERS[pair[0]].whole]
        offers += [("With their details, as they are stored:", "&stored=1&details=1", several)]
    return offers


@require_GET
@on_form
def take(request: HttpRequest, work: Work) -> HttpResponseBase:
    """The rows in a format. stored: values under the names of their fields as they are stored, so that they can be brought in
    again; else as they are shown. details: with what belongs to each. Without a format: what can be chosen."""
    wanted, stored = request.GET.get("format", ""), request.GET.get("stored") == "1"
    if not wanted:
        return render(request, "desk/take.html", {**base_context(work), "takes": _offers(work)})
    writer, title = writer_named(wanted), work.part.title
    # A package says how its values are written, so they are always those that are stored.
    taken = Taken(work, stored or wanted == "package", fields_out(work, grid_from(request)))
    work.window(0, 1)  # what is wrong with the rows is told before anything is sent
    if request.GET.get("details") == "1":
        if writer.nests:
            return sent(writer, title, [Sheet(title, *nested(taken, records(work, not taken.stored)))])
        if writer.whole is None:
            raise Problem(f"{writer.label} has no room for details.", "Choose another format.", code="bad")
        return sent(writer, title, sheets(taken, records(work, not taken.stored)))
    rows = cells(taken) if wanted == "csv" else values_out(taken)
    schema = schema_of(work.dataset, taken.fields, table_of(work)) if wanted == "package" else {}
    return sent(writer, title, [Sheet(title, taken.heads, rows, work.dataset.table if taken.stored else "", schema)])


@require_GET
@on_form
def as_table(request: HttpRequest, work: Work) -> StreamingHttpResponse:
    """The rows as a plain table to be printed, at most MOST_PRINTED of them; sent as they are read."""
    fields = fields_out(work, grid_from(request))
    work.window(0, 1)
    columns = [(field, _printed_as(field)) for field in fields]
    context = {"title": work.part.title, "columns": columns, "said": _said(work), "when": localtime()}
    context["wide"] = len(fields) > MOST_UPRIGHT
    head = render_to_string("desk/table_head.html", context, request)
    return StreamingHttpResponse(_table(work, columns, head), content_type="text/html; charset=utf-8")


def _printed_as(field: FieldSpec) -> str:
    """The classes of a column: numbers stand at the end, and they and dates on one line."""
    if field.lookup:
        return ""
    return "end whole" if field.kind in NUMBERS else "whole" if field.kind in ("date", "time", "datetime") else ""


def _table(work: Work, columns: list[tuple[FieldSpec, str]], head: str) -> Iterator[str]:
    yield head
    begins = [f'<td class="{css}">' if css else "<td>" for _, css in columns]
    for count, (_, values) in enumerate(records(work, True)):
        if count >= MOST_PRINTED:
            left = f"These are the first {MOST_PRINTED:,} rows. Filter them to print others."
            yield f'<tr><td colspan="{len(columns)}">{left}</td></tr>'
            break
        texts = (escape(work.words.of(work.dataset, field, values)) for field, _ in columns)
        yield f"<tr>{''.join(f'{begin}{text}</td>' for begin, text in zip(begins, texts, strict=True))}</tr>"
    yield "</tbody></table></body></html>"


def _said(work: Work) -> str:
    """Which rows these are, in words."""
    context = sentence_context(work)
    filters = ", ".join(said.words for said in context["filters_said"] if not said.off)
    orders = ", ".join(said.words for said in (*context["groups_said"], *context["orders_said"]))
    parts = [f"Filtered: {filters}." if filters else "", f"In the order of {orders}." if orders else ""]
    return " ".join(part for part in parts if part)
