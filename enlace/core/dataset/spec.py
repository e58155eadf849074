"""Datasets and fields as values. Definitions turn into these before anything is computed with them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property


@dataclass(frozen=True)
class FieldSpec:
    """One column as a dataset presents it.

    name: unique in the dataset, the column's own name. kind: name of a field kind (enlace.core.kinds).
    width: pixels in a grid. length: most characters, precision and scale: digits in all and after the
    point; None where the table sets no bound. storage: how the server holds dates and times where it has
    several ways. default: SQL text of the server's default. numbered, computed: the server makes the value.
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

    @property
    def generated(self) -> bool:
        """Whether the server makes the value, so that nobody is asked for it."""
        return self.numbered or self.computed


@dataclass(frozen=True)
class RuleSpec:
    """A condition over the fields of a record, in SQL; a record for which it is false breaks the rule.

    name: the constraint's name where the table has it. message: what to say; made from the expression when empty;
    `{field}` in it stands for that field's value. severity: an "error" holds a save back, a "warning" does not.
    """

    expression: str
    name: str = ""
    message: str = ""
    severity: str = "error"


@dataclass(frozen=True, eq=False)
class DatasetSpec:
    """The fields of one table or view and what identifies a record.

    Compared by identity: what is derived from a dataset is kept as long as the same value is in use.

    key: the columns that identify a record, empty when nothing does. locator: a hidden column that orders
    the rows of a table without a key. read_only_because: a sentence; empty when records can be edited.
    uniques: column sets that the table keeps unique, the key apart.
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

    @cached_property
    def by_name(self) -> dict[str, FieldSpec]:
        """The fields by their names."""
        return {f.name: f for f in self.fields}

    @cached_property
    def shown(self) -> tuple[FieldSpec, ...]:
        """The fields that forms show."""
        return tuple(f for f in self.fields if not f.hidden)

    @property
    def editable(self) -> bool:
        return not self.read_only_because
