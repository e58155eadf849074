"""A grid as a person wants it: which columns, how wide, in which order, at which side; its rows; its totals."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET, require_POST

from enlace.core.dataset.filters import WHEN, Among
from enlace.core.dataset.order import total_order
from enlace.core.dataset.totals import Total, offered
from enlace.core.form.columns import GridColumn, moved, with_property
from enlace.core.model.values import key_of
from enlace.core.problem import Problem
from enlace.core.view import SPLITS, Arranged
from enlace.rows.writer import row_writer

from .answers import Answer
from .arranged import arranged_key
from .arranged import shared as shared_by
from .contexts import as_laid_out, columns_now, on_grid, prefix_of
from .kept_arrangements import to_put_on
from .opening import grid_from, on_form, text_from
from .showing import drawing_of
from .work import Work

MOST_LINES = 3  # of a row
MOST_TOTALS = 24
MOST_NAMED = 1_000  # columns in one act
MOST_KEPT_ROWS = 8  # in sight above the others


@require_POST
@on_form
def columns(request: HttpRequest, work: Work) -> HttpResponse:
    """Change one thing of a grid for this person, have it as the form has it (reset), or as it is kept under a number
    (apply); the grid as it is then."""
    act, key = text_from(request, "act"), arranged_key(grid_from(request))
    shared = bool(work.arranged_by)
    if shared:
        _adopt(work)
    if act == "reset":
        work.form.arrangements.filter(person=work.person, part=work.part.name, grid=key, name="").delete()
        told = ""
    else:
        made, told = _changed(request, work, key, act)
        named = {"person": work.person, "part": work.part.name, "grid": key, "name": ""}
        work.form.arrangements.update_or_create(**named, defaults=made.kept())
    work.forget_arrangements()
    identifier = request.POST.get("record", "")
    view = work.record(identifier, work.position(identifier)) if identifier else None
    answer = Answer(request, work).grid(drawing_of(work, view, count_all=True))
    if shared:
        answer.events["enlace:adopted"] = {}
        told = f"The arrangement that the address brought is yours now. {told}".strip()
    return (answer.say(told) if told else answer).response()


@require_GET
@on_form
def kept_rows(request: HttpRequest, work: Work) -> HttpResponse:
    """The rows of the records that stay in sight above a grid, in the order in which somebody kept them."""
    key = grid_from(request)
    wanted = work.arrangement(key).rows
    keys = {identifier: key_of(identifier) for identifier in wanted}
    if not keys or not work.dataset.key:
        return HttpResponse("")
    own = [item for item in work.rows.filters if item == WHEN]
    among = Among(work.dataset.key, tuple(keys.values()))
    # Whatever is filtered now; of a detail only what belongs to the master that one stands in.
    rows = replace(work.rows, filters=(*own, among), order=total_order(work.dataset, ()))
    there = {row.id: row._replace(position=-1) for row in rows.window(0, MOST_KEPT_ROWS)}
    several = [there[identifier] for identifier in wanted if identifier in there]
    writer = row_writer(on_grid(work, key), work.formats, f"{prefix_of(work, key)}kept-")
    pending = work.store.some([row.id for row in several])
    work.checks.prefetch_all(work.part, list(pending.values()))
    return HttpResponse(writer.write(several, pending, work.overlay))


@transaction.atomic
def _adopt(work: Work) -> None:
    """What an address shares becomes the person's own as soon as they change any of it."""
    for (part, grid), arranged in shared_by(work.form, work.arranged_by).items():
        named = {"person": work.person, "part": part, "grid": grid, "name": ""}
        work.form.arrangements.update_or_create(**named, defaults=arranged.kept())
    work.arrange_by("")


@transaction.atomic
def _changed(request: HttpRequest, work: Work, key: str, act: str) -> tuple[Arranged, str]:
    """The arrangement after an act, and what to say of it."""
    now, name, value = work.arrangement(key), request.POST.get("field", ""), request.POST.get("value", "")
    if act == "lines":
        lines = int(value) if value.isdecimal() and len(value) < 3 else 1
        return replace(now, lines=min(max(lines, 1), MOST_LINES)), ""
    if act in ("striped", "merged"):
        return replace(now, **{act: value == "1"}), ""
    if act == "split" and value in SPLITS:
        return replace(now, split=value), ""
    if act == "row":
        return replace(now, rows=_with_row(work, now.rows, name)), ""
    if act == "total":
        return replace(now, totals=_with_total(work, now.totals, name, value)), ""
    if act == "apply":
        return _fitting(work, key, value)
    several = columns_now(work, key)
    order = [field.name for field in as_laid_out(work, key).shown] if act == "show" else []
    for one in _named(request) or [name]:
        several = _shown_again(several, one, order) if act == "show" else changed(several, act, one, value)
    return replace(now, columns=tuple(several)), ""


