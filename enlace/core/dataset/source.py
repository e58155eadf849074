"""What the rows of a dataset are selected from: its table, and what lookups and calculated fields join to it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from dataclasses import field as with_default
from typing import Any

from sqlalchemy import (
    ColumnElement,
    FromClause,
    TableClause,
    and_,
    column,
    func,
    literal_column,
    select,
    text,
    type_coerce,
)
from sqlglot import exp

from ..expression import Expression, Names, Unsupported
from ..expression.parse import MASTER
from ..expression.push import Sql, pushed
from ..model.dataset import ColumnSpec, DatasetSpec, DetailSpec, FieldSpec, LookupSpec
from ..server.dialects import server_kind
from ..server.names import Raw, RoundedSingle, Single, quoted_table
from .called_rows import ROW, called_in, rows_table
from .compiled import derived
from .parameters import THERE_TOO, WRITES, bound_text

# In front of a field's name it stands for what its lookup shows; no column's name begins so.
SHOWN = "\0"
# Kinds of values of which none comes before another, or which are too long to be put in order.
UNSORTABLE = frozenset({"longtext", "picture", "binary"})
QUERY = "q"
OF_MASTER = "of_master"
LEAST = ("text", "longtext", "whole", "decimal", "date", "time", "datetime")  # kinds that every server has a least of
TYPES = {"longtext": "text", "binary": "bytes", "picture": "bytes"}


def names_for(dataset: DatasetSpec) -> Names:
    """The names that expressions over a record of the dataset may use; `master.column` only where a form has one."""
    lookups = {name: tuple(lookup.by_name) for name, (_, lookup) in dataset.looked_up.items()}
    details = {detail.name: tuple(column.name for column in detail.fields) for detail in dataset.details}
    return Names([f.name for f in dataset.all], lookups, details, master=True)


def list_table(lookup: LookupSpec, names: Iterable[str]) -> Any:
    """What a lookup in a table or a query lists: columns by their names. Not in a kept copy, which has tables only."""
    if not lookup.query:
        return quoted_table(lookup.table, names)
    statement = text(lookup.query.replace(":", "\\:"))  # it has no parameters
    return statement.columns(*(column(name, Raw()) for name in names)).subquery(lookup.table)


def orderable(lookup: LookupSpec) -> list[str]:
    """The columns that a list shows and can be in the order of."""
    known = lookup.by_name
    return [name for name in lookup.shows if name not in known or known[name].kind not in UNSORTABLE]


def begins_in_order(lookup: LookupSpec) -> bool:
    """Whether the first column that a list shows is one that it can be in the order of."""
    return bool(lookup.shows) and lookup.shows[0] in orderable(lookup)


def shown_first(field: FieldSpec) -> bool:
    """Whether a field is sorted by what its list shows: by the first column of that."""
    lookup = field.lookup
    return bool(lookup and lookup.table and begins_in_order(lookup))


SINGLES = {"float32": RoundedSingle, "float32 nan": Single}  # by storage


@derived
def source_table(dataset: DatasetSpec) -> TableClause:
    """The table of a dataset with its saved fields' columns, its key and its locator."""
    locator = [dataset.locator] if dataset.locator else []
    names = dict.fromkeys([*(f.name for f in dataset.fields), *dataset.key, *locator])
    singles = {f.name: SINGLES[f.storage] for f in dataset.fields if f.storage in SINGLES}
    return quoted_table(dataset.table, names, singles)


@dataclass(frozen=True)
class _Joined:
    """A looked-up table as it stands in a statement."""

    table: FromClause
    on: ColumnElement[bool]


