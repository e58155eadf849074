"""A detail that is linked by chosen columns, where the schema has no reference that says so."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from sqlglot import exp

from enlace.core.dataset import DatasetSpec
from enlace.core.dataset.inference.references import detail_in
from enlace.core.dataset.stored import as_json
from enlace.core.expression import Unsupported
from enlace.core.expression.parse import parsed
from enlace.core.model.catalog import Reference, Table
from enlace.core.model.dataset import FieldSpec
from enlace.core.near import closest
from enlace.core.problem import Problem
from enlace.core.server import Catalog
from enlace.core.server.dialects import server_kind
from enlace.core.wiring.retyped import unlike

from .details import Above, add_detail, fitting, shaped
from .models import Dataset, Detail

HINT = "Write it as split.account_no = no: a column of the other table, and a field of the master."


@transaction.atomic
def add_linked(above: Above, said: str) -> Detail:
    """A detail by a condition such as `split.account_no = no AND split.year = year`. Raises Problem.

    Its dataset is one of that table that is shaped already, else a new one. Expressions of the master's dataset can add
    its rows up from now on.
    """
    master = above.dataset
    link = read_link(master, said)
    known = [*master.details_known]
    # The master may know the link already, from the schema or from another form of the same dataset.
    if not any(item["table"] == link.table and tuple(item["columns"]) == link.columns for item in known):
        table = Catalog.of(master.connection.to_spec()).table(link.table)
        spec = detail_in(table, link, {item["name"] for item in known})
        Dataset.objects.filter(pk=master.pk).update(details_known=[*known, as_json(spec)])
        # Its expressions can name the detail’s sums from now on, so what is kept of it is out of date.
        master.touch()
    return add_detail(above, link, next(iter(fitting(shaped(above, {link.table}), link)), None))


def read_link(dataset: Dataset, said: str) -> Reference:
    """The reference that a condition describes. Raises Problem."""
    try:
        tree = parsed(said).unnest()
    except Unsupported as error:
        raise Problem(f"The link is not understood: {error}", HINT, code="bad") from None
    catalog, master = Catalog.of(dataset.connection.to_spec()), dataset.to_spec()
    pairs = [
        _pair(expr.unnest(), catalog, master) for expr in (tree.flatten() if isinstance(tree, exp.And) else [tree])
    ]
    tables = {table.name for table, _, _ in pairs}
    if len(tables) > 1:
        raise Problem(f"The link names {' and '.join(sorted(tables))}.", "A detail is one table.", code="bad")
    table = pairs[0][0]
    columns, targets = tuple(name for _, name, _ in pairs), tuple(name for _, _, name in pairs)
    _comparable(dataset, table, columns, [master.by_name[name] for name in targets])
    return Reference("", table.name, columns, master.table, targets)


def _comparable(dataset: Dataset, table: Table, columns: Sequence[str], targets: Sequence[FieldSpec]) -> None:
    """Raises Problem for a link whose columns hold unlike things, where the server compares no such."""
    if server_kind(dataset.connection.kind).converts:
        return
    types = {column.name: column.type_text for column in table.columns}
    for name, target in zip(columns, targets, strict=True):
        if held := unlike(types[name], target.type_text):
            what = f"{table.name}.{name} is {held[0]} and {target.name} is {held[1]}: the server does not compare them."
            raise Problem(what, "Link columns that hold the same.", code="bad")


def _pair(node: exp.Expr, catalog: Catalog, master: DatasetSpec) -> tuple[Table, str, str]:
    """(the other table, its column, the master's field) of one comparison. Raises Problem."""
    sides = [node.this.unnest(), node.expression.unnest()] if isinstance(node, exp.EQ) else []
    if len(sides) != 2 or not all(isinstance(side, exp.Column) for side in sides):
        raise Problem(f"{node.sql()} links no columns.", HINT, code="bad")
    other, own = sides
    # Either side may be written first; the one with a table of its own is the detail’s.
    if not other.table or other.table.lower() == master.table.lower():
        other, own = own, other
    if not other.table or (own.table and own.table.lower() != master.table.lower()):
        raise Problem(f"{node.sql()} does not say which table belongs to the master.", HINT, code="bad")
    table = catalog.named(other.table) or catalog.table(other.table)
    if table.name == master.table:
        raise Problem(f"{table.name} is the master's own table.", "Choose another table for a detail.", code="bad")
    column = _found(other.name, [column.name for column in table.columns], table.name)
    return table, column, _found(own.name, list(master.by_name), "the master")


def _found(name: str, names: list[str], where: str) -> str:
    same = next((other for other in names if other.lower() == name.lower()), "")
    if not same:
        near = closest(name, names)
        hint = f"The closest one is {near}." if near else HINT
        raise Problem(f"There is no {name} in {where}.", hint, code="bad")
    return same
