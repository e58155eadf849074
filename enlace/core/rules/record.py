"""Check one record against the rules of its dataset."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..dataset.spec import DatasetSpec, RuleSpec
from ..expression import Expression, Unsupported, in_words
from ..kinds import KINDS, Odd


@dataclass(frozen=True)
class Complaint:
    """What is wrong with a record: a sentence, the fields it is about, and the case.

    code: "required" (a value is missing), "missing" (the same, in a new record where nobody was there yet),
    "unreadable" (the text is no value), "check" (a condition of the table does not hold), "warning" (one that does
    not hold a save back), "server".
    """

    code: str
    sentence: str
    fields: tuple[str, ...]

    @property
    def holds_back(self) -> bool:
        """Whether a record can't be saved as long as this stands."""
        return self.code != "warning"


class RecordRules:
    """The rules of a dataset, made ready once."""

    def __init__(self, dataset: DatasetSpec) -> None:
        self.dataset = dataset
        self._labels = {f.name.lower(): f.label for f in dataset.fields}
        self._checks: list[tuple[RuleSpec, Expression]] = []
        for rule in dataset.rules:
            try:
                self._checks.append((rule, Expression(rule.expression, [f.name for f in dataset.fields])))
            except Unsupported:
                continue  # The server checks it on save.

    def complaints(self, record: Mapping[str, Any], touched: frozenset[str], new: bool) -> list[Complaint]:
        """What is wrong with a record.

        record: stored values by field; a new record lacks the fields that nobody filled. touched: the fields
        somebody edited: only what concerns them is told, so that old faults don't hold back other edits.
        """
        found = []
        for field in self.dataset.fields:
            if not field.required or field.generated:
                continue
            if record.get(field.name) is None and field.name in touched:
                found.append(Complaint("required", f"{field.label} needs a value.", (field.name,)))
            elif new and field.name not in record and field.default is None:
                found.append(Complaint("missing", f"{field.label} needs a value before saving.", (field.name,)))
        return found + self._broken(record, touched)

    def _broken(self, record: Mapping[str, Any], touched: frozenset[str]) -> list[Complaint]:
        found = []
        typed: dict[str, Any] = {}
        for rule, expression in self._checks:
            if not expression.names & touched or not expression.names <= record.keys():
                continue
            for name in expression.names - typed.keys():
                field = self.dataset.by_name[name]
                value = KINDS[field.kind].read(record[name], field)
                typed[name] = value.raw if isinstance(value, Odd) else value
            # A CHECK is broken only when it is false; unknown passes (ISO/IEC 9075-2, 4.25.3 "check constraints").
            if expression(typed) in (False, 0):
                code = "warning" if rule.severity == "warning" else "check"
                sentence = with_values(self.dataset, self.sentence(rule, expression), record)
                found.append(Complaint(code, sentence, tuple(sorted(expression.names))))
        return found

    def sentence(self, rule: RuleSpec, expression: Expression) -> str:
        """What a rule demands, for people."""
        if rule.message:
            return rule.message
        clause = in_words(expression.tree, self._labels)
        return f"{clause}." if clause else f"The table asks that {rule.expression}."

    def by_constraint(self, constraint: str) -> tuple[str, tuple[str, ...]] | None:
        """The sentence and the fields of the rule that a server named, by its name or its text."""
        flat = "".join(constraint.split()).lower()
        for rule, expression in self._checks:
            if constraint == rule.name or flat == "".join(rule.expression.split()).lower():
                return self.sentence(rule, expression), tuple(sorted(expression.names))
        return None


def with_values(dataset: DatasetSpec, sentence: str, record: Mapping[str, Any]) -> str:
    """A message with the record's values in place of {field}."""

    def value(found: re.Match[str]) -> str:
        field = dataset.by_name.get(found[1])
        return found[0] if field is None else KINDS[field.kind].text(record.get(field.name), field) or "nothing"

    return re.sub(r"\{([^{}]+)\}", value, sentence)
