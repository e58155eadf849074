"""Whether a dataset still fits its table: what is gone, added, or of another type by now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from ..model.dataset import DatasetSpec, FieldSpec

# What a builder settled about a field, which a repair keeps.
OWN = (
    "label", "width", "hidden", "help", "format", "align", "picture", "pattern", "text_check", "initial", "required_when",
    "read_only_when", "conditional_formats",
)  # fmt: skip


@dataclass(frozen=True)
class Drift:
    """gone: fields whose columns are not there. added: columns that no field shows. changed: (as it was, as it is).
    others: what else of the table is not as it was, each as a sentence."""

    gone: tuple[FieldSpec, ...] = ()
    added: tuple[FieldSpec, ...] = ()
    changed: tuple[tuple[FieldSpec, FieldSpec], ...] = ()
    others: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.gone or self.changed or self.others)


def drift_of(dataset: DatasetSpec, suggested: DatasetSpec) -> Drift:
    """Compare a dataset, with the table's own rules alone, with what its table suggests now."""
    there = suggested.by_name
    own = [f for f in dataset.fields if not f.formula and not f.outside]
    known = {f.name for f in own}
    return Drift(
        gone=tuple(f for f in own if f.name not in there),
        added=tuple(f for f in suggested.fields if f.name not in known),
        changed=tuple((f, there[f.name]) for f in own if f.name in there and _differs(f, there[f.name])),
        others=tuple(_others(dataset, suggested)),
    )


def _identity(dataset: DatasetSpec) -> str:
    if dataset.key and dataset.key[0] not in dataset.by_name:
        return "the row number"
    return _listed(dataset.key) if dataset.key else "nothing"


def _others(was: DatasetSpec, now: DatasetSpec) -> Iterator[str]:
    """What else is not as it was: the key, what is unique, the table's conditions."""
    if (was.key, was.locator) != (now.key, now.locator):
        yield f"Rows were told apart by {_identity(was)} and are by {_identity(now)} now."
    if was.is_view != now.is_view:
        yield f"{now.table} is a {'view' if now.is_view else 'table'} now."
    for columns in sorted(set(now.uniques) - set(was.uniques)):
        yield f"{_listed(columns)} must be unique now."
    for columns in sorted(set(was.uniques) - set(now.uniques)):
        yield f"{_listed(columns)} need not be unique any more."
    before, after = ({rule.expression for rule in dataset.rules} for dataset in (was, now))
    for expression in sorted(after - before):
        yield f"The table has a new condition: {expression}"
    for expression in sorted(before - after):
        yield f"The table has no longer the condition: {expression}"


def _listed(columns: tuple[str, ...]) -> str:
    return ", ".join(columns) or "none"


def _differs(field: FieldSpec, other: FieldSpec) -> bool:
    facts = ("type_text", "nullable", "length", "precision", "scale", "numbered", "computed", "default")
    return any(getattr(field, name) != getattr(other, name) for name in facts)


def moved(field: FieldSpec, suggested: FieldSpec) -> FieldSpec:
    """A field on another kind of server: its column as that one has it, with all that a builder settled about it."""
    made = repaired(field, suggested)
    # Kinds follow the column, and formats of one kind are of the same one there; what lists are read as follows, too.
    lookup = field.lookup
    if lookup is not None and suggested.lookup is not None and lookup.table == suggested.lookup.table:
        lookup = replace(lookup, columns=suggested.lookup.columns)
    return replace(made, lookup=lookup, read_only=field.read_only, required=field.required or suggested.required)


def repaired(field: FieldSpec, suggested: FieldSpec) -> FieldSpec:
    """A field as its column is now, with what a builder settled about it where the kind is still the same."""
    kept = {name: getattr(field, name) for name in OWN if field.kind == suggested.kind or name in OWN[:4]}
    if field.lookup is not None:
        kept["lookup"] = field.lookup
    if field.nullable == suggested.nullable:
        kept["required"] = field.required and not suggested.generated
    return replace(suggested, **kept)
