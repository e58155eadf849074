"""The field sheet's changes: each kept with what stood before, so that it can be undone."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from django.db import transaction
from sqlglot import exp

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.dataset.drift import Drift, drift_of, repaired
from enlace.core.dataset.drift import moved as moved_field
from enlace.core.dataset.field_properties import CALCULATED, with_property
from enlace.core.dataset.inference.kinds import column_specs
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.inference.references import lookup_name
from enlace.core.dataset.inference.telling import shown_columns
from enlace.core.dataset.query import parameters_of
from enlace.core.dataset.source import LEAST
from enlace.core.dataset.stored import as_json, detail_of
from enlace.core.expression.parse import MASTER
from enlace.core.labels import label_of
from enlace.core.model.dataset import ColumnSpec, LookupSpec
from enlace.core.problem import Problem
from enlace.core.server.catalog import Catalog
from enlace.core.words import within_sentence

from .lacking import note_lacking
from .models import Dataset, Field, SheetStep

MOST_STEPS = 50
# What steps that were kept earlier call these properties.
RENAMED = {"knows": "text_check", "tones": "conditional_formats"}


@transaction.atomic
def changed(dataset: Dataset, label: str, act: Callable[[], Any]) -> Any:
    """Do something to a dataset's fields, keeping what stood before; forms see it from now on."""
    # All fields, not only the one that changes: an act may move, remove or make others, and a step has to bring back
    # exactly what stood.
    before = [_kept(field) for field in dataset.fields.all()]
    result = act()
    dataset.steps.create(label=label[:120], before=before)
    # By numbers that were read first: a slice can't be deleted.
    old = list(dataset.steps.order_by("-pk").values_list("pk", flat=True)[MOST_STEPS:])
    dataset.steps.filter(pk__in=old).delete()
    dataset.touch()
    return result


def _kept(field: Field) -> dict[str, Any]:
    return {"place": field.place, **{name: getattr(field, name) for name in Field.PROPERTIES}}


@transaction.atomic
def undo(dataset: Dataset) -> str:
    """Take the last change of the sheet back; what it was. Raises Problem when there is none."""
    step: SheetStep | None = dataset.steps.last()
    if step is None:
        raise Problem("There is nothing to undo.", "Nothing was changed on this sheet yet.", code="bad")
    there = {field.name: field for field in dataset.fields.all()}
    names = [item["name"] for item in step.before]
    dataset.fields.exclude(name__in=names).delete()
    for item in step.before:
        # The row that is there is kept: what refers to its number (an open page, a filter kept by number) goes on.
        field = there.get(item["name"]) or Field(dataset=dataset)
        for name, value in item.items():
            if name != "gone":  # of steps that were kept when fields had it
                setattr(field, RENAMED.get(name, name), value)
        field.save()
    label = step.label
    step.delete()
    dataset.touch()
    return label


def put(dataset: Dataset, fields: Iterable[Field], name: str, text: str) -> None:
    """Give a property of some fields a value. Raises Problem; nothing is changed then."""
    # Read before anything changes: the query behind it may ask for what the change makes untrue.
    several = list(fields)

    def act() -> None:
        for field in several:
            _store(field, with_property(dataset.to_spec(), field.to_spec(), name, text, dataset.connection.kind))

    label = several[0].label if len(several) == 1 else f"{len(several)} fields"
    changed(dataset, f"{label}: {name.replace('_', ' ').replace('lookup.', 'list, ')}", act)


def _store(field: Field, spec: FieldSpec) -> None:
    for name, value in Field.columns_of(spec).items():
        setattr(field, name, value)
    field.save()


def moved(dataset: Dataset, field: Field, by: int) -> None:
    """Put a field before or behind its neighbour."""
    order = list(dataset.fields.all())
    at = order.index(field)
    to = min(max(at + by, 0), len(order) - 1)

    def act() -> None:
        order.insert(to, order.pop(at))
        for place, item in enumerate(order):
            item.place = place
        Field.objects.bulk_update(order, ["place"])

    if to != at:
        changed(dataset, f"{field.label}: order", act)


def removed(dataset: Dataset, field: Field) -> None:
    """Take a field out of the dataset; its column stays in the table. Raises Problem."""
    # Without them no row could be told from another, and no save could be checked.
    if field.name in (*dataset.key, dataset.version):
        raise Problem(f"{field.label} identifies records.", "It can be hidden, but not removed.", code="bad")
    # A grid without a column and a panel without an editor would show nothing that one could get the field back by.
    if dataset.fields.filter(hidden=False).exclude(pk=field.pk).count() == 0:
        raise Problem("A form needs at least one field.", "Leave one.", code="bad")
    changed(dataset, f"{field.label}: removed", field.delete)


