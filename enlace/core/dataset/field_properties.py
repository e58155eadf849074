"""What a builder settles about one field: each property checked, so that no form can be broken by it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ..expression import Expression, Unsupported
from ..kinds import KINDS, Formats
from ..kinds.knowledge import KNOWN, BadPicture, pattern_fault, picture_of
from ..kinds.patterns import BadPattern, pattern_of
from ..listed import names_of, names_text
from ..model.dataset import DatasetSpec, FieldSpec, LookupSpec
from ..problem import Problem
from .conditional_formats import ROW, TONES, tone_fields
from .narrowing import narrowing
from .source import names_for, source_of

LEAST_WIDTH, MOST_WIDTH = 40, 800
LONGEST = 2000
ALIGNS = {"": "As the kind", "start": "Left", "center": "Middle", "end": "Right"}
# Kinds that show the same stored values.
ALIKE = (("text", "longtext"), ("whole", "yesno"), ("binary", "picture"))
CALCULATED = ("text", "whole", "decimal", "yesno", "date", "time", "datetime")


def kinds_for(field: FieldSpec) -> tuple[str, ...]:
    """The kinds that a field may be given."""
    if field.formula:
        return CALCULATED
    own = getattr(KINDS[field.kind], "like", field.kind)  # of an extension's kind, the one that it is a form of
    alike = next((some for some in ALIKE if own in some), (own,))
    alike = (*alike, *(name for name, kind in KINDS.items() if getattr(kind, "like", "") in alike))
    return tuple(k for k in alike if k != "yesno" or field.storage in ("", "int", "int1", "int2", "int4", "int8"))


def with_property(dataset: DatasetSpec, field: FieldSpec, name: str, text: str, server: str) -> FieldSpec:
    """The field with a property given as text; "" takes it away. Raises Problem with a sentence."""
    text = text.strip() if name not in ("pattern",) else text
    if len(text) > LONGEST:
        raise Problem(f"At most {LONGEST} characters fit here.", "Shorten it.", code="bad")
    if name.startswith("lookup."):
        made = replace(field, lookup=_lookup(dataset, field, name.removeprefix("lookup."), text))
    else:
        made = PROPERTIES[name](dataset, field, text)
    if name in ("formula", "conditional_formats"):
        _computable(dataset, made, server)
    return made


def _computable(dataset: DatasetSpec, field: FieldSpec, server: str) -> None:
    """Raises Problem when the server can't compute a field's formula or tones."""
    others = tuple(f for f in dataset.extra if f.name != field.name and not f.name.startswith("\1"))
    fields = tuple(field if f.name == field.name else f for f in dataset.fields)
    extra = (*others, *([field] if field.formula else []), *tone_fields([field]))
    changed = replace(dataset, fields=fields, extra=extra)
    source = source_of(changed, server)
    try:
        for other_field in extra:
            source.column(other_field.name)
    except Unsupported as error:
        hint = "Use the names of this dataset's fields, numbers, texts in single quotes, and SQL's operators."
        raise Problem(f"This can't be computed: {error}", hint, code="bad") from None
    except KeyError as error:
        raise Problem(f"This can't be computed: there is no {error}.", "Use names from the list.", code="bad") from None


def expression_fault(dataset: DatasetSpec, text: str) -> str:
    """Why a text is no expression over a record of the dataset; "" when it is one."""
    try:
        Expression(text, names_for(dataset))
    except Unsupported as error:
        return str(error)
    return ""


def _expression(name: str) -> Callable[[DatasetSpec, FieldSpec, str], FieldSpec]:
    def put(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
        if text and (fault := expression_fault(dataset, text)):
            raise Problem(f"This is not understood: {fault}", "Use names of the dataset's fields.", code="bad")
        changes: dict[str, Any] = {name: text}
        return replace(field, **changes)

    return put


def _formula(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    if not field.formula:
        raise Problem(f"{field.label} is a column of the table.", "Add a calculated field instead.", code="bad")
    if not text:
        raise Problem("A calculated field needs an expression.", "Type one, or remove the field.", code="bad")
    return _expression("formula")(dataset, field, text)


def _label(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    label = " ".join(text.split())[:120]
    if not label:
        raise Problem("The label is empty.", "Type what people should read above the field.", code="bad")
    return replace(field, label=label)


def _width(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    if not text.isdecimal() or not LEAST_WIDTH <= int(text[:6]) <= MOST_WIDTH:
        hint = f"Type a number of pixels from {LEAST_WIDTH} to {MOST_WIDTH}."
        raise Problem(f"The width of {field.label} is not usable.", hint, code="bad")
    return replace(field, width=int(text))


def _chosen(name: str, known: Callable[[FieldSpec], Any]) -> Callable[[DatasetSpec, FieldSpec, str], FieldSpec]:
    def put(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
        if text not in known(field):
            raise Problem("This can't be chosen here.", "Choose one of the list.", code="bad")
        changes: dict[str, Any] = {name: text}
        return replace(field, **changes)

    return put


def _ticked(name: str) -> Callable[[DatasetSpec, FieldSpec, str], FieldSpec]:
    def put(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
        changes: dict[str, Any] = {name: text == "yes"}
        made = replace(field, **changes)
        if name == "hidden" and made.hidden and all(f.hidden for f in dataset.all if f.name != field.name):
            raise Problem("A form needs at least one field.", "Leave one shown.", code="bad")
        empties = field.nullable or field.kind in ("text", "longtext")  # an empty text is not NULL
        if name == "required" and not made.required and not empties and field.default is None:
            hint = "The table itself asks for a value."
            raise Problem(f"{field.label} can't be left empty.", hint, code="bad")
        if name == "read_only" and not made.read_only and (field.computed or field.formula or field.outside):
            raise Problem(f"{field.label} can't be edited.", "Its value is made, not entered.", code="bad")
        return made

    return put


def _format(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    if text:
        try:
            pattern_of(text, "en_GB", field.kind)
        except BadPattern as error:
            raise Problem("This format can't be used.", str(error), code="bad") from None
    return replace(field, format=text)


def _picture(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    if text:
        _texts_only(field)
        try:
            picture_of(text)
        except BadPicture as error:
            raise Problem("This picture can't be used.", str(error), code="bad") from None
    return replace(field, picture=text[:80])


def _pattern(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    if text:
        _texts_only(field)
    if fault := pattern_fault(text):
        raise Problem("This pattern can't be used.", fault, code="bad")
    return replace(field, pattern=text[:300])


def _texts_only(field: FieldSpec) -> None:
    if field.kind != "text":
        raise Problem("Only fields of text take this.", "Numbers and dates have display formats.", code="bad")


def _conditional_formats(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    tones = []
    for line in filter(None, map(str.strip, text.splitlines())):
        tone, separator, condition = (part.strip() for part in line.partition(":"))
        word, _, whole = " ".join(tone.lower().split()).partition(" ")
        if not separator or word not in TONES or whole not in ("", ROW):
            hint = f"The tones are {', '.join(TONES)}; “{ROW}” behind one means the whole row."
            raise Problem("Each line is a tone, a colon and a condition.", hint, code="bad")
        if fault := expression_fault(dataset, condition):
            raise Problem(f"{condition} is not understood: {fault}", "Use names of fields.", code="bad")
        tones.append((condition, " ".join(filter(None, (word, whole)))))
    return replace(field, conditional_formats=tuple(tones))


def conditional_formats_text(field: FieldSpec) -> str:
    """A field's conditional formats as `with_property` reads them."""
    return "\n".join(f"{tone}: {condition}" for condition, tone in field.conditional_formats)


