"""What templates of the desk are drawn from: the state of a part of a form as dictionaries. No markup but that of rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from secrets import token_hex
from typing import Any

from django.utils.safestring import mark_safe

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.compiled import derived
from enlace.core.dataset.related import related_values
from enlace.core.dataset.window import Row
from enlace.core.draft import PendingRecord, conflicts
from enlace.core.form import CONTROL_KINDS, Control
from enlace.core.form.columns import GridColumn
from enlace.core.form.fields import fields_of
from enlace.core.problem import Problem
from enlace.core.save.action import Action, ActionSpec
from enlace.rows.writer import Overlay, RowWriter, row_writer

from .addresses import ARRANGED, filters_text, order_text, said_way, view_text
from .arranged import SPLIT
from .editors import EditorView, editor_views
from .record_view import RecordView, record_digest
from .sheet import with_columns
from .work import Work


def base_context(work: Work) -> dict[str, Any]:
    """What every fragment and page of a form needs. at: the address of its acts."""
    return {
        "form": work.form,
        "part": work.part,
        "dataset": work.dataset,
        "order": order_text(work.asked.order),
        "terms": [said_way(name, down) for name, down in work.asked.order],
        "filters": filters_text(work.asked),
        "boxes_said": bool(work.asked.boxes) or bool(work.filter_faults),
        "view": view_text(work.asked)
        + ("&on=sheet" if work.sheet else "")
        + ("&trying=1" if work.trying else "")
        + (f"&{ARRANGED}={work.arranged_by}" if work.arranged_by else ""),
        "trying": work.trying,
        "p": work.prefix,
        "g": work.prefix,
        "n": work.prefix,
        "at": work.address,
        "practice": work.practice,
        "kept": work.kept,
    }


def drift_lines(work: Work, pending: PendingRecord, stored: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The fields that are not on the server what they were when a pending record was read."""
    lines = []
    for field in work.dataset.shown:
        if field.name not in pending.was or conflicts.exactly(pending.was[field.name], stored.get(field.name)):
            continue
        now = work.words.of(work.dataset, field, stored)[:80]
        lines.append({"label": field.label, "now": now, "mine": field.name in pending.touched})
    return lines


def panel_context(work: Work, view: RecordView | None) -> dict[str, Any]:
    """What the panel of a record shows; None is an empty table."""
    panel = work.sheet.panel(work.part.name) if work.sheet else None
    acts = bool(panel and work.dataset.editable and CONTROL_KINDS["panel"].value(panel.settings, "acts"))
    if view is None:
        return {"record": None, "editors": [], "panel_acts": acts}
    context: dict[str, Any] = {"record": view, "editors": _on_panel(work, view, panel), "panel_acts": acts}
    context["panel_columns"] = CONTROL_KINDS["panel"].value(panel.settings, "columns") if panel else 1
    context["seen"] = record_digest(view.stored)
    context["actions"] = offered(work, view)
    context["acts_apart"] = all(action["apart"] for action in context["actions"])
    shown = work.sheet.details(work.part.name) if work.sheet else ()
    context["details"] = [
        part for part in work.parts.values() if part.name and part.of == work.part.name and part.name not in shown
    ]
    if view.pending is not None and view.stored is not None and view.state in ("edited", "removed"):
        context["lines"] = drift_lines(work, view.pending, view.stored)
    context["general"] = [c.sentence for c in view.complaints if not c.fields]
    if view.pending is not None and view.pending.conflict:
        context["conflict"] = _conflict_context(work, view)
    return context


def _on_panel(work: Work, view: RecordView, panel: Control | None) -> list[EditorView]:
    """The editors of a panel, in its order; none where the sheet has no panel for the part."""
    if work.sheet is None:
        return editor_views(work, view)
    if panel is None:
        return []
    by_name = {editor_view.field.name: editor_view for editor_view in editor_views(work, view)}
    return [by_name[name] for name in fields_of(panel, work.dataset) if name in by_name]


def offered(work: Work, view: RecordView) -> list[dict[str, Any]]:
    """The form's server actions, each with whether it can be run on a record now."""
    if work.part.name:
        return []
    offers, apart = [], work.sheet.own_buttons if work.sheet else frozenset()
    for action in work.form.actions.all():
        try:
            ready = ready_action(work.dataset, action.to_spec(), work.form.dataset.connection.kind)
        except Problem:
            continue  # the table has changed since it was written; the workshop's page says so
        may = False
        # An action reads the stored record; with changes pending it would act on what nobody sees.
        if view.stored is not None and view.pending is None:
            related = related_values(work.spec, work.dataset, ready.related, view.stored) if ready.related else None
            may = ready.allows(view.stored, related)
        offer = {"pk": action.pk, "title": action.title, "question": action.question, "may": may}
        # The one on the sheet presses the panel's, which is not seen a second time.
        offers.append({**offer, "token": token_hex(16), "apart": action.title in apart})
    return offers


@derived
def ready_action(dataset: DatasetSpec, spec: ActionSpec, server: str) -> Action:
    """An action made ready once."""
    return Action(dataset, spec, server)


