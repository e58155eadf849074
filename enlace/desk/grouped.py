"""Rows in groups at the desk: which are open, and the lines that stand for them."""

from __future__ import annotations

import datetime
import threading
from collections import OrderedDict
from collections.abc import Sequence
from typing import Any

from babel.dates import format_skeleton
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.group_draft import MOST_DRAFTED, Drafted, laid_over
from enlace.core.dataset.group_leaves import ADDS, MOST_LEAVES, different_of, leaves_of
from enlace.core.dataset.grouping import (
    VALUE,
    GroupLine,
    GroupTerm,
    Layout,
    Leaf,
    NewLines,
    Numbers,
    Opened,
    first_letter,
    key_of_group,
    laid_out,
    numbers_of,
    read_together,
)
from enlace.core.dataset.lookups import chosen_text, first_shown
from enlace.core.dataset.totals import NAMES, Total, as_number, tidied
from enlace.core.dataset.window import Row
from enlace.core.draft import PendingRecord
from enlace.core.kinds import KINDS
from enlace.core.problem import Problem

from .addresses import groups_text
from .contexts import on_grid, prefix_of, written
from .controls.base import records_of
from .models import OpenGroups
from .totals import shown_total
from .work import Work

READ_TOGETHER = 4  # times the lines of a window: rows that are read in one, with hidden ones among them
MOST_COUNTED = 8  # layouts with a draft counted in
Counted = tuple[list[Leaf], dict[tuple[Any, ...], Numbers]]
_counted: OrderedDict[tuple[Any, ...], tuple[list[Leaf], Counted]] = OrderedDict()
_lock = threading.Lock()
MOST_KEYS = 100_000  # of groups that a person has opened, or closed, one by one
LONGEST_GROUPS = 600


def _place(work: Work) -> dict[str, Any]:
    """What one person's open groups are kept under."""
    text = groups_text(work.asked.groups)[:LONGEST_GROUPS]
    return {"person": work.person, "form": work.form, "part": work.part.name, "groups": text}


def opened(work: Work) -> Opened:
    """Which groups the person has open."""
    kept = OpenGroups.objects.filter(**_place(work)).first()
    return Opened(kept.all_open, frozenset(kept.keys)) if kept else Opened()


def keep(work: Work, state: Opened) -> None:
    """Keep which groups are open. Raises Problem when there are too many to note one by one."""
    if len(state.but) > MOST_KEYS:
        raise Problem("These are too many groups to open one by one.", "Open or close all of them.", code="bad")
    work.layout = None
    OpenGroups.objects.update_or_create(**_place(work), defaults={"all_open": state.all, "keys": sorted(state.but)})


def _wanted(work: Work) -> list[Total]:
    """The totals that the person wants below a grid of the part, which groups have too."""
    keys = work.sheet.keys(work.part.name, "grid") if work.sheet else [""]
    wanted = dict.fromkeys(total for key in keys for total in work.arrangement(key).totals)
    return [total for total in wanted if total.field in work.dataset.by_name]


def adds_of(work: Work) -> list[Total]:
    """What the server adds up in each group."""
    by_name = work.dataset.by_name
    # What a list shows in place of a key is not what the server would compare.
    compared = ("sum", "avg", "min", "max")
    return [t for t in _wanted(work) if t.function in ADDS and not (t.function in compared and by_name[t.field].lookup)]


def layout_of(work: Work) -> Layout:
    """The lines of the grid: of groups, and of the rows in open ones. Raises Problem."""
    leaves = leaves_of(work.rows, work.asked.groups, adds := adds_of(work))
    state = (leaves, work.store.revision)
    if work.layout is None or work.layout[0][0] is not leaves or work.layout[0][1] != state[1]:
        shown, numbers = _with_draft(work, leaves, adds)
        work.layout = state, laid_out(shown, len(work.asked.groups), opened(work), numbers)
    return work.layout[1]