def choices_text(lookup: LookupSpec | None) -> str:
    """A fixed list as `with_property` reads it."""
    return "\n".join(v if v == s else f"{v} = {s}" for v, s in (lookup.choices if lookup else ()))


def _lookup(dataset: DatasetSpec, field: FieldSpec, name: str, text: str) -> LookupSpec | None:
    lookup = field.lookup
    if name == "choices":
        return _fixed(field, text)
    if lookup is None:
        raise Problem("This field has no list.", "Choose where its list comes from first.", code="bad")
    if name == "others":
        return replace(lookup, others=text == "yes")
    if name == "shows":
        names = tuple(names_of(text))
        lacking = [name for name in names if name not in lookup.by_name]
        if not names or lacking:
            known = names_text(lookup.by_name)
            raise Problem(f"There is no column {', '.join(lacking) or '(none)'}.", f"There are {known}.", code="bad")
        return replace(lookup, shows=names)
    if name == "narrowed":
        made = replace(lookup, narrowed=text)
        if text:
            narrowing(dataset, made)
        return made
    raise Problem("There is no such property of a list.", "Reload the page.", code="bad")


def _fixed(field: FieldSpec, text: str) -> LookupSpec | None:
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if not lines:
        return None
    pairs = []
    for line in lines[:500]:
        value, separator, shown = (part.strip() for part in line.partition(" = "))
        KINDS[field.kind].parse(value, field, Formats.of("en_GB"))
        pairs.append((value, shown if separator else value))
    others = bool(field.lookup and field.lookup.others)
    return LookupSpec(choices=tuple(pairs), others=others)


def _kind(dataset: DatasetSpec, field: FieldSpec, text: str) -> FieldSpec:
    """Bytes are for looking at; as pictures they can be put in, where the table allows it."""
    made = _chosen("kind", kinds_for)(dataset, field, text)
    if {field.kind, made.kind} == {"binary", "picture"}:
        locked = made.kind == "binary" or bool(dataset.read_only_because) or made.generated
        return replace(made, read_only=locked)
    return made


PROPERTIES: dict[str, Callable[[DatasetSpec, FieldSpec, str], FieldSpec]] = {
    "label": _label,
    "width": _width,
    "help": lambda dataset, field, text: replace(field, help=" ".join(text.split())[:300]),
    "align": _chosen("align", lambda field: ALIGNS),
    "kind": _kind,
    "text_check": _chosen("text_check", lambda field: {"", *KNOWN} if field.kind == "text" else {""}),
    "required": _ticked("required"),
    "read_only": _ticked("read_only"),
    "hidden": _ticked("hidden"),
    "format": _format,
    "picture": _picture,
    "pattern": _pattern,
    "conditional_formats": _conditional_formats,
    "formula": _formula,
    "initial": _expression("initial"),
    "required_when": _expression("required_when"),
    "read_only_when": _expression("read_only_when"),
}
