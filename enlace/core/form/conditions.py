"""Conditions of controls over the record that they show."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..dataset.compiled import derived
from ..dataset.source import names_for
from ..expression import Expression, Unsupported
from ..model.dataset import DatasetSpec
from ..rules.computed import holds


@derived
def read_condition(dataset: DatasetSpec, text: str) -> Expression | str:
    """A condition over the record's own fields, read once; a sentence where it can't be."""
    try:
        expression = Expression(text, names_for(dataset))
    except Unsupported as error:
        return f"“{text[:60]}” is not understood: {error}"
    # What would have to be asked of the server would have to be asked again for each record that one moves to.
    far = [name for name in expression.names if name not in dataset.any_name]
    if far:
        return f"“{text[:60]}” asks for {far[0]}: a control is shown by fields of its own record."
    return expression


def shown(dataset: DatasetSpec, text: str, values: Mapping[str, Any]) -> bool:
    """Whether a control is shown with a record; a condition that is not understood hides nothing."""
    if not text:
        return True
    condition = read_condition(dataset, text)
    return isinstance(condition, str) or holds(condition, values)
