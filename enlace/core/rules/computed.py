"""What is computed of a record: calculated fields, conditions, and the values that expressions over it meet."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from math import isfinite
from typing import Any

from ..dataset.source import names_for
from ..expression import Expression, ExpressionError, Unsupported
from ..expression.parse import MASTER
from ..kinds import KINDS, Nonconforming
from ..model.dataset import DatasetSpec, FieldSpec


class Computed:
    """The calculated fields and conditions of a dataset's fields, made ready once.

    outer: the names from outside of the record that they need (`lookup.column`, `sum(detail.column)`). What can't be
    understood is left out; the page where it is written says why.
    """

    def __init__(self, dataset: DatasetSpec) -> None:
        self.dataset = dataset
        names = names_for(dataset)
        self._names = names
        self.readers = {f.name: reader_of(f) for f in dataset.all if not f.formula}
        # Classes of values that expressions compute with as they are stored.
        self.plain = {f.name: {type(None), *USUAL.get(f.kind, ())} for f in dataset.all if not f.formula}
        self.formulas = {f.name: e for f in dataset.extra if f.formula and (e := self.made(f.formula))}
        self.required = {f.name: e for f in dataset.fields if (e := self.made(f.required_when))}
        self.locks = {f.name: e for f in dataset.fields if (e := self.made(f.read_only_when))}
        self.initial = {f.name: e for f in dataset.fields if (e := self.made(f.initial))}
        used = [*self.formulas.values(), *self.required.values(), *self.locks.values()]
        self.related = frozenset(name for expression in used for name in expression.names if "." in name)
        begun = {name for expression in self.initial.values() for name in expression.names}
        self.of_master = frozenset(name for name in self.related | begun if name.startswith(f"{MASTER}."))

    def made(self, source: str) -> Expression | None:
        """An expression over a record of the dataset; None when it can't be understood, or is none."""
        if not source.strip():
            return None
        try:
            return Expression(source, self._names)
        except Unsupported:
            return None

    def needed(self, expression: Expression) -> set[str]:
        """The saved fields and the outer names that an expression needs, calculated fields taken apart."""
        names: set[str] = set()
        left, seen = list(expression.names), set()
        while left:
            name = left.pop()
            if name in seen:
                continue
            seen.add(name)
            if name in self.formulas:
                left += self.formulas[name].names
            else:
                names.add(name)
        return names

    def values(
        self, record: Mapping[str, Any], related: Mapping[str, Any] | None = None, new: bool = False
    ) -> RecordValues:
        """The values that expressions meet. record: stored values by field. outer: those from outside.

        new: what the record lacks has no value yet.
        """
        return RecordValues(self, record, related, new)

    def calculated(self, values: RecordValues) -> dict[str, Any]:
        """The calculated fields' values; an ExpressionError in place of one that can't be computed."""
        values_of: dict[str, Any] = {}
        for name in self.formulas:
            try:
                values_of[name] = values[name]
            except ExpressionError as error:
                values_of[name] = error
            except KeyError:
                values_of[name] = None  # something it needs was not read
        return values_of

    def locked(self, values: RecordValues) -> frozenset[str]:
        """The fields that may not be edited while the record is as it is."""
        return frozenset(name for name, lock in self.locks.items() if holds(lock, values))

    def starting(self, related: Mapping[str, Any] | None = None) -> dict[str, Any]:
        """The values that a new record starts with, as its fields store them. outer: `master.column` values."""
        starting_values: dict[str, Any] = {}
        for name, expression in self.initial.items():
            try:
                value = expression.value(self.values({}, related, new=True))
            except (ExpressionError, KeyError):
                continue
            if value is not None:
                starting_values[name] = stored(self.dataset.by_name[name], value)
        return starting_values


def stored(field: FieldSpec, value: Any) -> Any:
    """A computed value as a field stores it; as it is when it does not fit the field."""
    from ..kinds import Formats, Unreadable

    text = ("yes" if value else "no") if field.kind == "yesno" else str(value)
    try:
        return KINDS[field.kind].parse(text, field, Formats.of("en_GB"))
    except Unreadable:
        return value


def holds(condition: Expression, values: Mapping[str, Any]) -> bool:
    """Whether a condition is true; unknown is not true, nor is what can't be computed."""
    try:
        return condition(values) in (True, 1)
    except KeyError:
        return False


class RecordValues(dict[str, Any]):
    """A record as expressions meet it: typed values by name, each made when it is first asked for.

    Raises KeyError for what is not known, ExpressionError for what can't be computed.
    """

    __slots__ = ("_computed", "_lacking", "_record", "_under_way")

    def __init__(
        self, computed: Computed, record: Mapping[str, Any], related: Mapping[str, Any] | None, lacking: bool
    ) -> None:
        """lacking: whether fields that the record does not hold have no value yet, instead of not being known."""
        super().__init__(related or ())
        self._computed, self._record, self._lacking = computed, record, lacking
        self._under_way: set[str] | None = None

    def __missing__(self, name: str) -> Any:
        read = self._computed.readers.get(name)
        if read is None:
            made = self._calculated(name)
        elif name in self._record:
            made = read(self._record[name])
        elif self._lacking:
            made = None
        else:
            raise KeyError(name)
        self[name] = made
        return made

    def _calculated(self, name: str) -> Any:
        formula = self._computed.formulas[name]
        if self._under_way is None:
            self._under_way = set()
        if name in self._under_way:
            raise ExpressionError(f"{name} is calculated from itself.")
        self._under_way.add(name)
        try:
            return formula.value(self)
        finally:
            self._under_way.discard(name)


USUAL: dict[str, tuple[type, ...]] = {"whole": (int,), "text": (str,), "longtext": (str,), "decimal": (Decimal,)}


def reader_of(field: FieldSpec) -> Callable[[Any], Any]:
    """A function from a field's stored value to what expressions compute with."""
    kind, usual, decimal = KINDS[field.kind], USUAL.get(field.kind, ()), field.kind == "decimal"

    def read(raw: Any) -> Any:
        given = type(raw)
        if raw is None or given in usual:
            return raw
        if given is float and decimal and isfinite(raw):
            return Decimal(repr(raw))  # as its kind reads it, which SQLite's numbers meet by the thousand
        value = kind.read(raw, field)
        return value.raw if isinstance(value, Nonconforming) else value

    return read
