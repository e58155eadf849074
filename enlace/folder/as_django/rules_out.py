"""Rules of a dataset as conditions that its database is asked, with values in the place of its columns."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from enlace.core.dataset.source import names_for
from enlace.core.expression import Expression, Unsupported
from enlace.core.expression.push import Sql, condition
from enlace.core.model.dataset import DatasetSpec, RuleSpec
from enlace.core.rules import RecordRules

# What a value is taken for: one that is bound has no type by itself.
CASTS = {
    "sqlite": {"whole": "INTEGER", "decimal": "NUMERIC", "yesno": "INTEGER", "": "TEXT"},
    "postgresql": {
        "whole": "bigint", "decimal": "numeric", "yesno": "boolean", "date": "date", "datetime": "timestamp",
        "time": "time", "": "text",
    },
    "mariadb": {
        "whole": "SIGNED", "decimal": "DECIMAL(65, 20)", "yesno": "SIGNED", "date": "DATE", "datetime": "DATETIME(6)",
        "time": "TIME(6)", "": "CHAR",
    },
}  # fmt: skip
MARK = "\ue000{}\ue001"


@dataclass(frozen=True)
class RuleOut:
    """A rule: its condition with `%(column)s` for values, the columns that it asks for, what to say, where, and how badly."""

    condition: str
    columns: tuple[str, ...]
    sentence: str
    marks: tuple[str, ...]
    error: bool


def rules_of(dataset: DatasetSpec, server: str) -> tuple[list[RuleOut], list[str]]:
    """The rules of a dataset, and what can't be asked of the database alone."""
    made, told = [], []
    if server not in CASTS:
        return [], [f"{dataset.table}: rules are not written for this kind of server yet."] if dataset.rules else []
    known = RecordRules(dataset)
    for rule in [*dataset.rules, *_required(dataset)]:
        try:
            expression = Expression(rule.expression, names_for(dataset))
            made.append(_made(dataset, server, rule, expression, rule.message or known.sentence(rule, expression)))
        except Unsupported as problem:
            told.append(f"{dataset.table}: the rule {rule.expression} is left out. {problem}")
    return made, told


def _required(dataset: DatasetSpec) -> Iterator[RuleSpec]:
    for field in dataset.fields:
        if field.required_when:
            condition = f'NOT ({field.required_when}) OR "{field.name}" IS NOT NULL'
            yield RuleSpec(condition, message=f"{field.label} needs a value.", marks=(field.name,))


def _made(dataset: DatasetSpec, server: str, rule: RuleSpec, expression: Expression, sentence: str) -> RuleOut:
    asked: list[str] = []

    def column(name: str) -> Sql:
        field = dataset.by_name.get(name)
        if field is None:
            raise Unsupported(f"It asks for {name}, which is not of the record alone.")
        asked.append(name)
        kind = "text" if field.kind == "longtext" else field.kind
        casts = CASTS[server]
        return Sql(f"CAST({MARK.format(name)} AS {casts.get(kind, casts[''])})", kind)

    text = condition(expression, server, column).replace("%", "%%")
    for name in dict.fromkeys(asked):
        text = text.replace(MARK.format(name), f"%({key_of(dataset, name)})s")
    marks = tuple(rule.marks or dict.fromkeys(asked))
    return RuleOut(text, tuple(dict.fromkeys(asked)), sentence, marks, rule.severity != "warning")


def key_of(dataset: DatasetSpec, name: str) -> str:
    """What the value of a column is called in the conditions of `rules_of`: its own name may hold what no such name may."""
    return f"c{dataset.numbers[name]}"