@dataclass
class Source:
    """The columns and joins of a dataset on a kind of server. Make it with `source_of`, which keeps it.

    c: the SQL of a name: a field's, SHOWN and a field's, or `lookup.column`. identity: what tells apart the rows that
    an order by these names stands for.
    """

    dataset: DatasetSpec
    server: str
    _joins: dict[str, _Joined] = with_default(default_factory=dict)
    _needs: dict[str, set[str]] = with_default(default_factory=dict)
    _made: dict[str, ColumnElement[Any]] = with_default(default_factory=dict)
    _formulas: dict[str, tuple[Sql, set[str]]] = with_default(default_factory=dict)

    def __post_init__(self) -> None:
        self.base: FromClause = _query(self.dataset, self.server) if self.dataset.query else source_table(self.dataset)
        self.base_name = QUERY if self.dataset.query else self.dataset.table
        for i, (name, (field, lookup)) in enumerate(self.dataset.looked_up.items()):
            self._joins[name] = self._join(f"lk{i}", field, lookup)
        if master := self.dataset.master:
            columns = dict.fromkeys([*master.master_columns, *(c.name for c in master.fields)])
            table = quoted_table(master.table, columns).alias(OF_MASTER)
            linked = zip(master.master_columns, master.columns, strict=True)
            self._joins.setdefault(MASTER, _Joined(table, and_(*(table.c[m] == self.base.c[c] for m, c in linked))))

    def _join(self, alias: str, field: FieldSpec, lookup: LookupSpec) -> _Joined:
        columns = dict.fromkeys([lookup.target, *(c for _, c in lookup.also), *(c.name for c in lookup.columns)])
        table = list_table(lookup, columns)
        matched = [(lookup.target, field.name), *((c, f) for f, c in lookup.also)]
        if not lookup.unique:
            # Several rows may have the value: one of them stands for all, and no row of ours is doubled.
            keys = [table.c[c] for c, _ in matched]
            least = {c.name for c in lookup.columns if c.kind in LEAST} - {k.name for k in keys}
            others = [func.min(c).label(c.name) for c in table.c if c.name in least]
            table = select(*keys, *others).group_by(*keys).subquery(alias)
        else:
            table = table.alias(alias)
        return _Joined(table, and_(*(table.c[c] == self.base.c[f] for c, f in matched)))

    @property
    def c(self) -> _Columns:
        return _Columns(self)

    def column(self, name: str) -> ColumnElement[Any]:
        """The SQL of a name. Raises KeyError, Unsupported."""
        made = self._made.get(name)
        if made is None:
            made = self._made[name] = self._column(name)
        return made

    def _column(self, name: str) -> ColumnElement[Any]:
        if name.startswith(SHOWN):
            lookup, shown = self.shown_column(name[1:])
            self._needs[name] = {lookup}
            return shown
        field = self.dataset.any_name.get(name)
        if field is not None and field.formula:
            sql, self._needs[name] = self._calculated(field, ())
            return type_coerce(literal_column(sql.text), Raw())
        if field is None and name.endswith(")") and name not in self.base.c:
            return type_coerce(literal_column(self._aggregate(name).text), Raw())
        if "." in name and name not in self.base.c:
            lookup, _, inner = name.partition(".")
            self._needs[name] = {lookup}
            return self._joins[lookup].table.c[inner]
        return self.base.c[name]

    def lookup_column(self, lookup: str, name: str) -> ColumnElement[Any]:
        """A column of a looked-up table."""
        return self._joins[lookup].table.c[name]

    def shown_column(self, name: str) -> tuple[str, ColumnElement[Any]]:
        """(lookup, the first column that it shows) of a field."""
        for lookup, (field, lookup_spec) in self.dataset.looked_up.items():
            if field.name == name and lookup_spec.shows:
                return lookup, self._joins[lookup].table.c[lookup_spec.shows[0]]
        raise KeyError(name)

    def formula(self, source: str, under: tuple[str, ...] = ()) -> tuple[Sql, set[str]]:
        """An expression in the server's SQL, and the lookups that it needs. under: the calculated fields that it is part of.
        Raises Unsupported."""
        expression = Expression(source, names_for(self.dataset))
        needs: set[str] = set()
        return pushed(expression, self.server, lambda name: self.part(name, needs, under)), needs

    def _calculated(self, field: FieldSpec, under: tuple[str, ...]) -> tuple[Sql, set[str]]:
        """`formula` of a calculated field. Made once: others may be calculated from it, and more from these."""
        made = self._formulas.get(field.name)
        if made is None:
            if field.name in under:
                raise Unsupported(f"{field.label} is calculated from itself.")
            made = self._formulas[field.name] = self.formula(field.formula, (*under, field.name))
        return made

    def part(self, name: str, needs: set[str], under: tuple[str, ...] = ()) -> Sql:
        """What a name of an expression is in the server's SQL. needs: takes the lookups that it needs. under: as of `formula`."""
        if "(" in name and name.endswith(")"):
            return self._aggregate(name)
        field = self.dataset.any_name.get(name)
        if field is None:
            lookup, _, inner = name.partition(".")
            if lookup not in self.dataset.looked_up:
                return self._of_master(inner, needs)
            column = self.dataset.looked_up[lookup][1].by_name.get(inner)
            if column is None:
                raise Unsupported(f"{self.dataset.looked_up[lookup][1].table} has no column {inner}.")
            needs.add(lookup)
            return self._plain(f"lk{list(self.dataset.looked_up).index(lookup)}", column)
        if not field.formula:
            return self._plain(self.base_name, ColumnSpec(field.name, field.kind, field.storage))
        sql, more = self._calculated(field, under)
        needs |= more
        return sql

    def _of_master(self, inner: str, needs: set[str]) -> Sql:
        """A column of the master; nothing where the rows are looked at without one."""
        master = self.dataset.master
        if master is None:
            return Sql("NULL", "null")
        field = next((c for c in master.fields if c.name == inner), None)
        if field is None:
            raise Unsupported(f"{master.table} has no field {inner}.")
        needs.add(MASTER)
        return self._plain(OF_MASTER, field)

    def _plain(self, table: str, column: ColumnSpec) -> Sql:
        return plain_column(table, column, self.server)

    def _aggregate(self, name: str) -> Sql:
        """An aggregate over details, as a subquery."""
        function, _, inner = name[:-1].partition("(")
        detail, other = detail_column(self.dataset, inner)
        made = self._plain("d", other)
        links = " AND ".join(
            f"{_quoted(c, 'd', self.server)} = {_quoted(m, self.base_name, self.server)}"
            for c, m in zip(detail.columns, detail.master_columns, strict=True)
        )
        table = exp.to_identifier(detail.table, quoted=True).sql(dialect=WRITES[self.server])
        kind = {"count": "whole", "avg": "decimal"}.get(function, made.type)
        wide = f"CAST({made.text} AS NUMERIC)" if self.server == "postgresql" and function == "avg" else made.text
        return Sql(f"(SELECT {function.upper()}({wide}) FROM {table} AS d WHERE {links})", kind)  # noqa: S608

    def joined(self, names: Iterable[str]) -> FromClause:
        """The base with the lookups joined that some names need."""
        return self.with_joins(self.base, names)

    def with_joins(self, base: FromClause, names: Iterable[str]) -> FromClause:
        """Something that holds the base, with the lookups joined that some names need."""
        needed: set[str] = set()
        for name in names:
            self.column(name)
            needed |= self._needs.get(name, set())
        for lookup, item in self._joins.items():
            if lookup in needed:
                base = base.outerjoin(item.table, item.on)
        return base

    def identity(self, names: Iterable[str]) -> Any:
        """What the rows and these names stand for: the table alone where all are its own columns."""
        own = all(name in self.base.c and not self.dataset.query for name in names)
        return self.dataset.table if own else self.dataset.identity