def _with_draft(work: Work, leaves: list[Leaf], adds: list[Total]) -> Counted:
    """The leaves and what is told of each group, the draft counted in: once for a state of the draft and the database."""
    draft = work.store.draft
    # A list is another one as soon as anybody has changed the database; being kept here, none takes its place in memory.
    state = (draft.pk, draft.revision, work.part.name, work.master) if draft and work.dataset.editable else None
    key = (id(leaves), state)
    with _lock:
        if key in _counted:
            return _counted[key][1]
    if state and (drafted := _drafted(work)):
        made = laid_over(work.rows, work.asked.groups, adds, leaves, drafted)
    else:
        different = different_of(work.rows, work.asked.groups, adds)
        made = leaves, numbers_of(leaves, len(work.asked.groups), adds, different)
    with _lock:
        _counted[key] = leaves, made
        while len(_counted) > 1 and (
            len(_counted) > MOST_COUNTED or sum(len(kept) for kept, _ in _counted.values()) > MOST_LEAVES
        ):
            _counted.popitem(last=False)
    return made


def _drafted(work: Work) -> list[Drafted]:
    """The pending records as groups count them; none where they are too many to be counted in."""
    if uncounted(work):
        return []
    several = work.store.in_view()
    stored = work.stored_of([record.id for record in several if record.state == "edited"])
    made = []
    for record in several:
        values = record.values(stored.get(record.id))
        made.append(Drafted(record.id, record.state, {**values, **work.calculated(record, values)}))
    return made


def uncounted(work: Work) -> str:
    """Why groups do not count the draft in, as a sentence; "" where they do."""
    if not work.asked.groups or work.store.pending_here() <= MOST_DRAFTED:
        return ""
    return f"The draft has more than {MOST_DRAFTED:,} records here: groups do not count it in until it is saved."


def line_total(work: Work) -> int:
    """How many lines the grid has. Raises Problem."""
    layout = layout_of(work)
    return layout.total + behind_all(work, layout)


def behind_all(work: Work, layout: Layout) -> int:
    """How many new records stand behind all groups: those of a draft that is too large to be counted in."""
    return 0 if layout.new_lines else work.new_count


def line_of(work: Work, layout: Layout, position: int) -> int:
    """The line of a record by its position; of one in a closed group, that of the group."""
    count = layout.rows
    if position < count:
        return layout.line_of(position)
    [identifier] = work.store.new_slice(position - count, 1) or [""]
    return layout.new_lines.get(identifier, layout.total + position - count)


def position_at(work: Work, layout: Layout, line: int) -> int | None:
    """The position of a line's record; None for the line of a group."""
    if line >= layout.total:
        return layout.rows + line - layout.total
    if new := layout.new_at(line):
        return work.position(new)
    return layout.row_at(line)


def reveal(work: Work, identifier: str) -> None:
    """Open the groups that hide a new record."""
    values = layout_of(work).new_groups.get(identifier, ())
    state = opened(work)
    hiding = [key for depth in range(len(values)) if not state.holds(key := key_of_group(values[: depth + 1]))]
    for key in hiding:
        state = state.turned(key, True)
    if hiding:
        keep(work, state)


def lines_of(work: Work, layout: Layout, start: int, size: int, key: str = "") -> tuple[SafeString, list[Row]]:
    """The lines of a window as a grid shows them; and the rows among them."""
    html: list[str] = []
    shown: list[Row] = []
    pieces = layout.window(start, size)
    adds = adds_of(work) if pieces else []
    prefix, wide = prefix_of(work, key), len(on_grid(work, key).shown)
    there: dict[int, Row] = {}
    pending: dict[str, PendingRecord] = {}
    for stretch in read_together(pieces, READ_TOGETHER * size):
        read, drafted = work.window(*stretch)
        there |= {stretch[0] + i: row for i, row in enumerate(read)}
        pending |= drafted
    for piece in pieces:
        if isinstance(piece, GroupLine):
            html.append(_head(work, piece, prefix, adds, wide))
            continue
        if isinstance(piece, NewLines):
            rows, drafted = work.new_rows(piece.ids)
            shown += rows
            html.append(written(work, rows, drafted, key))
            continue
        rows = [there[at] for at in range(piece[0], piece[0] + piece[1]) if at in there]
        shown += rows
        html.append(written(work, rows, {row.id: pending[row.id] for row in rows if row.id in pending}, key))
    beyond = start + size - layout.total
    if beyond > 0 and behind_all(work, layout):
        first = max(start - layout.total, 0)
        rows, pending = work.window(work.rows.count() + first, beyond - first)
        shown += rows
        html.append(written(work, rows, pending, key))
    return mark_safe("".join(html)), shown


