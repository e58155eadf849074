"""Expressions of a dataset that name what is not there: calculated fields, conditions of fields, rules."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from ..dataset.source import names_for
from ..expression import Expression, Unsupported
from ..model.dataset import DatasetSpec
from .base import Fault, Wired, ended


def expressions(wired: Wired) -> Iterator[Fault]:
    for source, dataset in wired.datasets.items():
        if dataset is None or not wired.document.tied(source):
            continue
        known = names_for(dataset)
        for what, text in _texts(dataset, wired.kept):
            try:
                Expression(text, known)
            except Unsupported as error:
                sentence = f"{what} is not understood: {error}"
                yield Fault("expressions", ended(sentence), "error", "", source)


def _texts(dataset: DatasetSpec, kept: Collection[str]) -> Iterator[tuple[str, str]]:
    for field in (*dataset.fields, *dataset.extra):
        if field.formula:
            yield f"The formula of {field.label}", field.formula
        if field.required_when:
            yield f"When {field.label} is required", field.required_when
        if field.read_only_when:
            yield f"When {field.label} is read only", field.read_only_when
        for condition, _ in field.conditional_formats:
            yield f"A highlight of {field.label}", condition
    for rule in dataset.rules:
        if rule.expression in kept:
            continue  # its server sees to it, whether it is understood here or not
        yield f"The rule “{(rule.message or rule.name or rule.expression)[:60]}”", rule.expression