class _Columns:
    """The names of a source as `source.c[name]`."""

    def __init__(self, source: Source) -> None:
        self._column = source.column

    def __getitem__(self, name: str) -> ColumnElement[Any]:
        return self._column(name)


@derived
def source_of(dataset: DatasetSpec, server: str) -> Source:
    """The source of a dataset on a kind of server, made once."""
    return Source(dataset, server)


def given_values(dataset: DatasetSpec, server: str) -> dict[str, Any]:
    """The values of a query's parameters, to be given with a statement over its source."""
    bound = server_kind(server).bound
    return {n: bound(v) for name, v in dataset.parameter_values for n in (name, name + THERE_TOO)}


def computable(dataset: DatasetSpec, server: str) -> DatasetSpec:
    """The dataset without the calculated fields that the server can't compute (any more); the field sheet names them."""
    while True:
        source = source_of(dataset, server)
        for field in dataset.extra:
            try:
                source.column(field.name)
            except (Unsupported, KeyError):
                dataset = replace(dataset, extra=tuple(f for f in dataset.extra if f.name != field.name))
                break
        else:
            return dataset


def _query(dataset: DatasetSpec, server: str) -> FromClause:
    called = called_in(dataset.query, server)
    own = [ROW] if called else dataset.key
    columns = dict.fromkeys([*(f.name for f in dataset.all if not f.formula), *own])
    sql = rows_table(dataset) if called else dataset.query
    return bound_text(sql, server, {}).columns(*(column(name, Raw()) for name in columns)).subquery(QUERY)


def detail_column(dataset: DatasetSpec, inner: str) -> tuple[DetailSpec, ColumnSpec]:
    """The detail and the column behind `detail.column`. Raises Unsupported."""
    name, _, wanted = inner.partition(".")
    detail = next(d for d in dataset.details if d.name == name)
    field = next((c for c in detail.fields if c.name.lower() == wanted.lower()), None)
    if field is None:
        raise Unsupported(f"{detail.table} has no column {wanted}.")
    return detail, field


def _quoted(name: str, table: str, server: str) -> str:
    return exp.column(name, table=table, quoted=True).sql(dialect=WRITES[server])


def plain_column(table: str, column: ColumnSpec, server: str) -> Sql:
    """A column as an expression meets it: with its type, and in one of a server's shapes of that type."""
    sql, kind = _quoted(column.name, table, server), TYPES.get(column.kind, column.kind)
    if kind == "text" and server == "postgresql":
        sql = f"CAST({sql} AS TEXT)"
    if server_kind(server).loosely_typed and kind in ("date", "datetime"):
        sql = _from_storage(sql, kind, column.storage)
    elif server == "postgresql" and column.storage.startswith("float"):
        sql = f"CAST({sql} AS NUMERIC)"
    return Sql(sql, kind)


_SHIFTS: dict[str, Callable[[str], str]] = {
    "unix seconds": lambda sql: f"{sql}, 'unixepoch'",
    "unix milliseconds": lambda sql: f"{sql} / 1000.0, 'unixepoch'",
}


def _from_storage(sql: str, kind: str, storage: str) -> str:
    """A date of SQLite as text, whatever it is kept as."""
    given = _SHIFTS.get(storage, lambda same: same)(sql)
    if kind == "date":
        return sql if storage in ("", "text") else f"date({given})"
    return f"strftime('%Y-%m-%d %H:%M:%f', {given})"
