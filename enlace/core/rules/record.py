"""Check one record against the rules of its dataset."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..dataset.source import names_for
from ..expression import Expression, ExpressionError, Unsupported, arithmetic, in_words
from ..expression.columns import Together, by_columns
from ..expression.parse import MASTER
from ..kinds import KINDS, raw_text
from ..model.dataset import DatasetSpec, FieldSpec, RuleSpec
from ..model.whole_column import whole
from .computed import Computed, RecordValues, holds
from .together import MISSING, UNTOLD, Columns, breaks, surely_held

SAID = re.compile(r"\{([^{}]+)\}")  # in a message, what a record's value stands for


@dataclass(frozen=True)
class Complaint:
    """What is wrong with a record: a sentence, the fields it is about, and the case.

    code: "required" (a value is missing), "missing" (the same, in a new record where nobody was there yet),
    "unreadable" (the text is no value), "check" (a condition of the table does not hold), "warning" (one that does
    not hold a save back), "save" (a rule that was looked at when a save was tried), "server".
    """

    code: str
    sentence: str
    fields: tuple[str, ...]

    @property
    def holds_back(self) -> bool:
        """Whether a record can't be saved as long as this stands."""
        return self.code != "warning"


# A rule with its expression, that as a function, and of it: what it needs of the record itself, the fields that it is
# about, whether it adds up details.
_Ready = tuple[RuleSpec, Expression, Callable[[Any], Any], frozenset[str], frozenset[str], bool]

NOTHING = (None, "")  # an empty text is no value where one is needed


