"""Datasets and fields as values. Definitions turn into these before anything is computed with them."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

BETWEEN = " · "  # what stands between several things that a lookup shows


@dataclass(frozen=True)
class ColumnSpec:
    """One column of another table, as far as expressions and lookups need to know it."""

    name: str
    kind: str
    storage: str = ""
    nullable: bool = True

    def as_field(self) -> FieldSpec:
        return FieldSpec(self.name, self.name, self.kind, storage=self.storage)


@dataclass(frozen=True)
class LookupSpec:
    """A list to choose a field's value from, and what is shown for it.

    choices: (value as text of the field's kind, what is shown) pairs of a fixed list. Otherwise the list is a table:
    target is its column that holds the field's value, shows those that are shown, columns all that it has. unique:
    whether one row at most has a value. also: (field, column) pairs of the other fields of a reference over several
    columns. name: under which expressions reach the looked-up record. narrowed: a condition for what is offered, over
    the list's own columns and, as `record.field` and `lookup.column`, the record that is edited. others: whether values
    that the list lacks may be typed. query: a SELECT whose rows are the list, in place of the table; `table` names it.
    """

    table: str = ""
    target: str = ""
    shows: tuple[str, ...] = ()
    columns: tuple[ColumnSpec, ...] = ()
    unique: bool = True
    also: tuple[tuple[str, str], ...] = ()
    choices: tuple[tuple[str, str], ...] = ()
    name: str = ""
    narrowed: str = ""
    others: bool = False
    query: str = ""

    def __hash__(self) -> int:
        return self._hash  # asked for with every line of a list

    @cached_property
    def _hash(self) -> int:
        return hash((self.table, self.target, self.shows, self.choices, self.name, self.narrowed, self.query))

    @cached_property
    def by_name(self) -> dict[str, ColumnSpec]:
        return {column.name: column for column in self.columns}

    @cached_property
    def derived(self) -> dict[str, dict[Hashable, Any]]:
        """What is kept of it (see `compiled`)."""
        return {}

    @cached_property
    def reads(self) -> tuple[str, ...]:
        """What is read of a line to show it: the shown columns, and its value where all of them may be empty."""
        known = self.by_name
        empty = all(item not in known or known[item].nullable for item in self.shows)
        return (*self.shows, self.target) if self.shows and empty and self.target not in self.shows else self.shows


@dataclass(frozen=True)
class DetailSpec:
    """A table whose rows belong to a record, for aggregates in expressions: its columns hold `master_columns`."""

    name: str
    table: str
    columns: tuple[str, ...]
    master_columns: tuple[str, ...]
    fields: tuple[ColumnSpec, ...]


@dataclass(frozen=True)
class FieldSpec:
    """One column as a dataset presents it.

    name: unique in the dataset, the column's own name. kind: name of a field kind (enlace.core.kinds).
    width: pixels in a grid. length: most characters, precision and scale: digits in all and after the
    point; None where the table sets no bound. storage: how the server holds dates and times where it has
    several ways. default: SQL text of the server's default. numbered, computed: the server makes the value.

    What a builder settles: format, a CLDR pattern or the name of one; align, "start", "end" or "center", "" as the kind
    has it; picture, an input picture; pattern, a regular expression that a whole text must match; text_check, the name of a
    check (enlace.core.kinds.knowledge); initial, an expression for the value of a new record; required_when and
    read_only_when, conditions; conditional_formats, (condition, tone) pairs; lookup. formula: the expression of a calculated field. outside: a query's column that
    is not of the table that is saved. typed_in: what a grid's column says of how a text is typed, "line" or "lines", "" as
    its kind has it.
    """

    name: str
    label: str
    kind: str
    type_text: str = ""
    width: int = 120
    nullable: bool = True
    required: bool = False
    read_only: bool = False
    hidden: bool = False
    numbered: bool = False
    computed: bool = False
    default: str | None = None
    length: int | None = None
    precision: int | None = None
    scale: int | None = None
    storage: str = ""
    help: str = ""
    format: str = ""
    align: str = ""
    picture: str = ""
    pattern: str = ""
    text_check: str = ""
    initial: str = ""
    required_when: str = ""
    read_only_when: str = ""
    conditional_formats: tuple[tuple[str, str], ...] = ()
    formula: str = ""
    outside: bool = False
    lookup: LookupSpec | None = None
    typed_in: str = ""

    @property
    def generated(self) -> bool:
        """Whether the server makes the value, so that nobody is asked for it.

        A number that it would give may be typed where the builder has it so.
        """
        return self.computed or (self.numbered and self.read_only)


@dataclass(frozen=True)
class RuleSpec:
    """A condition over the fields of a record, in SQL; a record for which it is false breaks the rule.

    name: the constraint's name where the table has it. message: what to say; made from the expression when empty;
    `{field}` in it stands for that field's value. severity: an "error" holds a save back, a "warning" does not.
    marks: the fields that it marks; those that the expression is about when empty. runs: "always" while one edits and
    on save, "new" the same but for new records only, "save" on save only.
    """

    expression: str
    name: str = ""
    message: str = ""
    severity: str = "error"
    marks: tuple[str, ...] = ()
    runs: str = "always"


# Among the values of a query's parameters: the rows that a procedure gave, as a text.
CALLED = "called__rows"


@dataclass(frozen=True, eq=False)
class DatasetSpec:
    """The fields of one table or view and what identifies a record.

    Compared by identity: what is derived from a dataset is kept with it (see `compiled`).

    key: the columns that identify a record, empty when nothing does. locator: a hidden column that orders
    the rows of a table without a key, or those that a procedure gives. read_only_because: a sentence; empty when records
    can be edited.
    uniques: column sets that the table keeps unique, the key apart.
    extra: fields that are shown and never saved, such as calculated ones. order: the names of all fields as forms show
    them; those that it lacks come last. details: the tables that aggregates in expressions may add up.
    query: a SELECT that the rows come from, in place of the table; parameter_values: those of its parameters.
    row_condition: which rows are its own; "" for all of the table.
    sorted_by: the order of the rows where nobody asks for another, as (field, descending) pairs.
    master: of a detail, the table of its master and what links them, for `master.column` in calculated fields.
    compare: what must still be as read when a record is saved: "edited" (the edited fields), "all" (every field), or
    "version" (the field named by `version`, and the edited ones).
    """

    table: str
    fields: tuple[FieldSpec, ...]
    key: tuple[str, ...] = ()
    locator: str | None = None
    read_only_because: str = ""
    rules: tuple[RuleSpec, ...] = ()
    uniques: tuple[tuple[str, ...], ...] = ()
    is_view: bool = False
    compare: str = "edited"
    version: str = ""
    extra: tuple[FieldSpec, ...] = ()
    order: tuple[str, ...] = ()
    details: tuple[DetailSpec, ...] = ()
    query: str = ""
    parameter_values: tuple[tuple[str, Any], ...] = ()
    master: DetailSpec | None = None
    sorted_by: tuple[tuple[str, bool], ...] = ()
    row_condition: str = ""

    @cached_property
    def derived(self) -> dict[str, dict[Hashable, Any]]:
        """What is kept of it (see `compiled`)."""
        return {}

    def with_parameters(self, parameter_values: tuple[tuple[str, Any], ...]) -> DatasetSpec:
        """The dataset with values for its query's parameters. All that is derived from it stays what it is."""
        made = replace(self, parameter_values=parameter_values)
        made.__dict__.update(derived=self.derived, token=self.token)
        return made

    @cached_property
    def token(self) -> object:
        """Stands for the definition, whatever values are given."""
        return object()

    @property
    def identity(self) -> Hashable:
        """Equal for the same definition with the same values, whatever rows a procedure gave for them."""
        return self.token, tuple(given for given in self.parameter_values if given[0] != CALLED)

    @property
    def all_rows(self) -> DatasetSpec:
        """The dataset without a condition for its rows, values given or not."""
        if not self.row_condition:
            return self
        made = self.derived.setdefault("all rows", {})
        spec = made.get(()) or made.setdefault((), replace(self, row_condition="", parameter_values=()))
        return spec.with_parameters(self.parameter_values) if self.parameter_values else spec

    @cached_property
    def by_name(self) -> dict[str, FieldSpec]:
        """The saved fields by their names."""
        return {f.name: f for f in self.fields}

    @cached_property
    def all(self) -> tuple[FieldSpec, ...]:
        """All fields: those that are saved, then the extra ones."""
        return self.fields + self.extra

    @cached_property
    def any_name(self) -> dict[str, FieldSpec]:
        """All fields by their names."""
        return {f.name: f for f in self.all}

    @cached_property
    def numbers(self) -> dict[str, int]:
        """The place of each field in `all`."""
        return {f.name: i for i, f in enumerate(self.all)}

    @cached_property
    def shown(self) -> tuple[FieldSpec, ...]:
        """The fields that forms show, in order."""
        places = {name: i for i, name in enumerate(self.order)}
        ordered = sorted(self.all, key=lambda f: places.get(f.name, len(places)))
        return tuple(f for f in ordered if not f.hidden)

    @cached_property
    def looked_up(self) -> dict[str, tuple[FieldSpec, LookupSpec]]:
        """The lookups in tables, by the names under which expressions reach them."""
        by_name: dict[str, tuple[FieldSpec, LookupSpec]] = {}
        for field in self.fields:
            if field.lookup and field.lookup.table:
                by_name.setdefault(field.lookup.name or field.name, (field, field.lookup))
        return by_name

    @property
    def editable(self) -> bool:
        return not self.read_only_because

    @cached_property
    def loose_key(self) -> bool:
        """Whether a part of the key may be NULL, so that it has to be compared as such."""
        return any(name in self.by_name and self.by_name[name].nullable for name in self.key)

    @cached_property
    def lacking_keys(self) -> tuple[str, ...]:
        """The parts of a key that a new record needs and nobody can enter: with one, nothing can be added."""
        return tuple(
            name
            for name in self.key
            if name in self.by_name
            and self.by_name[name].required
            and self.by_name[name].default is None
            and (self.by_name[name].read_only or self.by_name[name].kind == "binary")
        )