def _named(request: HttpRequest) -> list[str]:
    """The columns that an act is for, where it is for several at once. Raises Problem."""
    said = request.POST.get("fields", "")
    try:
        names = json.loads(said) if said else []
    except (ValueError, RecursionError):
        names = None
    if not isinstance(names, list) or len(names) > MOST_NAMED or not all(isinstance(name, str) for name in names):
        raise Problem("The request does not name columns.", "Reload the page.", code="bad")
    return names


def _with_row(work: Work, rows: Sequence[str], identifier: str) -> tuple[str, ...]:
    """The records that stay in sight with one more, or without one that does. Raises Problem."""
    if identifier in rows:
        return tuple(other for other in rows if other != identifier)
    if identifier[:1] not in "ik" or work.stored(identifier) is None:
        raise Problem("Only a saved record can stay in sight.", "Save it first.", code="bad")
    if len(rows) >= MOST_KEPT_ROWS:
        raise Problem(f"{MOST_KEPT_ROWS} records stay in sight already.", "Let one of them go first.", code="bad")
    return (*rows, identifier)


def _with_total(work: Work, totals: Sequence[Total], name: str, function: str) -> tuple[Total, ...]:
    """The totals with one more, or without one that is there. Raises Problem."""
    total = Total(name, function)
    if total in totals:
        return tuple(other for other in totals if other != total)
    if function not in offered(work.field(name)):
        raise Problem("There is no such total.", "Choose one from the menu of the column.", code="bad")
    if len(totals) >= MOST_TOTALS:
        raise Problem(f"There are {MOST_TOTALS} totals already.", "Take one out first.", code="bad")
    return (*totals, total)


def _fitting(work: Work, key: str, number: str) -> tuple[Arranged, str]:
    """A kept arrangement, as far as this grid has its fields; what of it does not fit. Raises Problem."""
    kept = next((kept for kept in to_put_on(work) if str(kept.pk) == number), None)
    if kept is None:
        raise Problem("There is no such arrangement.", "Choose one from the list.", code="missing")
    arranged = Arranged.of(vars(kept))
    here = {field.name for field in work.dataset.shown}
    fits = tuple(column for column in arranged.columns if column.field in here)
    lacking = [column.field for column in arranged.columns if column.field not in here]
    if arranged.columns and not fits:
        raise Problem(f"{kept.name} has none of this grid's fields.", "Choose another one.", code="bad")
    totals = tuple(total for total in arranged.totals if total.field in here)
    told = f"{kept.name} is put on." + (f" This grid has no {', '.join(lacking)}." if lacking else "")
    # Which records stay in sight is no part of a kept arrangement: those of now go on doing so.
    return replace(arranged, columns=fits, totals=totals, rows=work.arrangement(key).rows), told


def _shown_again(several: Sequence[GridColumn], name: str, order: Sequence[str]) -> list[GridColumn]:
    """The columns with one that was hidden, behind those that the form has in front of it. Raises Problem."""
    if name not in order:
        raise Problem("The grid has no such column.", "Refresh the form.", code="bad")
    made, before = [column for column in several if column.field != name], order[: order.index(name)]
    behind = [i for i, column in enumerate(made) if column.field in before]
    made.insert(behind[-1] + 1 if behind else 0, GridColumn(name))
    return made


def changed(several: Sequence[GridColumn], act: str, name: str, value: str) -> list[GridColumn]:
    """The columns after an act: "width", "widths" (all of them), "hide", "pin", "earlier", "later", "before" (another
    one), "swap" (with another one). Raises Problem."""
    made = list(several)
    at = next((i for i, column in enumerate(made) if column.field == name), None)
    if act == "widths":
        return _all_widths(made, value)
    if at is None:
        raise Problem("The grid has no such column.", "Refresh the form.", code="bad")
    if act in ("width", "pin"):
        made[at] = with_property(made[at], act, value)
    elif act == "hide":
        del made[at]
    elif act in ("earlier", "later"):
        made = moved(made, at, act)
    elif act == "swap":
        to = next((i for i, other in enumerate(made) if other.field == value), at)
        # Each takes the other's place, and with it the side that it stays at.
        made[at], made[to] = replace(made[to], pin=made[at].pin), replace(made[at], pin=made[to].pin)
    elif act == "before":
        column = made.pop(at)
        made.insert(next((i for i, other in enumerate(made) if other.field == value), len(made)), column)
    else:
        raise Problem("There is no such act.", "Use the menu of the column.", code="bad")
    if not made:
        raise Problem("A grid needs a column.", "Leave this one.", code="bad")
    return made


def _all_widths(several: Sequence[GridColumn], value: str) -> list[GridColumn]:
    """The columns with a width each, in their order."""
    widths = value.split()
    if len(widths) != len(several):
        raise Problem("The grid has other columns by now.", "Refresh the form.", code="bad")
    return [with_property(column, "width", width) for column, width in zip(several, widths, strict=True)]