class RecordRules:
    """The rules of a dataset, made ready once.

    >>> depth = FieldSpec("depth_m", "Depth", "whole")
    >>> berths = DatasetSpec("berth", (depth,), rules=(RuleSpec("depth_m > 0", message="A berth needs water."),))
    >>> [complaint.sentence for complaint in RecordRules(berths).complaints({"depth_m": -1}, frozenset({"depth_m"}), new=True)]
    ['A berth needs water.']
    """

    def __init__(self, dataset: DatasetSpec) -> None:
        self.dataset = dataset
        self.computed = Computed(dataset)
        self._labels = {f.name.lower(): f.label for f in dataset.all}
        self._checks: list[tuple[RuleSpec, Expression]] = []
        for rule in dataset.rules:
            try:
                self._checks.append((rule, Expression(rule.expression, names_for(dataset))))
            except Unsupported:
                continue  # The server checks it on save.
        needed = [frozenset(self.computed.needed(expression)) for _, expression in self._checks]
        self._scopes = [
            (frozenset(n for n in item if "." not in n), frozenset(self._fields_of(item)), any("(" in n for n in item))
            for item in needed
        ]
        ready = [
            (rule, expression, expression.run, *scope)
            for (rule, expression), scope in zip(self._checks, self._scopes, strict=True)
        ]
        # The rules that run for (a new record, a save that is tried).
        self._running: dict[tuple[bool, bool], Sequence[_Ready]] = {
            (new, saving): [
                pair for pair in ready if pair[0].runs in ("always", "new" if new else "", "save" if saving else "")
            ]
            for new in (True, False)
            for saving in (True, False)
        }
        self._own = frozenset(name for own, _, _ in self._scopes for name in own)
        needed += [
            frozenset(self.computed.needed(said)) for rule, _ in self._checks for said in self._said(rule.message)
        ]
        self.related = self.computed.related | {name for item in needed for name in item if "." in name}
        self.of_master = self.computed.of_master | {n for n in self.related if n.startswith(f"{MASTER}.")}
        self._required = [f for f in dataset.fields if f.required and not f.generated]
        named = {name for _, expression in self._checks for name in expression.names}
        self._together: dict[Expression, Together | None] = {}
        self._read = {n: self.computed.readers[n] for n in named if n in self.computed.readers}
        # Whether rules are about nothing but what the record itself holds.
        self.plain = not self.related and len(self._read) == len(named)
        self._at_times = [
            (f, self.computed.required[f.name])
            for f in dataset.fields
            if f.name in self.computed.required and not (f.required or f.generated)
        ]

    def complaints(
        self,
        record: Mapping[str, Any],
        touched: frozenset[str],
        new: bool,
        related: Mapping[str, Any] | None = None,
        saving: bool = False,
    ) -> list[Complaint]:
        """What is wrong with a record. saving: a save is tried, so that the rules are checked that wait for one.

        record: stored values by field; a new record lacks the fields that nobody filled. touched: the fields
        somebody edited: only what concerns them is told, so that old faults don't hold back other edits. related: the
        values of the names in `self.related`; what needs one that is not there is not checked.
        """
        told: list[Complaint] = []
        values = self.computed.values(record, related, new)
        for field in self._required:
            if record.get(field.name) in NOTHING:
                self._lacks(told, field, field.name in touched, new and field.name not in record)
        for field, condition in self._at_times:
            if record.get(field.name) in NOTHING and holds(condition, values):
                touches = field.name in touched or (bool(touched) and field.name in record)
                self._lacks(told, field, touches, new and field.name not in record)
        # Entered once for all rules of the record.
        with arithmetic():
            self._broken(told, values, record, touched, self._running[new, saving])
        return told

    def lacks(self, record: Mapping[str, Any], touched: Collection[str], new: bool) -> bool:
        """Whether `complaints` surely tells of a value that is missing, whatever else it tells. Arguments as there.

        >>> name = FieldSpec("name", "Name", "text", required=True)
        >>> RecordRules(DatasetSpec("berth", (name,))).lacks({}, frozenset(), new=True)
        True
        """
        return any(
            record.get(field.name) in NOTHING
            and (field.name in touched or (new and field.default is None and field.name not in record))
            for field in self._required
        )

    def sound(self, records: Sequence[Mapping[str, Any]], new: bool, saving: bool = False) -> list[bool]:
        """Whether there is surely nothing to say of each of some records, whatever of them was edited. The others have to be
        looked at with `complaints`. Arguments as there.

        >>> berths = DatasetSpec("berth", (FieldSpec("depth_m", "Depth", "whole"),), rules=(RuleSpec("depth_m > 0"),))
        >>> RecordRules(berths).sound([{"depth_m": 9}, {"depth_m": -1}], new=True)
        [True, False]
        """
        named = {name for _, _, _, own, _, _ in self._running[new, saving] for name in own}
        named |= {field.name for field in (*self._required, *(field for field, _ in self._at_times))}
        columns = {name: whole([record.get(name, MISSING) for record in records]) for name in named}
        return self.sound_columns(columns, len(records), new, saving)

    def sound_columns(self, columns: Columns, count: int, new: bool, saving: bool = False) -> list[bool]:
        """As `sound` of as many records, of which each field's values are a column: MISSING where a record has none."""
        if not self.plain:
            return [False] * count
        fine = [True] * count
        for field in (*self._required, *(field for field, _ in self._at_times)):
            column = columns.get(field.name) or whole([None] * count)
            classes = column.classes
            # Looked at as a whole first; one by one by its class: to tell a Decimal from a text takes Python longer than all else.
            if classes & {type(None), type(MISSING)} or (str in classes and "" in column):
                fine = [
                    so and value is not None and value is not MISSING and (value.__class__ is not str or value != "")
                    for so, value in zip(fine, column, strict=True)
                ]
        plain = self.computed.plain
        readers = {n: None if whole(columns.get(n, ())).classes <= plain[n] else read for n, read in self._read.items()}
        with arithmetic():
            for _, expression, run, own, _, _ in self._running[new, saving]:
                # Of what is not there nothing is said.
                if own <= columns.keys():
                    its = {name: columns[name] for name in own}
                    held = surely_held(run, its, count, readers, self._by_columns(expression))
                    if not all(held):
                        fine = [so and holds_so for so, holds_so in zip(fine, held, strict=True)]
        return fine

    def _by_columns(self, expression: Expression) -> Together | None:
        if expression not in self._together:
            self._together[expression] = by_columns(expression)
        return self._together[expression]

    def _lacks(self, complaints: list[Complaint], field: FieldSpec, touches: bool, not_there_yet: bool) -> None:
        """Say that a field needs a value: once somebody touched it, or of a new record before it is saved."""
        if touches:
            complaints.append(Complaint("required", f"{field.label} needs a value.", (field.name,)))
        # Nobody was there yet: kept back until a save, or a new record would begin with a row of complaints.
        elif not_there_yet and field.default is None:
            complaints.append(Complaint("missing", f"{field.label} needs a value before saving.", (field.name,)))

    def _broken(
        self,
        complaints: list[Complaint],
        values: RecordValues,
        record: Mapping[str, Any],
        touched: frozenset[str],
        running: Sequence[_Ready],
    ) -> None:
        there = record.keys()
        whole = self._own <= there
        for rule, expression, run, own, concerned, adds in running:
            # One over details may be broken by an edit of a detail, without anybody having touched the record itself.
            if not adds and concerned.isdisjoint(touched):
                continue
            if not whole and not own <= there:
                continue
            if _is_broken(run, values):
                sentence = with_values(self.dataset, self.sentence(rule, expression), record, values)
                complaints.append(Complaint(_code(rule), sentence, tuple(sorted(rule.marks or concerned))))

    def _said(self, message: str) -> Iterator[Expression]:
        """What a message says of records beside its own: read with what the rule itself needs."""
        for name in SAID.findall(message):
            try:
                if "." in name:
                    yield Expression(name, names_for(self.dataset))
            except Unsupported:
                continue  # stays as it is written

    def _fields_of(self, needed: frozenset[str]) -> set[str]:
        """The saved fields behind names: a lookup's own field for what is looked up."""
        names = {name for name in needed if name in self.dataset.by_name}
        owners = {name.partition(".")[0] for name in needed if "." in name and "(" not in name}
        return names | {self.dataset.looked_up[owner][0].name for owner in owners if owner in self.dataset.looked_up}

    def complaints_over(
        self, table: str, record: Mapping[str, Any], related: Mapping[str, Any], saving: bool = False
    ) -> list[Complaint]:
        """The rules that add up details in a table and are broken by a master's record, marking the added columns."""
        names = {d.name for d in self.dataset.details if d.table == table}
        complaints = []
        values = self.computed.values(record, related)
        for rule, expression in self._checks:
            added = [n.partition("(")[2][:-1].partition(".") for n in expression.names if "(" in n]
            columns = tuple(column for detail, _, column in added if detail in names)
            now = rule.runs == "always" or (rule.runs == "save" and saving)
            if now and columns and expression(values) in (False, 0):
                sentence = with_values(self.dataset, self.sentence(rule, expression), record, values)
                complaints.append(Complaint(_code(rule), sentence, columns))
        return complaints

    def over_details(self, table: str) -> bool:
        """Whether a rule adds up details in a table."""
        names = {d.name for d in self.dataset.details if d.table == table}
        return any(name.partition("(")[2].partition(".")[0] in names for name in self.related if "(" in name)

    def sentence(self, rule: RuleSpec, expression: Expression) -> str:
        """What a rule demands, for people."""
        if rule.message:
            return rule.message
        clause = in_words(expression.tree, self._labels)
        return f"{clause[:1].upper()}{clause[1:]}." if clause else f"This does not hold: {rule.expression}."

    def by_constraint(self, constraint: str) -> tuple[str, tuple[str, ...]] | None:
        """The sentence and the fields of the rule that a server named, by its name or its text."""
        flat = "".join(constraint.split()).lower()
        for rule, expression in self._checks:
            if constraint == rule.name or flat == "".join(rule.expression.split()).lower():
                return self.sentence(rule, expression), tuple(sorted(expression.names))
        return None


def _is_broken(run: Callable[[Any], Any], values: Mapping[str, Any]) -> bool | None:
    """Whether a rule is broken; None where it needs something that was not read, or can't be computed: the server tells."""
    try:
        return breaks(run(values))
    except UNTOLD:
        return None


def _code(rule: RuleSpec) -> str:
    return "warning" if rule.severity == "warning" else "save" if rule.runs == "save" else "check"


def with_values(
    dataset: DatasetSpec, sentence: str, record: Mapping[str, Any], values: Mapping[str, Any] | None = None
) -> str:
    """A message with the record's values in place of {field}, {lookup.column} and {sum(detail.column)}."""

    def value(match: re.Match[str]) -> str:
        field = dataset.any_name.get(match[1])
        if field is not None and field.name in record:
            return KINDS[field.kind].text(record[field.name], field) or "nothing"
        try:
            made = (values or {})[match[1]]
        except (KeyError, ExpressionError):
            return "nothing" if field is not None else match[0]
        return "nothing" if made is None else raw_text(made)

    return SAID.sub(value, sentence)
