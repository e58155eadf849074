"""What a save or a rehearsal came to, and its form as text: the answer to a request that is sent again."""

from __future__ import annotations

import json
from dataclasses import dataclass, field

from enlace.core.draft.pending import Conflict
from enlace.core.rules import Complaint
from enlace.core.save import SaveOutcome

Address = tuple[str, str]  # (part, record id)


@dataclass
class SaveReport:
    """What a save or a rehearsal came to. held: what held records back before the server was asked. also:
    what the database did beside, in sentences."""

    outcomes: dict[str, SaveOutcome] = field(default_factory=dict)
    held: dict[Address, list[Complaint]] = field(default_factory=dict)
    also: list[str] = field(default_factory=list)

    @property
    def saved(self) -> dict[Address, str]:
        return {(p, was): now for p, o in self.outcomes.items() if o.committed for was, now in o.ids.items()}

    @property
    def conflicts(self) -> list[Address]:
        return [(p, conflict) for p, o in self.outcomes.items() for conflict in o.conflicts]

    @property
    def refusals(self) -> dict[Address, list[Complaint]]:
        return {(p, identifier): told for p, o in self.outcomes.items() for identifier, told in o.refusals.items()}

    @property
    def not_tried(self) -> dict[Address, str]:
        return {(p, identifier): why for p, o in self.outcomes.items() for identifier, why in o.not_tried.items()}

    @property
    def failed(self) -> list[Address]:
        """The records that need somebody's attention, the first one first."""
        return list(dict.fromkeys([*self.held, *self.conflicts, *self.refusals]))

    def to_text(self) -> str:
        """The report as text: which records were saved under which ids, and what was said of the others."""
        outcomes = {
            name: {
                "committed": outcome.committed,
                "ids": outcome.ids,
                "conflicts": {i: [c.theirs is None, c.kind, c.id] for i, c in outcome.conflicts.items()},
                "refusals": {i: [_line(c) for c in told] for i, told in outcome.refusals.items()},
                "not_tried": outcome.not_tried,
            }
            for name, outcome in self.outcomes.items()
        }
        held = [[part, identifier, [_line(c) for c in told]] for (part, identifier), told in self.held.items()]
        return json.dumps({"outcomes": outcomes, "held": held, "also": self.also}, ensure_ascii=False)

    @classmethod
    def from_text(cls, text: str) -> SaveReport:
        """The report behind `to_text`. Of a conflict it knows only of which kind it is; the draft has the rest."""
        body = json.loads(text)
        outcomes = {}
        for name, item in body["outcomes"].items():
            outcomes[name] = SaveOutcome(
                committed=item["committed"],
                ids=item["ids"],
                conflicts={
                    i: Conflict(None if gone else {}, kind, to) for i, (gone, kind, to) in item["conflicts"].items()
                },
                refusals={i: [_complaint(line) for line in told] for i, told in item["refusals"].items()},
                not_tried=item["not_tried"],
            )
        held = {(part, identifier): [_complaint(line) for line in told] for part, identifier, told in body["held"]}
        return cls(outcomes, held, body["also"])


def _line(complaint: Complaint) -> list:
    return [complaint.code, complaint.sentence, list(complaint.fields)]


def _complaint(line: list) -> Complaint:
    code, sentence, names = line
    return Complaint(code, sentence, tuple(names))
