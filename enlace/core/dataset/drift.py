"""Whether a dataset still fits its table: what is gone, added, or of another type by now."""

from __future__ import annotations

from dataclasses import dataclass, replace

from .spec import DatasetSpec, FieldSpec

# What a builder settled about a field, which a repair keeps.
OWN = (
    "label", "width", "hidden", "help", "format", "align", "picture", "pattern", "knows", "initial", "required_when",
    "read_only_when", "tones",
)  # fmt: skip


@dataclass(frozen=True)
class Drift:
    """gone: fields whose columns are not there. added: columns that no field shows. changed: (as it was, as it is)."""

    gone: tuple[FieldSpec, ...] = ()
    added: tuple[FieldSpec, ...] = ()
    changed: tuple[tuple[FieldSpec, FieldSpec], ...] = ()

    def __bool__(self) -> bool:
        return bool(self.gone or self.changed)


def drift_of(fields: tuple[FieldSpec, ...], suggested: DatasetSpec) -> Drift:
    """Compare the fields of a dataset with what its table suggests now."""
    there = suggested.by_name
    own = [f for f in fields if not f.formula and not f.outside]
    known = {f.name for f in own}
    return Drift(
        gone=tuple(f for f in own if f.name not in there),
        added=tuple(f for f in suggested.fields if f.name not in known),
        changed=tuple((f, there[f.name]) for f in own if f.name in there and _differs(f, there[f.name])),
    )


def _differs(one: FieldSpec, other: FieldSpec) -> bool:
    facts = ("type_text", "nullable", "length", "precision", "scale", "numbered", "computed", "default")
    return any(getattr(one, name) != getattr(other, name) for name in facts)


def repaired(field: FieldSpec, suggested: FieldSpec) -> FieldSpec:
    """A field as its column is now, with what a builder settled about it where the kind is still the same."""
    kept = {name: getattr(field, name) for name in OWN if field.kind == suggested.kind or name in OWN[:4]}
    if field.lookup is not None:
        kept["lookup"] = field.lookup
    return replace(suggested, **kept)