def suggested(dataset: Dataset) -> DatasetSpec:
    """What the table suggests now. Raises Problem."""
    return make_dataset(dataset.connection.to_spec(), dataset.table)


def drift(dataset: Dataset, now: DatasetSpec | None = None) -> Drift:
    """How the table has changed since the dataset was made. Raises Problem."""
    # What a query gives is known only by running it; it has no table to differ from.
    if dataset.query:
        return Drift()
    kept = DatasetSpec(
        dataset.table,
        tuple(field.to_spec() for field in dataset.fields.all()),
        rules=tuple(rule.to_spec() for rule in dataset.rules.all() if not rule.own),
        key=tuple(dataset.key),
        locator=dataset.locator or None,
        uniques=tuple(tuple(columns) for columns in dataset.uniques),
        is_view=dataset.is_view,
    )
    return drift_of(kept, now or suggested(dataset))


def leave_out_gone(dataset: Dataset) -> bool:
    """Let forms go on for a while without the fields whose columns are gone; whether that was not known yet."""
    gone = frozenset(field.name for field in drift(dataset).gone)
    return note_lacking(dataset.pk, dataset.revision, gone)


def repair(dataset: Dataset) -> None:
    """Make the dataset fit its table again: fields of gone columns go, those of changed ones follow."""
    now = suggested(dataset)
    drifted = drift(dataset, now)

    def act() -> None:
        dataset.fields.filter(name__in=[f.name for f in drifted.gone]).delete()
        changed_ones = {field.name: field for field, _ in drifted.changed}
        # Calculated fields and those of other tables have no column here that could have changed.
        for field in dataset.fields.exclude(formula__gt="").exclude(outside=True):
            there = now.by_name[field.name]
            if field.name in changed_ones:
                _store(field, repaired(changed_ones[field.name], there))
            # Where the table became writable, or ceased to be, each field is what the table says of it now; else a
            # builder’s own choice stays.
            elif dataset.read_only_because != now.read_only_because:
                Field.objects.filter(pk=field.pk).update(read_only=there.read_only)
        _follow(dataset, now)

    changed(dataset, "Repair", act)


def move(dataset: Dataset) -> None:
    """Make a dataset fit the same table on another kind of server: what a builder settled stays, what a column is follows.
    Of a query that is so for the fields of its table; what else it gives is known only by running it. Raises Problem."""
    if not dataset.table:
        return
    now = suggested(dataset)
    for field in dataset.fields.exclude(formula__gt="").exclude(outside=True):
        if (there := now.by_name.get(field.name)) is not None:
            _store(field, moved_field(field.to_spec(), there))
    # By its name the server tells which condition it refused a row for.
    names = {rule.expression: rule.name for rule in now.rules}
    for rule in dataset.rules.filter(own=False):
        rule.name = names.get(rule.expression, rule.name)
        rule.save(update_fields=["name"])
    if dataset.query:
        _follow_rules(dataset, now)
    else:
        _follow(dataset, now)
    details = {(detail.table, detail.columns): detail for detail in now.details}
    known = [detail_of(item) for item in dataset.details_known]
    dataset.details_known = [as_json(details.get((detail.table, detail.columns), detail)) for detail in known]
    dataset.save(update_fields=["details_known"])
    dataset.touch()


def _follow(dataset: Dataset, now: DatasetSpec) -> None:
    """Take over what the table says of its rows: the key, what is unique, its conditions."""
    _follow_rules(dataset, now)
    dataset.uniques = [list(columns) for columns in now.uniques]
    dataset.key, dataset.locator, dataset.is_view = list(now.key), now.locator or "", now.is_view
    dataset.read_only_because = now.read_only_because
    dataset.save(update_fields=["uniques", "key", "locator", "is_view", "read_only_because"])


def _follow_rules(dataset: Dataset, now: DatasetSpec) -> None:
    kept = set(dataset.rules.filter(own=False).values_list("expression", flat=True))
    # A rule that is still there keeps its row, and with it the message and severity that a builder gave it.
    dataset.rules.filter(own=False).exclude(expression__in=[rule.expression for rule in now.rules]).delete()
    for rule in now.rules:
        if rule.expression not in kept:
            dataset.rules.create(name=rule.name, expression=rule.expression, message=rule.message)


