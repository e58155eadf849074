"""Asks the database whether a record keeps its rules."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.core.exceptions import ValidationError
from django.db import connections


@dataclass(frozen=True)
class Rule:
    """condition: SQL, false where the rule is broken. columns: (name of a value in it, column) pairs. marks: columns."""

    condition: str
    columns: tuple[tuple[str, str], ...]
    sentence: str
    marks: tuple[str, ...] = ()
    error: bool = True


def broken(rules: tuple[Rule, ...], record: Mapping[str, Any], using: str) -> list[Rule]:
    """The rules that a record breaks; record: values by column. A rule about a column that it lacks is not asked."""
    told = []
    with connections[using].cursor() as cursor:
        for rule in rules:
            if all(column in record for _, column in rule.columns):
                values = {name: record[column] for name, column in rule.columns}
                cursor.execute(f"SELECT CASE WHEN NOT ({rule.condition}) THEN 1 ELSE 0 END", values)
                if cursor.fetchone()[0] == 1:  # unknown is not broken, as in a CHECK
                    told.append(rule)
    return told


def errors_of(rules: list[Rule], fields: Mapping[str, str]) -> ValidationError | None:
    """The broken rules that hold a save back, beside the fields that they mark. fields: names in a form by column."""
    several: dict[str, list[str]] = {}
    for rule in rules:
        if rule.error:
            at = next((fields[column] for column in rule.marks if column in fields), "__all__")
            several.setdefault(at, []).append(rule.sentence)
    return ValidationError(several) if several else None
