"""What is computed of a record: calculated fields, conditions, and the values that expressions over it meet."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from ..dataset.source import names_for
from ..dataset.spec import DatasetSpec, FieldSpec
from ..expression import Expression, ExpressionError, Unsupported
from ..kinds import KINDS, Odd


class Computed:
    """The calculated fields and conditions of a dataset's fields, made ready once.

    outer: the names from outside of the record that they need (`lookup.column`, `sum(detail.column)`). What can't be
    understood is left out; the page where it is written says why.
    """

    def __init__(self, dataset: DatasetSpec) -> None:
        self.dataset = dataset
        names = names_for(dataset)
        self._names = names
        self.formulas = {f.name: e for f in dataset.extra if f.formula and (e := self.made(f.formula))}
        self.required = {f.name: e for f in dataset.fields if (e := self.made(f.required_when))}
        self.locks = {f.name: e for f in dataset.fields if (e := self.made(f.read_only_when))}
        self.initial = {f.name: e for f in dataset.fields if (e := self.made(f.initial))}
        used = [*self.formulas.values(), *self.required.values(), *self.locks.values()]
        self.outer = frozenset(name for one in used for name in one.names if "." in name)

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
        found: set[str] = set()
        left, seen = list(expression.names), set()
        while left:
            name = left.pop()
            if name in seen:
                continue
            seen.add(name)
            if name in self.formulas:
                left += self.formulas[name].names
            else:
                found.add(name)
        return found

    def values(self, record: Mapping[str, Any], outer: Mapping[str, Any] | None = None) -> RecordValues:
        """The values that expressions meet. record: stored values by field. outer: those from outside."""
        return RecordValues(self, record, outer or {})

    def calculated(self, values: RecordValues) -> dict[str, Any]:
        """The calculated fields' values; an ExpressionError in place of one that can't be computed."""
        found: dict[str, Any] = {}
        for name in self.formulas:
            try:
                found[name] = values[name]
            except ExpressionError as error:
                found[name] = error
            except KeyError:
                found[name] = None  # something it needs was not read
        return found

    def locked(self, values: RecordValues) -> frozenset[str]:
        """The fields that may not be edited while the record is as it is."""
        return frozenset(name for name, one in self.locks.items() if holds(one, values))

    def starting(self) -> dict[str, Any]:
        """The values that a new record starts with, as its fields store them."""
        found: dict[str, Any] = {}
        for name, one in self.initial.items():
            try:
                value = one.value(self.values({f.name: None for f in self.dataset.fields}))
            except (ExpressionError, KeyError):
                continue
            if value is not None:
                found[name] = stored(self.dataset.by_name[name], value)
        return found


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


class RecordValues(Mapping[str, Any]):
    """A record as expressions meet it: typed values by name, calculated ones computed when they are asked for.

    Raises KeyError for what is not known, ExpressionError for what can't be computed.
    """

    def __init__(self, computed: Computed, record: Mapping[str, Any], outer: Mapping[str, Any]) -> None:
        self._computed, self._record = computed, record
        self._found: dict[str, Any] = dict(outer)
        self._under_way: set[str] = set()

    def __getitem__(self, name: str) -> Any:
        if name in self._found:
            return self._found[name]
        formula = self._computed.formulas.get(name)
        if formula is None:
            field = self._computed.dataset.any_name[name]
            value = KINDS[field.kind].read(self._record[name], field)
            made = value.raw if isinstance(value, Odd) else value
        elif name in self._under_way:
            raise ExpressionError(f"{name} is calculated from itself.")
        else:
            self._under_way.add(name)
            try:
                made = formula.value(self)
            finally:
                self._under_way.discard(name)
        self._found[name] = made
        return made

    def __iter__(self) -> Iterator[str]:
        return iter({*self._found, *self._record})

    def __len__(self) -> int:
        return len({*self._found, *self._record})
