"""What a file says of a connection, a dataset or a form: the columns of their models, those as they always are left out."""

from __future__ import annotations

from enum import Enum
from functools import cache
from typing import Any

from django.core.exceptions import ValidationError
from django.db import models

from enlace.core.problem import Problem
from enlace.desk.models import Arrangement, KeptView
from enlace.workshop.models import Connection, Dataset, Detail, Field, Form, Project, Rule, ServerAction

from .shapes import misshapen

# By model, the columns that stand in its part of a file, in their order; the first one names it.
COLUMNS: dict[type[models.Model], tuple[str, ...]] = {
    Project: ("name", "about", "opens", "density", "accent"),
    Connection: ("name", "kind", "parameters", "password_from", "variable", "receipts"),
    Dataset: (
        "name", "table", "query", "key", "compare", "version", "each", "sorted_by", "row_condition", "uniques", "locator", "is_view",
        "read_only_because", "details_known",
    ),
    Field: Field.PROPERTIES,
    Rule: ("expression", "name", "message", "severity", "runs", "marks", "own"),
    Form: ("title", "whole", "most_failures", "may_keep", "listed", "section", "place", "about", "counted"),
    Detail: ("name", "title", "columns", "master_columns"),
    ServerAction: ("title", "question", "guard", "unmet", "statements", "done"),
    Arrangement: ("part", "grid", "name", "columns", "lines", "striped", "merged", "totals", "split"),
    KeptView: ("name", "part", "asked"),
}  # fmt: skip
# Always said, even where they are as they always are: a reader looks for them first.
SAID = {"name", "title", "table", "kind", "label", "expression"}


def body(item: models.Model) -> dict[str, Any]:
    """What its part of a file says of something."""
    said = {}
    for name, always in _compared()[type(item)]:
        value = getattr(item, name)
        if (name in SAID and value not in (None, "")) or value != always:
            said[name] = value
    return said


@cache
def _compared() -> dict[type[models.Model], tuple[tuple[str, Any], ...]]:
    """By model, each column with what it always is: to be compared with alone, since it may be a list."""
    return {model: tuple((name, _always(model, name)) for name in names) for model, names in COLUMNS.items()}


def _always(model: type[models.Model], name: str) -> Any:
    always = model._meta.get_field(name).get_default()
    return always.value if isinstance(always, Enum) else always


def fill(item: models.Model, said: Any, where: str) -> list[str]:
    """Set what a file says of something, and what it does not say to what it always is; the names of the columns.

    Raises Problem, naming the place, for what does not fit.
    """
    model = type(item)
    names = COLUMNS[model]
    if not isinstance(said, dict):
        raise Problem(f"{where} should be names with values.", "See docs/project.schema.json.", code="bad")
    if beyond := [name for name in said if name not in names and name not in OTHERS.get(model, ())]:
        raise Problem(
            f"{where} has {beyond[0]}, which nothing is called here.", f"It may have {', '.join(names)}.", code="bad"
        )
    # A column that the file leaves out goes back to what it always is: a file says all, or two people would get
    # different projects from it.
    for name in names:
        value = said.get(name, _always(model, name))
        _check(model._meta.get_field(name), value, f"{where}, {name}")
        if wrong := misshapen(model, name, value):
            raise Problem(
                f"{where}, {name}{wrong}.", "Mend it in the file; docs/project.schema.json says how.", code="bad"
            )
        setattr(item, name, value)
    return list(names)


# What stands in a file beside the columns of its model.
OTHERS: dict[type[models.Model], tuple[str, ...]] = {
    Project: ("format", "version"),
    Dataset: ("connection", "fields", "rules"),
    Form: ("dataset", "sheet", "details", "actions", "arrangements", "views"),
    Detail: ("dataset", "of"),
}
TYPES = {
    models.BooleanField: (bool, "true or false"),
    models.PositiveIntegerField: (int, "a whole number"),
    models.PositiveSmallIntegerField: (int, "a whole number"),
    models.CharField: (str, "a text"),
    models.TextField: (str, "a text"),
}


def _check(field: Any, value: Any, where: str) -> None:
    if value is None and field.null:
        return
    kind, words = TYPES.get(type(field), (None, ""))
    # True is an int to Python, and would pass for the width 1.
    if kind is not None and (not isinstance(value, kind) or (kind is int and isinstance(value, bool))):
        raise Problem(f"{where} should be {words}, and is {value!r:.60}.", "Mend it in the file.", code="bad")
    # A column of JSON: what it always is tells whether a list or a mapping belongs there.
    if kind is None:
        always = field.get_default()
        if always is not None and not isinstance(value, type(always)):
            raise Problem(
                f"{where} should be a {type(always).__name__}, and is {value!r:.60}.",
                "Mend it in the file.",
                code="bad",
            )
        return
    if field.choices and value not in (choices := [choice for choice, _ in field.flatchoices]):
        told = ", ".join(str(choice) or "nothing" for choice in choices)
        raise Problem(f"{where}: it can be {told}, and is {value!r:.60}.", "Mend it in the file.", code="bad")
    try:
        field.run_validators(value)
    except ValidationError as error:
        raise Problem(f"{where}: {' '.join(error.messages)}", "Mend it in the file.", code="bad") from None
