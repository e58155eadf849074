"""A person's own columns of a grid: their widths, their order, which of them are seen."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from enlace.core.dataset import FieldSpec
from enlace.core.form.columns import GridColumn, moved, with_property
from enlace.core.problem import Problem

from .answers import Answer
from .contexts import on_grid
from .opening import grid_from, on_form, text_from
from .showing import drawing_of
from .work import Work

MOST_LINES = 3  # of a row


@require_POST
@on_form
def columns(request: HttpRequest, work: Work) -> HttpResponse:
    """Change one column of the grid for this person, its rows (lines, striped), or (reset) have all as the form has it; the
    grid as it is then."""
    act, name = text_from(request, "act"), request.POST.get("field", "")
    key = grid_from(request)
    mine = work.form.arrangements.filter(person=work.person, part=work.part.name, grid=key)
    if act == "reset":
        mine.delete()
    elif act in ("lines", "striped"):
        value = request.POST.get("value", "")
        lines = {"lines": min(max(int(value), 1), MOST_LINES)} if value.isdecimal() and len(value) < 3 else {"lines": 1}
        asked = lines if act == "lines" else {"striped": value == "1"}
        work.form.arrangements.update_or_create(person=work.person, part=work.part.name, grid=key, defaults=asked)
    else:
        made = changed(on_grid(work, key).shown, act, name, request.POST.get("value", ""))
        kept = [column.kept() for column in made]
        named = {"person": work.person, "part": work.part.name, "grid": key}
        work.form.arrangements.update_or_create(**named, defaults={"columns": kept})
    work.forget_arrangements()
    identifier = request.POST.get("record", "")
    view = work.record(identifier, work.position(identifier)) if identifier else None
    return Answer(request, work).grid(drawing_of(work, view)).response()


def changed(shown: tuple[FieldSpec, ...], act: str, name: str, value: str) -> list[GridColumn]:
    """The columns after an act: "width", "hide", "show", "earlier", "later". Raises Problem."""
    several = [GridColumn(field.name, width=field.width) for field in shown]
    at = next((i for i, column in enumerate(several) if column.field == name), None)
    if act == "show" and at is None and name:
        return [*several, GridColumn(name)]
    if at is None:
        raise Problem("The grid has no such column.", "Refresh the form.", code="bad")
    if act == "width":
        several[at] = with_property(several[at], "width", value)
    elif act == "hide":
        del several[at]
    elif act in ("earlier", "later"):
        several = moved(several, at, act)
    else:
        raise Problem("There is no such act.", "Use the menu of the column.", code="bad")
    if not several:
        raise Problem("A grid needs a column.", "Leave this one.", code="bad")
    return several