def _head(work: Work, head: GroupLine, prefix: str, adds: Sequence[Total], wide: int) -> str:
    term = work.asked.groups[head.level]
    field = work.dataset.any_name[term.field]
    number = work.formats.number()
    told = list(zip(adds, head.numbers.added, strict=False)) + _ends(work, head)
    added = [
        format_html(
            '<span class="soft">{} <span class="digits">{}</span></span>',
            _called(work, total),
            _shown(work, total, value),
        )
        for total, value in told
    ]
    moved = head.numbers.count - head.count
    line = (
        '<div role="row" class="record group-line" id="{p}group-{key}" data-group="{key}" data-level="{level}">'
        '<div role="gridcell" class="thread"></div><div role="gridcell" class="group-cell" aria-colindex="2" aria-colspan="{wide}"><span class="group-words">'
        '<button type="button" tabindex="-1" data-fold aria-expanded="{open}"><span class="visually-hidden">{label}: {words}</span></button>'
        '<span class="soft">{label}</span> <strong>{words}</strong> <span class="soft digits">{count}</span>{moved} {added}</span></div></div>'
    )
    return format_html(
        line,
        p=prefix,
        wide=wide,
        key=head.key,
        level=head.level,
        open="true" if head.open else "false",
        label=field.label,
        words=words_of(work, term, field, head.values[-1]),
        count=number(head.numbers.count),
        moved=format_html(' <span class="pending-count">{} by the draft</span>', f"{moved:+,d}".replace("-", "−"))
        if moved
        else "",
        added=mark_safe(" ".join(added)),
    )


def _ends(work: Work, head: GroupLine) -> list[tuple[Total, Any]]:
    """The first and last values of a group, by the order in which its rows stand, of those that were chosen below the grid."""
    wanted = [total for total in _wanted(work) if total.function in ("first", "last")]
    told: list[tuple[Total, Any]] = []
    for function, at in (("first", head.first), ("last", head.first + head.count - 1)):
        several = [total for total in wanted if total.function == function]
        if not several:
            continue
        rows, pending = work.window(at, 1) if head.count else ([], {})
        values = records_of(work, rows, pending)[0] if rows else {}
        told += [(total, values.get(total.field)) for total in several]
    return told


def _shown(work: Work, total: Total, value: Any) -> str:
    field = work.dataset.by_name[total.field]
    if value is not None and total.function in ("sum", "avg"):
        value = tidied(field, as_number(value), total.function)
    return shown_total(work, total, value)


def _called(work: Work, total: Total) -> str:
    """What a total is called in a group's row: of a sum the field alone, since most are."""
    label = work.dataset.by_name[total.field].label
    return label if total.function == "sum" else f"{NAMES[total.function].lower()} of {label}"


def words_of(work: Work, term: GroupTerm, field: FieldSpec, value: Any) -> str:
    """What people call a group."""
    if value is None:
        return "(empty)"
    if value == "":
        return "(empty text)"
    if term.by == "month":
        year, month = divmod(int(value), 100)
        return str(format_skeleton("yMMMM", datetime.date(year, month, 1), locale=work.formats.locale))
    if term.by == "year":
        return str(int(value))
    if term.by == "letter":
        return first_letter(str(value))  # MariaDB tells any of those that its collation takes for one
    if term.by.isdecimal():
        step = int(term.by)
        return f"{work.formats.number()(int(value))} to {'' if field.kind == 'whole' else 'below '}{work.formats.number()(int(value) + step - (field.kind == 'whole'))}"
    if term.by == "day":
        return KINDS["date"].formatter(FieldSpec(field.name, field.label, "date"), work.formats)(value)
    if term.by == VALUE and field.lookup:
        if field.lookup.table:
            return first_shown(field.lookup, value, work.formats)
        if (chosen := chosen_text(field, value)) is not None:
            return chosen
    return KINDS[field.kind].formatter(field, work.formats)(value)