def _next_place(dataset: Dataset) -> int:
    """The place behind all fields."""
    return max((field.place for field in dataset.fields.all()), default=-1) + 1


def added(dataset: Dataset, names: Iterable[str]) -> int:
    """Add fields for columns of the table that the dataset lacks; how many."""
    wanted = set(names)
    lacking = [f for f in drift(dataset).added if f.name in wanted or "*" in wanted]
    first = _next_place(dataset)

    def act() -> None:
        for place, field in enumerate(lacking, first):
            dataset.field_of(place, field).save()

    if lacking:
        changed(dataset, f"{len(lacking)} added", act)
    return len(lacking)


def reset(dataset: Dataset, field: Field) -> None:
    """Make a field again what the catalog suggests. Raises Problem."""
    there = suggested(dataset).by_name.get(field.name)
    if there is None:
        raise Problem("The table has no such column.", "Only fields of columns can be reset.", code="bad")
    changed(dataset, f"{field.label}: reset", lambda: _store(field, there))


def calculated(dataset: Dataset, label: str, kind: str, formula: str) -> Field:
    """A new calculated field. Raises Problem."""
    label = " ".join(label.split())[:120]
    if not label:
        raise Problem("The field needs a name.", "Type what people should read above it.", code="bad")
    name = re.sub(r"\W+", "_", label.lower()).strip("_") or "calculated"
    # Expressions read names without their case, and reach lookups by name too: neither may be meant by two things.
    taken = {field.name.lower() for field in dataset.fields.all()} | {n.lower() for n in dataset.to_spec().looked_up}
    if name in taken:
        raise Problem(f"There is a field {name} already.", "Take another name.", code="bad")
    spec = FieldSpec(name, label, kind or "decimal", "calculated", read_only=True, formula=formula or "NULL")
    # First the kind, then the formula: a formula is checked by the kind that its result is to have.
    spec = with_property(dataset.to_spec(), spec, "kind", spec.kind, dataset.connection.kind)
    spec = with_property(dataset.to_spec(), spec, "formula", formula, dataset.connection.kind)
    field = dataset.field_of(_next_place(dataset), spec)
    changed(dataset, f"{label}: added", field.save)
    return field


def reachable(dataset: DatasetSpec) -> list[tuple[FieldSpec, list[tuple[str, str]]]]:
    """The fields whose lists lead to other tables, each with (`lookup.column`, words) of what is not shown of them."""
    # However its formula is spaced and quoted, a column that is shown already is not offered again.
    there = {"".join(field.formula.split()).replace('"', "") for field in dataset.extra}
    offers = []
    for name, (field, lookup) in dataset.looked_up.items():
        columns = [column for column in lookup.columns if column.kind in CALCULATED or column.kind == "longtext"]
        names = [(f"{name}.{column.name}", label_of(column.name)) for column in columns if column.name != lookup.target]
        offers.append((field, [name for name in names if name[0].replace(" ", "") not in there]))
    return [offer for offer in offers if offer[1]]


def joined(dataset: Dataset, wanted: Iterable[str]) -> int:
    """Show columns of the tables that lists lead to, as calculated fields; how many. Raises Problem."""
    spec, chosen = dataset.to_spec(), set(wanted)
    offered = [(field, name, words) for field, names in reachable(spec) for name, words in names if name in chosen]
    taken = {field.name.lower() for field in dataset.fields.all()}
    first = _next_place(dataset)
    made = []
    for place, (field, name, words) in enumerate(offered, first):
        lookup, _, column = name.partition(".")
        kind = spec.looked_up[lookup][1].by_name[column].kind
        own = re.sub(r"\W+", "_", f"{lookup}_{column}".lower())
        own = next(name for name in (own, *(f"{own}_{n}" for n in range(2, 99))) if name not in taken)
        taken.add(own)
        label = f"{field.label}: {within_sentence(words)}"[:120]
        # Quoted, so that a column called “order” or “Größe” is one name and no word of SQL.
        formula = exp.column(column, table=lookup, quoted=True).sql(dialect="sqlite")
        other_field = FieldSpec(
            own, label, "text" if kind == "longtext" else kind, "calculated", read_only=True, formula=formula
        )
        made.append(
            dataset.field_of(place, with_property(spec, other_field, "formula", formula, dataset.connection.kind))
        )
    if made:
        changed(dataset, f"{len(made)} added", lambda: Field.objects.bulk_create(made))
    return len(made)


