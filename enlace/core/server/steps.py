"""The connection test: steps in an order, each a fact found or a sentence that says what to do."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.exc import SQLAlchemyError

from ..problem import Problem
from .dialects import server_kind
from .engine import ConnectionSpec, explained


@dataclass(frozen=True)
class StepOutcome:
    """One step of the test: what was found, or the problem that stopped it."""

    label: str
    found: str = ""
    problem: Problem | None = None

    @property
    def ok(self) -> bool:
        return self.problem is None


def step_names(spec: ConnectionSpec) -> list[str]:
    """The labels of the steps, in order."""
    return [label for label, _ in server_kind(spec.kind).test_steps()]


def run_step(spec: ConnectionSpec, number: int) -> StepOutcome:
    """Run one step (counted from 0). Never raises for what a server or a file does; IndexError past the last."""
    label, step = server_kind(spec.kind).test_steps()[number]
    try:
        return StepOutcome(label, step(spec))
    except Problem as problem:
        return StepOutcome(label, problem=problem)
    except SQLAlchemyError as error:
        return StepOutcome(label, problem=explained(spec, error))
    except OSError as error:
        return StepOutcome(label, problem=Problem("The file went away.", "Try again.", str(error), "missing"))
