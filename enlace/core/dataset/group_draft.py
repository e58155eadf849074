"""Groups of rows with a draft laid over them: each record is counted where it will be, and none where it was.

The server counts the groups without the rows that the draft touches, which is one statement however many those are; what
the draft makes of its records is counted in here. Rows stand where the server has them until they are saved; new records
stand behind the rows of their groups, and a group that only the draft has gets a line.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import and_, select

from ..expression import Expression, ExpressionError
from ..kinds import KINDS, Nonconforming
from ..model.dataset import FieldSpec
from ..model.values import key_of
from ..server.dialects import server_kind
from ..server.engine import reading
from .group_leaves import Key, different_of, leaves_of, left_out, names_of
from .grouping import VALUE, GroupTerm, Leaf, Numbers, as_called, column_of, field_of, merged, name_of, numbers_of
from .keys import KEYS_A_STATEMENT, in_parts
from .lookups import shown_for
from .source import names_for
from .totals import Total, alike, beyond, present, to_the_letter
from .window import Rows

MOST_DRAFTED = 5_000  # records of a draft that a statement leaves out


@dataclass(frozen=True)
class Drafted:
    """A pending record. state: as in PendingRecord. values: of all fields as they will be, calculated ones too."""

    id: str
    state: str
    values: Mapping[str, Any]


def laid_over(
    rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], leaves: Sequence[Leaf], drafted: Sequence[Drafted]
) -> tuple[list[Leaf], dict[Key, Numbers]]:
    """The leaves, with those that only the draft has, and what is told of each group. At most MOST_DRAFTED records.

    rows: which `grouped_rows` gave. leaves: as the server counts them, with nothing left out. Raises Problem.
    """
    touched = [one.id for one in drafted if one.state != "new"]
    with reading(rows.spec) as connection:
        there = present(connection, rows, touched, ()) if touched else {}
    without = sorted(map(key_of, there), key=repr)
    counted = leaves_of(rows, terms, adds, without)
    placing = _Placing(rows, terms, [*leaves, *counted])
    met = [one for one in drafted if one.state != "removed" and (one.state == "new" or one.id in there)]
    placed = list(zip(placing.of(met), met, strict=True))
    by_values = {leaf.values: leaf for leaf in counted}
    fields = [rows.dataset.by_name[total.field] for total in adds]
    for values, one in placed:
        mine = Leaf(values, 1, tuple(_state(total, one) for total in adds))
        leaf = by_values.get(values)
        by_values[values] = _with(leaf, mine, adds, fields) if leaf else mine
    different = different_of(rows, terms, adds, without)
    own = {leaf.values: leaf.added for leaf in counted}
    different |= _more_different(rows, terms, adds, without, own, placed, different)
    numbers = numbers_of(list(by_values.values()), len(terms), adds, different)
    new: dict[Key, list[str]] = defaultdict(list)
    for values, one in placed:
        if one.state == "new":
            new[values].append(one.id)
    several = _with_new(leaves, [values for values, _ in placed])
    return [replace(leaf, new=tuple(new[leaf.values])) if leaf.values in new else leaf for leaf in several], numbers


class _Placing:
    """In which group a record is, called as the server calls it where it has that group."""

    def __init__(self, rows: Rows, terms: Sequence[GroupTerm], leaves: Sequence[Leaf]) -> None:
        self.rows, self.terms = rows, terms
        dialect = server_kind(rows.spec.kind).name
        self.fields = [field_of(rows.dataset, term) for term in terms]
        told = [self._told(term, field) for term, field in zip(terms, self.fields, strict=True)]
        self.same = [alike(field, dialect) for field in told]
        self.made = {
            term: Expression(field.formula, names_for(rows.dataset))
            for term, field in zip(terms, told, strict=True)
            if term.by != VALUE
        }
        self.called: dict[Key, Any] = {}
        for leaf in leaves:
            for depth in range(len(terms)):
                self.called.setdefault(self._normal(leaf.values[: depth + 1]), leaf.values[depth])

    def _told(self, term: GroupTerm, field: FieldSpec) -> FieldSpec:
        """The field whose values tell the groups of a term apart."""
        if term.by != VALUE:
            return self.rows.dataset.any_name[name_of(term)]
        return FieldSpec(field.name, field.label, "text") if column_of(field) != field.name else field

    def _normal(self, values: Sequence[Any]) -> Key:
        return tuple(None if value is None else same(value) for value, same in zip(values, self.same, strict=False))

    def of(self, several: Sequence[Drafted]) -> list[Key]:
        """The values of each record's innermost group."""
        by_term = [self._values(term, field, several) for term, field in zip(self.terms, self.fields, strict=True)]
        made = []
        for values in zip(*by_term, strict=True):
            called = [self.called.get(self._normal(values[: depth + 1]), value) for depth, value in enumerate(values)]
            made.append(tuple(called))
        return made

    def _values(self, term: GroupTerm, field: FieldSpec, several: Sequence[Drafted]) -> list[Any]:
        if term.by != VALUE:
            return [self._made(term, field, one.values.get(field.name)) for one in several]
        if column_of(field) == field.name:
            return [one.values.get(field.name) for one in several]
        lookup = field.lookup
        assert lookup is not None
        names, at = [field.name, *(f for f, _ in lookup.also)], lookup.reads.index(lookup.shows[0])
        shown = shown_for(self.rows.spec, field, [one.values for one in several])
        found = [shown.get(tuple(one.values.get(name) for name in names)) for one in several]
        return [line[at] if line else None for line in found]

    def _made(self, term: GroupTerm, field: FieldSpec, raw: Any) -> Any:
        """What a term makes of a value, by the formula that the server computes it by."""
        read = None if raw is None else KINDS[field.kind].read(raw, field)
        if read is None or isinstance(read, Nonconforming):
            return None
        try:
            return self.made[term].value({field.name: read})
        except ExpressionError:
            return None