def list_from(dataset: Dataset, field: Field, wanted: str) -> None:
    """Let a field's list come from a column of a table or a query, or take its list away (""). Raises Problem.

    wanted: `["table", column]` or `[number of a query's dataset, column]` as JSON.
    """
    if field.formula or field.outside:
        raise Problem("Only fields that are saved have a list.", "Choose another field.", code="bad")
    lookup = None
    if wanted:
        lookup = _wanted(dataset, field, wanted)

    def act() -> None:
        _store(field, _with_lookup(field.to_spec(), lookup))

    changed(dataset, f"{field.label}: list", act)


def _with_lookup(spec: FieldSpec, lookup: LookupSpec | None) -> FieldSpec:
    return replace(spec, lookup=lookup)


def _wanted(dataset: Dataset, field: Field, wanted: str) -> LookupSpec:
    try:
        name, column = json.loads(wanted)
    except ValueError:
        name = column = None
    if isinstance(name, str) and isinstance(column, str):
        return _lookup_in(dataset, field, name, column)
    if isinstance(name, int) and isinstance(column, str):
        return _lookup_of(dataset, field, name, column)
    raise _no_list()


def _no_list() -> Problem:
    return Problem("There is no such table or column.", "Choose one of the list.", code="bad")


def _reached(dataset: Dataset, field: Field, name: str) -> str:
    """Under which name expressions reach what a field's list shows of a table."""
    reached = lookup_name(field.name, name)
    # Two fields may lead to one table, an agent who pays and one who ships: each needs a name of its own.
    taken = {n for n, (other_field, _) in dataset.to_spec().looked_up.items() if other_field.name != field.name}
    return field.name if reached in taken or reached == MASTER else reached


def _lookup_of(dataset: Dataset, field: Field, number: int, column: str) -> LookupSpec:
    """A list from the query of another dataset on the same connection."""
    query = next((query for query in _queries(dataset) if query.pk == number), None)
    fields = query.to_spec().all if query else ()
    if query is None or column not in {f.name for f in fields if not f.formula}:
        raise _no_list()
    columns = tuple(ColumnSpec(f.name, f.kind, f.storage) for f in fields if not f.formula and f.kind in LEAST)
    shows = next((c.name for c in columns if c.kind == "text" and c.name != column), column)
    reached = _reached(dataset, field, query.name)
    return LookupSpec(query.name, column, (shows,), columns, unique=False, name=reached, query=query.query)


def _queries(dataset: Dataset) -> list[Dataset]:
    """The datasets whose queries can be lists here: on the same connection, and asking for nothing."""
    kind = dataset.connection.kind
    several = Dataset.objects.filter(connection=dataset.connection).exclude(query="").exclude(pk=dataset.pk)
    # A list is read for any record: there is nothing that a parameter could take its value from.
    return [item for item in several if not parameters_of(item.query, kind)]


def _lookup_in(dataset: Dataset, field: Field, name: str, column: str) -> LookupSpec:
    catalog = Catalog.of(dataset.connection.to_spec())
    table = catalog.named(name)
    if table is None or column not in {c.name for c in table.columns}:
        raise _no_list()
    reached = _reached(dataset, field, table.name)
    keys = [table.key, *(unique.columns for unique in table.uniques)]
    return LookupSpec(
        table=table.name,
        target=column,
        shows=shown_columns(table, column, catalog.sample(table.name)),
        columns=column_specs(table),
        # Where the column can repeat, a value may lead to several rows, and joining them would multiply the records.
        unique=(column,) in keys,
        name=reached,
    )


def possible_lists(dataset: Dataset) -> list[tuple[str, str]]:
    """(value, words) of the keys of other tables, and of the queries, that a list may come from."""
    keys = Catalog.of(dataset.connection.to_spec()).single_keys()
    lists = [(place_of(table, column), f"{label_of(table)}: {column}") for table, column in keys]
    for query in _queries(dataset):
        names = [f.name for f in query.to_spec().all if not f.formula]
        lists += [(place_of(query.pk, name), f"{query.name} (query): {name}") for name in names]
    return lists


def place_of(name: str | int, column: str) -> str:
    """Where a list comes from, as `list_from` reads it."""
    return json.dumps([name, column])


def place_now(dataset: Dataset, lookup: LookupSpec | None) -> str:
    """Where a field's list comes from now; "" where it is not a table or a query."""
    if lookup is None or not lookup.table:
        return ""
    if not lookup.query:
        return place_of(lookup.table, lookup.target)
    query = next((query.pk for query in _queries(dataset) if query.query == lookup.query), 0)
    return place_of(query, lookup.target)