def _conflict_context(work: Work, view: RecordView) -> dict[str, Any]:
    pending = view.pending
    assert pending is not None and pending.conflict is not None

    def text(field: FieldSpec, value: Any) -> str:
        shown = work.words.of(work.dataset, field, {**view.values, field.name: value})
        # Two long texts beside each other are told apart at their beginning, or on the page of the review.
        return shown[:300] + ("…" if len(shown) > 300 else "")

    lines = [
        {
            "field": version.field,
            "number": work.dataset.fields.index(version.field),
            "was": text(version.field, version.was),
            "mine": pending.texts.get(version.field.name) or text(version.field, version.mine),
            "theirs": text(version.field, version.theirs),
            "mine_edited": version.mine_edited,
            "disputed": version.disputed,
        }
        for version in conflicts.versions(work.dataset, pending)
    ]
    return {
        "lines": lines,
        "kind": pending.conflict.kind,
        "gone": pending.conflict.theirs is None,
        "removing": pending.state == "removed",
        "combinable": conflicts.combinable(work.dataset, pending),
        "later": pending.later,
    }


def rail_context(work: Work, position: int | None, total: int | None) -> dict[str, Any]:
    """What the navigator shows. position counts from 0."""
    last = None if total is None else max(total - 1, 0)
    return {
        "position": position,
        "number": None if position is None else position + 1,
        "total": total,
        "total_text": "" if total is None else work.formats.number()(total),
        "last": last,
        "at_first": position is None or position <= 0,
        "at_last": position is None or (last is not None and position >= last),
    }


def strip_context(work: Work) -> dict[str, Any]:
    """What the save strip shows."""
    counts = work.store.counts()
    write = work.formats.number()
    words = [f"{write(counts[state])} {word}" for state, word in STATES if counts[state]]
    return {
        "counts": counts,
        "pending_words": ", ".join(words),
        "can_undo": work.store.can_undo(),
        "can_redo": work.store.can_redo(),
        "token": token_hex(16),  # a save that is sent again from this page is known by it
    }


STATES = (("edited", "edited"), ("new", "new"), ("removed", "to be removed"))


def prefix_of(work: Work, key: str = "") -> str:
    """What begins the ids of a grid or a navigator of a part. key: "" for the first one, else its control's id."""
    return f"{work.prefix}{key}-" if key else work.prefix


def writer_of(work: Work, key: str = "") -> RowWriter:
    """What writes the rows of a part: with the columns that a grid of it has on the sheet."""
    return row_writer(on_grid(work, key), work.formats, prefix_of(work, key))


def as_laid_out(work: Work, key: str = "") -> DatasetSpec:
    """The dataset of a part with the columns that a grid has on the sheet, whatever the person has made of them."""
    return work.sheet.on_grid(work.part.name, work.dataset, key) if work.sheet else work.dataset


def on_grid(work: Work, key: str = "") -> DatasetSpec:
    """The dataset of a part with the columns that a grid has on the sheet, as the person has arranged them."""
    dataset, arranged = as_laid_out(work, key), work.arranged(key)
    return with_columns(dataset, arranged) if arranged else dataset


def columns_now(work: Work, key: str = "") -> list[GridColumn]:
    """The columns that a grid shows, in their order, each with its width and the side that it stays at."""
    sides = sides_now(work, key)
    return [GridColumn(f.name, width=f.width, pin=sides.get(f.name, "")) for f in on_grid(work, key).shown]


def sides_now(work: Work, key: str = "") -> dict[str, str]:
    """The side that a column of a grid stays at, by its field; a field without one moves with the others."""
    laid_out = work.sheet.columns(work.part.name, key) if work.sheet else ()
    # A person's own arrangement says all sides; where there is none the builder's do.
    return {column.field: column.pin for column in work.arranged(key) or laid_out if column.pin}


def keys_of(work: Work, kind: str = "grid") -> list[str]:
    """The keys of a part's grids, or of its navigators; where there is no sheet the page has one of each."""
    keys = work.sheet.keys(work.part.name, kind) if work.sheet else [""]
    return [*keys, SPLIT] if kind == "grid" and work.arrangement().split else keys


def row_html(work: Work, view: RecordView) -> str:
    """A record's row in each grid, to be replaced in a page that shows it."""
    position = view.position
    if position is None:
        position = -1  # the page knows where the row stands
    values = tuple(view.value(f.name) if view.stored is None else view.stored.get(f.name) for f in work.dataset.fields)
    values = tuple(
        # As the window reads them: the length of a picture, the beginning of a text.
        len(v) if isinstance(v, bytes) and f.kind in ("picture", "binary") else v[:200] if isinstance(v, str) else v
        for f, v in zip(work.dataset.fields, values, strict=True)
    )
    extra = tuple(view.calculated.get(f.name) for f in work.dataset.extra)
    row = Row(view.id, position, values, extra, _shown(work, view))
    writers = [writer_of(work, key) for key in keys_of(work)]
    if view.pending is None:
        plain = (writer.plain(row) for writer in writers)
        return "".join(text.replace(' class="record"', ' class="record" hx-swap-oob="true"', 1) for text in plain)
    over = Overlay(view.complaints, extra, lambda f, record: work.words.of(work.dataset, f, record))
    return "".join(writer.changed(row, view.pending, over, swap=True) for writer in writers)


def _shown(work: Work, view: RecordView) -> tuple[tuple[Any, ...], ...]:
    """What lookups show for a record as stored: one text each, as if it were the first column."""
    stored = view.stored or {}
    texts = (work.words.chosen(work.dataset, field, stored) for field, _ in work.dataset.looked_up.values())
    return tuple((text,) if text else () for text in texts)


def rows_html(work: Work, start: int, size: int, key: str = "") -> str:
    """The rows of a window, as a grid shows them."""
    return written(work, *work.window(start, size), key)


def written(work: Work, rows: Sequence[Row], pending: Mapping[str, PendingRecord], key: str = "") -> str:
    """Rows that were read, as a grid shows them."""
    return mark_safe(writer_of(work, key).write(rows, pending, work.overlay))