def _state(total: Total, one: Drafted) -> Any:
    """What one record adds to a total, as a group's leaf holds it."""
    value = one.values.get(total.field)
    if total.function == "avg":
        return (value, int(value is not None))
    if total.function in ("count", "distinct"):
        return int(value is not None)
    return value


def _with(leaf: Leaf, more: Leaf, adds: Sequence[Total], fields: Sequence[FieldSpec]) -> Leaf:
    states = []
    for total, field, some, other in zip(adds, fields, leaf.added, more.added, strict=True):
        if total.function in ("min", "max") and some is not None and other is not None:
            states.append(other if beyond(field, other, some, total.function) else some)
        else:
            states.append(merged(total, some, other))
    return Leaf(leaf.values, leaf.count + more.count, tuple(states))


def _more_different(
    rows: Rows, terms: Sequence[GroupTerm], adds: Sequence[Total], without: Sequence[Key], counted: Mapping[Key, Key],
    placed: Sequence[tuple[Key, Drafted]], different: Mapping[tuple[int, Key], int],
) -> dict[tuple[int, Key], int]:  # fmt: skip
    """How many different values the groups have that a draft brings values to. counted, different: without them."""
    more: dict[tuple[int, Key], int] = {}
    for i, total in enumerate(adds):
        if total.function != "distinct":
            continue
        same = alike(rows.dataset.by_name[total.field])
        brought: dict[Key, set[Any]] = defaultdict(set)
        for values, one in placed:
            if (value := one.values.get(total.field)) is not None:
                for depth in range(1, len(terms) + 1):
                    brought[values[:depth]].add(same(value))
        raw = {same(v): v for _, one in placed if (v := one.values.get(total.field)) is not None}
        stored = _stored(rows, terms, total.field, without, list(raw.values()), same)
        for values, own in brought.items():
            base = counted[values][i] if values in counted else different.get((i, values), 0)
            more[i, values] = base + len(own - stored[values])
    return more


def _stored(
    rows: Rows, terms: Sequence[GroupTerm], name: str, without: Sequence[Key], wanted: Sequence[Any],
    same: Callable[[Any], Any],
) -> dict[Key, set[Any]]:  # fmt: skip
    """By group of any level, which of some values of a field its rows hold that no draft touches."""
    source, names = rows.source, names_of(rows, terms)
    kind, groups = server_kind(rows.spec.kind), [source.c[one] for one in names]
    apart, shown = to_the_letter(kind, rows.dataset.by_name[name], source.c[name])
    columns = [*groups, shown]
    held: dict[Key, set[Any]] = defaultdict(set)
    bound = kind.bound
    with reading(rows.spec) as connection:
        for part in in_parts([bound(value) for value in wanted], KEYS_A_STATEMENT):
            statement = select(*(column.label(f"g{i}") for i, column in enumerate(columns)))
            statement = statement.select_from(rows.source_with([*names, name]))
            among = and_(rows.belonging(), source.c[name].in_(part), *left_out(rows, without))
            for row in connection.execute(statement.where(among).group_by(*groups, apart), rows.bound_values):
                for depth in range(1, len(terms) + 1):
                    held[as_called(terms, row[:depth])].add(same(row[-1]))
    return held


def _with_new(leaves: Sequence[Leaf], wanted: Sequence[Key]) -> list[Leaf]:
    """The leaves with those that only a draft has, each at the end of the innermost group that there is already."""
    known = {leaf.values[:depth] for leaf in leaves for depth in range(len(leaf.values) + 1)} | {()}
    place: dict[Key, int] = {}  # groups in the order in which they are met, so that new ones stay together
    for values in wanted:
        for depth in range(len(values) + 1):
            place.setdefault(values[:depth], len(place))
    new: dict[Key, list[Key]] = defaultdict(list)
    for values in sorted(set(wanted) - known, key=lambda key: [place[key[:depth]] for depth in range(len(key) + 1)]):
        new[next(values[:depth] for depth in range(len(values), -1, -1) if values[:depth] in known)].append(values)
    if not new:
        return list(leaves)
    made = []
    for at, leaf in enumerate(leaves):
        made.append(leaf)
        after = leaves[at + 1].values if at + 1 < len(leaves) else None
        for depth in range(len(leaf.values) - 1, 0, -1):
            if after is None or after[:depth] != leaf.values[:depth]:  # the last one in that group
                made += [Leaf(values, 0) for values in new.get(leaf.values[:depth], ())]
    return made + [Leaf(values, 0) for values in new.get((), ())]
