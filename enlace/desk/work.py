"""One person at work on one form: the records as they stand.

No HTML here: `enlace.desk.answers` shows what this computes. `enlace.desk.editing` makes the changes,
`enlace.desk.saving` saves them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from copy import copy
from dataclasses import replace
from functools import cached_property, lru_cache, partial
from typing import Any
from urllib.parse import quote, urlencode

from django.urls import reverse
from django.utils.http import RFC3986_SUBDELIMS
from django.utils.timezone import localdate

from enlace.accounts.models import Person
from enlace.core import hooks
from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.empty_order import with_empties, without_empties
from enlace.core.dataset.filters import read_filters
from enlace.core.dataset.grouping import Layout, Leaf, grouped_rows
from enlace.core.dataset.offline import as_kept
from enlace.core.dataset.query import parameters_of
from enlace.core.dataset.totals import Total, offered
from enlace.core.dataset.window import CUT, Row, Rows
from enlace.core.draft import PendingRecord
from enlace.core.form.columns import GridColumn
from enlace.core.form.opening import Opening
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.core.rules import RecordRules
from enlace.core.view import Arranged, Asked, filter_of
from enlace.rows.writer import Overlay
from enlace.workshop.models import Form

from .arranged import arranged_key, in_force, shared
from .checks import SEVERAL, Checks
from .drafts import DraftStore
from .kept import KeptCopy
from .links import links_of
from .master_line import line_of_master
from .parts import FormPart, own_part, part_named, parts_of, table_part
from .reach import names_beyond
from .record_view import RecordView
from .sheet import Sheet
from .troubles import Troubles
from .words import Words

NOTHING = Asked()  # all rows, in the order of the dataset


def _no_record() -> Problem:
    return Problem("There is no such record.", "Go back to the form and choose one.", code="missing")


@contextmanager
def _known_ids() -> Iterator[None]:
    """An id that no record can have is told as one that no record has."""
    try:
        yield
    except (ValueError, OverflowError):
        raise _no_record() from None


IN_PATHS = RFC3986_SUBDELIMS + "~:@"  # what stands in a part of a path as it is


@lru_cache(maxsize=1000)
def home_of(form: int) -> str:
    """The address of a form at the desk."""
    return reverse("work", args=[form])


class Work:
    """A form, the person at it, and the order in which the person reads.

    part, master: for a detail of the form, its name and the record id of the master that it belongs to.
    asked: what they asked to see; filter_faults, condition_faults: what of its filters can't be understood.
    on_sheet: the page shows the form's sheet, so that ids are told apart by part; above: the work on the master, if there is
    one already. kept: read from the person's kept copy. live: the database that saves go to; spec: the one that is read.
    """

    def __init__(
        self,
        person: Person,
        form: Form,
        formats: Formats,
        asked: Asked = NOTHING,
        part: str = "",
        master: str = "",
        kept: bool = False,
        parameter_values: Mapping[str, str] | None = None,
        on_sheet: bool = False,
        above: Work | None = None,
    ) -> None:
        self.person, self.form, self.formats, self.master = person, form, formats, master
        self.live = form.dataset.connection.to_spec()
        self.kept = KeptCopy(form, person) if kept else None
        self.spec = self.kept.spec if self.kept else self.live
        # Who works above knows all parts already; a form's own is known without looking for the others.
        self._known_parts = dict(above.parts) if above else None
        self.part = part_named(self._known_parts or parts_of(form), part) if part else own_part(form)
        self._seen: dict[str, Work] = {}  # other parts, as they are seen from this one
        self.sheet: Sheet | None = (above.sheet if above else Sheet(form)) if on_sheet else None
        self.prefix = f"{part}--" if on_sheet and part else ""
        if above is not None:
            self._seen[above.part.name] = above
        self.parameter_values: dict[str, Any] = dict(parameter_values or {})
        self.parameter_values |= self._from_master()
        self.parameters = parameters_of(self.part.dataset.query, self.live.kind)
        if self.parameters:
            self.part = self._with_values(self.part)
        if self.kept:
            self.part = replace(self.part, dataset=as_kept(self.part.dataset))
        self.dataset: DatasetSpec = self.part.dataset
        self.practice = bool(form.dataset.connection.practice)
        # What nobody follows is not put together: a discarded draft may have thousands of records.
        edited = self._edited if hooks.wanted(hooks.EDITED) else None
        self.store = DraftStore(person, form, self._faulty, part, master, self.practice, self._links, edited)
        self._above = above
        self.troubles: Troubles = above.troubles if above else Troubles()
        self.words = Words(self.spec, formats, partial(line_of_master, self))
        self.checks = Checks(self)
        self._begin()
        self._ask(asked)

    def _begin(self) -> None:
        """Nothing is known yet of what a request says beside what it asks for, nor has anything been read."""
        # The window that was read last: who shows it and who asks for its first record read it once.
        self._windows: dict[tuple[int, int], tuple[list[Row], dict[str, PendingRecord]]] = {}
        self._arrangements: Mapping[tuple[str, str], Arranged] | None = None
        self._arranged_by = ""  # the token of an arrangement that an address shares
        self.opening: Opening | None = None  # where the form opens by its own steps
        # Of the groups' lines, once they were laid out.
        self.layout: tuple[tuple[list[Leaf], int], Layout] | None = None
        self.trying = False  # a builder tries the form: a save is a rehearsal there
        self.quiet = False  # a record that somebody has just begun is not told yet what it lacks
        self.master_values: Mapping[str, Any] | None = None  # of the master as stored, where they are known already

    def _ask(self, asked: Asked) -> None:
        """Read what a person asked to see."""
        self.asked = asked.fitting(self.dataset)
        formats = self.formats
        filters, self.filter_faults = read_filters(self.dataset, dict(self.asked.boxes), formats)
        # Conditions that reach over other tables are for builders: what an operator may read is what the form shows.
        far = bool(self.person.is_builder)
        beyond = names_beyond(self.part, self.parts, far) if asked.conditions else ()
        built, self.condition_faults = filter_of(asked.conditions, self.dataset, formats, localdate(), far, beyond)
        self._filters = (*filters, *built)

    def arranged(self, key: str = "") -> tuple[GridColumn, ...]:
        """The columns of a grid as the person wants them; none where they are as the form has them."""
        return self.arrangement(key).columns

    def arrangement(self, key: str = "") -> Arranged:
        """A grid as the person wants it."""
        return self.arrangements().get((self.part.name, arranged_key(key))) or self.as_on_the_sheet(key)

    def as_on_the_sheet(self, key: str = "") -> Arranged:
        """A grid as the form has it: with the totals that its columns say."""
        columns = self.sheet.columns(self.part.name, arranged_key(key)) if self.sheet else ()
        totals = [Total(column.field, column.total) for column in columns if column.total]
        by_name = self.dataset.by_name
        # One that makes no sense any more, since the field is another kind by now, is left out.
        return Arranged(
            totals=tuple(t for t in totals if t.field in by_name and t.function in offered(by_name[t.field]))
        )

    def arrangements(self) -> Mapping[tuple[str, str], Arranged]:
        """By part and a grid's key, how the person wants it: read once for all parts of a page."""
        if self._above is not None:
            return self._above.arrangements()
        if self._arrangements is None:
            self._arrangements = {**in_force(self.form, self.person), **shared(self.form, self._arranged_by)}
        return self._arrangements

    @property
    def arranged_by(self) -> str:
        """The token of the shared arrangement in force, for all parts of a page; "" where there is none."""
        return self._above.arranged_by if self._above is not None else self._arranged_by

    def arrange_by(self, token: str) -> None:
        """Have the grids as an address shares them; before any of them is asked for."""
        self._arranged_by, self._arrangements = token, None

    def reading_as(self, formats: Formats) -> Work:
        """The same work, for texts that are written in another way than the person writes."""
        other = copy(self)
        other.formats = formats
        return other

    @cached_property
    def rows(self) -> Rows:
        """The rows that are read, in their order, which begins with that of their groups."""
        within = self._within() if self.part.name else None
        rows = Rows.of(self.spec, self.dataset, without_empties(self.asked.order, self.dataset), within, self._filters)
        rows = with_empties(rows, self.asked.order)
        return grouped_rows(rows, self.asked.groups) if self.asked.groups else rows

    def _with_values(self, part: FormPart) -> FormPart:
        """A part whose query has values for its parameters. Raises Problem when somebody has to be asked for one."""
        lacking = [name for name in self.parameters if name not in self.parameter_values]
        if lacking:
            hint = "Give a value for each, and the form shows its rows."
            raise Problem(f"The form asks for {', '.join(lacking)}.", hint, code="parameters")
        parameter_values = tuple((name, self.parameter_values[name]) for name in self.parameters)
        return replace(part, dataset=part.dataset.with_parameters(parameter_values))

    @cached_property
    def parts(self) -> dict[str, FormPart]:
        """All parts of the form by name; looked up when they are needed, since most answers show one."""
        by_name = dict(self._known_parts or parts_of(self.form))
        # The part in hand knows more than the one in the list: its parameters have values, and its copy may be a kept
        # one.
        by_name[self.part.name] = self.part
        for name in self.store.draft.tables if self.store.draft else ():
            by_name[name] = table_part(self.live, name)
        return by_name

    def _faulty(self, part: str, records: Sequence[PendingRecord]) -> list[bool]:
        # A draft may hold records of a part that was taken from the form since; they stay until somebody saves or
        # discards.
        if part not in self.parts:
            return [False] * len(records)
        return self.checks.faulty(self.parts[part], records)

    def _edited(self, part: str, identifier: str, record: PendingRecord | None) -> None:
        if part in self.parts:
            hooks.tell(hooks.EDITED, dataset=self.parts[part].dataset, id=identifier, record=record)

    def _links(self, part: str, record: PendingRecord) -> tuple[str, str]:
        if part not in self.parts or not self.parts[part].columns:
            return "", ""
        return links_of(record, self.parts[part].columns, self.parts[part].of)

    def _from_master(self) -> dict[str, Any]:
        """The values that a detail's query takes from its master, as they are wanted; None where there is none."""
        if not self.part.asked:
            return {}
        values = self.master_work.record(self.master).values
        return {name: values.get(field) for name, field in self.part.asked}

    def _within(self) -> list[tuple[str, Any]]:
        """The values of the master that its details hold. Details of a master that is new have no rows yet."""
        values = self.master_values
        if values is None:
            values = self.master_work.stored(self.master) if self.master else None
        values = values or {}
        values_held = [values.get(name) for name in self.part.master_columns]
        return list(zip(self.part.columns, values_held, strict=True))

    @property
    def master_work(self) -> Work:
        """What this is a detail of, for its records; whose details those are in turn is of no matter to them."""
        return self.for_part(self.part.of)

    def for_part(self, part: str) -> Work:
        """A part of the form, for its records."""
        if part == self.part.name:
            return self
        if part not in self._seen:
            kept = self.kept is not None
            self._seen[part] = Work(
                self.person, self.form, self.formats, part=part, kept=kept, parameter_values=self.parameter_values
            )
        return self._seen[part]

    @property
    def master_address(self) -> str:
        """Where the master's record is shown; "" where it does not tell whose detail it is."""
        above = self.master_work
        owner = ""
        if above.part.name:
            pending, stored = above.store.get(self.master), above.stored(self.master) or {}
            owner = above.part.master_of(pending) if pending else above.part.master_by(stored)
        if above.part.name and not owner:
            return ""
        return f"{self.address_of(self.form, above.part, owner)}?{urlencode({'record': self.master})}"

    @property
    def address(self) -> str:
        """The address under which all acts on this form, or on this detail of it, are reached."""
        return self.address_of(self.form, self.part, self.master)

    @staticmethod
    def address_of(form: Form, part: FormPart, master: str) -> str:
        """The address of a part of a form, under a master where it is a detail."""
        home = home_of(form.pk)
        # As `reverse` writes it, in a tenth of its time: a page asks for each of its parts several times.
        return f"{home}detail/{part.name}/{quote(master, safe=IN_PATHS)}/" if part.name else home

    @property
    def rules(self) -> RecordRules:
        return self.part.rules

    @cached_property
    def new_count(self) -> int:
        return self.store.new_count()

    def forget_draft(self) -> None:
        """Look at the draft anew: another request may have changed it."""
        # Not the store alone: checks, parts and windows were made of what the draft held.
        self.store.look_again()
        self.__dict__.pop("parts", None)
        self.checks = Checks(self)
        self._seen = {}
        self.forget_new()

    def forget_arrangements(self) -> None:
        """Look anew how the person wants the columns, after they changed."""
        self._arrangements = None

    def forget_new(self) -> None:
        """Look again which records are new, after they changed."""
        self.__dict__.pop("new_count", None)
        self._windows = {}

    def total(self) -> int:
        """How many records there are, new ones included."""
        return self.rows.count() + self.new_count

    def field(self, name: str) -> FieldSpec:
        """A saved field of the form. Raises Problem when there is none, or when it is hidden."""
        field = self.dataset.by_name.get(name)
        if field is None or field.hidden:
            raise Problem("This form has no such field.", "Reload the page; the form may have changed.", code="bad")
        return field

    # -- reading --------------------------------------------------------------------------------------

    def window(self, start: int, size: int) -> tuple[list[Row], dict[str, PendingRecord]]:
        """The rows from a position on, new records after the last stored one, and what is pending of them."""
        if (start, size) in self._windows:
            return self._windows[start, size]
        if (start, size) == (0, 1) and self._windows:
            ((begin, _), (rows, pending)) = next(iter(self._windows.items()))
            if begin == 0:
                return rows[:1], pending
        if self.sheet is None or not self.prefix or not self._seen:
            return self._window(start, size)
        self._windows = {(start, size): self._window(start, size)}
        return self._windows[start, size]

    def look_ahead(self, size: int) -> None:
        """Read the first rows, since the first record and they will be asked for: in an order that no index serves each
        statement goes through all rows. Of a request that changes nothing."""
        if not self.asked.groups:
            self._windows = {(0, size): self._window(0, size)}

    def _window(self, start: int, size: int) -> tuple[list[Row], dict[str, PendingRecord]]:
        rows = self.rows.window(start, size)
        pending = self.store.some([row.id for row in rows]) if self.dataset.editable else {}
        if len(rows) < size and self.new_count:
            count = self.rows.count()
            first = max(start - count, 0)
            ids = self.store.new_slice(first, size - len(rows))
            pending |= self.store.some(ids)
            rows += [self._new_row(identifier, count + first + i) for i, identifier in enumerate(ids)]
        self.checks.prefetch_all(self.part, list(pending.values()))
        return rows, pending

    def _new_row(self, identifier: str, position: int) -> Row:
        nothing = (None,) * len(self.dataset.fields)
        none_shown = tuple((None,) * len(lookup.reads) for _, lookup in self.dataset.looked_up.values())
        return Row(identifier, position, nothing, (), none_shown)

    def new_rows(self, identifiers: Sequence[str]) -> tuple[list[Row], dict[str, PendingRecord]]:
        """The rows of some new records, each with its position behind the stored ones, and what is pending of them."""
        count, pending = self.rows.count(), self.store.some(identifiers)
        places = {identifier: count + i for i, identifier in enumerate(self.store.new_slice(0, self.new_count))}
        self.checks.prefetch_all(self.part, list(pending.values()))
        return [
            self._new_row(identifier, places[identifier]) for identifier in identifiers if identifier in places
        ], pending

    def at(self, position: int) -> RecordView | None:
        """The record at a position, the last one when the position lies beyond; None when there are none."""
        position = max(position, 0)
        rows, pending = self.window(position, 1)
        if not rows and position:
            total = self.total()
            rows, pending = self.window(total - 1, 1) if total else ([], {})
        if not rows:
            return None
        if rows[0].id.startswith("p"):
            whole = self.rows.whole_at(rows[0].position) or rows[0].values
            return self.view(rows[0].id, rows[0].position, dict(zip(self._names, whole, strict=True)), None)
        return self.of_row(rows[0], pending) or self.record(rows[0].id, rows[0].position)

    @property
    def _names(self) -> list[str]:
        return [field.name for field in self.dataset.fields]

    def stored(self, identifier: str) -> dict[str, Any] | None:
        """What the server has of a record. Raises Problem when the id is none."""
        if identifier.startswith("n"):
            return None
        # A detail that the draft has may be on its way from another master to this one; one that is looked at as the
        # master of others has a master of its own, which has to be there as well.
        alone = bool(self.part.name) and not self.master
        anywhere = alone or (bool(self.part.name) and self.store.get(identifier) is not None)
        with _known_ids():
            row = self.rows.row(identifier, anywhere)
        values = None if row is None else dict(zip(self._names, row, strict=True))
        if alone and values is not None and self.part.of in self.parts:
            owner, above = self.part.master_by(values), self.parts[self.part.of]
            if (
                owner
                and (above.dataset.row_condition or above.name)
                and self.for_part(above.name).stored(owner) is None
            ):
                return None
        return values

    def stored_of(self, identifiers: Sequence[str]) -> dict[str, dict[str, Any]]:
        """What the server has of several records, by their ids."""
        there = [identifier for identifier in identifiers if not identifier.startswith("n")]
        with _known_ids():
            rows = self.rows.whole_rows(there, anywhere=True) if there else {}
        return {identifier: dict(zip(self._names, row, strict=True)) for identifier, row in rows.items()}

    def record(self, identifier: str, position: int | None = None) -> RecordView:
        """One record by its id. Raises Problem when neither the server nor the draft has it."""
        if identifier.startswith("p") and identifier[1:].isdecimal() and len(identifier) < 20:
            view = self.at(int(identifier[1:]))
            if view is None:
                raise _no_record()
            return view
        pending = self.store.get(identifier)
        stored = self.stored(identifier)
        if stored is None and pending is None:
            hint = "Somebody may have removed it. Refresh the form to see what is there."
            raise Problem("This record is not there any more.", hint, code="gone")
        return self.view(identifier, position, stored, pending)

    def of_row(self, row: Row, pending: Mapping[str, PendingRecord]) -> RecordView | None:
        """The record of a row that was read; None where the row has only a part of it, or is not told apart from others."""
        values = dict(zip(self._names, row.values, strict=True))
        parts = (
            len(value) >= CUT if isinstance(value, str) else field.kind in ("picture", "binary")
            for field, value in zip(self.dataset.fields, row.values, strict=True)
            if value is not None
        )
        if row.id[:1] not in "ik" or any(parts):
            return None
        self.words.learn(self.dataset, values, row.shown)
        return self.view(row.id, row.position, values, pending.get(row.id))

    def position(self, identifier: str) -> int | None:
        """A record's position in the order; None when it is not there."""
        if identifier.startswith("n"):
            place = self.store.new_place(identifier)
            return None if place is None else self.rows.count() + place
        with _known_ids():
            return int(identifier[1:]) if identifier.startswith("p") else self.rows.position(identifier)

    def overlay(self, pending: PendingRecord) -> Overlay:
        """What a pending record lays over its row."""
        values = pending.values()
        calculated = self.calculated(pending, values)
        extra = tuple(calculated.get(f.name) for f in self.dataset.extra)
        return Overlay(self.checks.complaints(pending), extra, lambda f, record: self.words.of(self.dataset, f, record))

    def calculated(self, pending: PendingRecord, values: Mapping[str, Any]) -> dict[str, Any]:
        """The calculated fields of a pending record, by name."""
        return self._computed(pending.id, values, pending.state == "new")[0]

    def _computed(
        self, identifier: str, values: Mapping[str, Any], new: bool = False
    ) -> tuple[dict[str, Any], frozenset[str]]:
        """A record's calculated fields, and its fields that are not to be edited now."""
        computed = self.rules.computed
        if not (computed.formulas or computed.locks):
            return {}, frozenset()
        # Without a master its values are none, as they are to the server.
        related = {**dict.fromkeys(computed.of_master), **self.checks.related(self.part, identifier, values)}
        met = computed.values(values, related, new)
        return computed.calculated(met), computed.locked(met)

    def require_server(self) -> None:
        """Raises Problem while the form works from a kept copy: what is asked for only the server can do."""
        if self.kept:
            raise Problem("The form works from a kept copy.", "Go back to the server first.", code="bad")

    def require_editable(self) -> None:
        """Raises Problem when the form is for reading only."""
        if not self.dataset.editable:
            raise Problem("Nothing was changed.", self.dataset.read_only_because, code="read-only")

    def view(
        self, identifier: str, position: int | None, stored: Mapping[str, Any] | None, pending: PendingRecord | None
    ) -> RecordView:
        """A record as a person sees it, from what is known of it."""
        # Text that fits several lines of a list is better told with those lines than as text that fits none.
        asked = self.checks.questions(pending, stored)
        better = {complaint.fields for complaint in asked if complaint.code == SEVERAL}
        known = self.checks.complaints(pending, stored)
        told = [
            *(complaint for complaint in known if complaint.code != "unreadable" or complaint.fields not in better),
            *asked,
        ]
        view = RecordView(identifier, position, stored, pending, tuple(told))
        calculated, locked = self._computed(identifier, view.values, stored is None)
        return replace(view, calculated=calculated, locked=locked)

    def glimpse(self, identifier: str, stored: Mapping[str, Any] | None, pending: PendingRecord) -> RecordView:
        """A record with what is computed of it, no rule checked."""
        view = RecordView(identifier, None, stored, pending)
        return replace(view, calculated=self._computed(identifier, view.values, stored is None)[0])
