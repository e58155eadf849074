"""The connection test: steps in an order, each a fact found or a sentence that says what to do."""

from __future__ import annotations

import threading
from dataclasses import dataclass

from sqlalchemy.exc import SQLAlchemyError

from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..dialects import server_kind
from ..dialects.mariadb import MariaDB
from ..dialects.network import NetworkServer
from ..dialects.postgresql import PostgreSQL
from ..engine import explained
from . import sqlite
from .mariadb import MariaDBProbe
from .network import NetworkProbe
from .postgresql import PostgreSQLProbe
from .reflected import ReflectedProbe
from .step import Step, Steps

STEP_SECONDS = 20.0


@dataclass(frozen=True)
class StepOutcome:
    """One step of the test: what was found, or the problem that stopped it."""

    label: str
    found: str = ""
    problem: Problem | None = None

    @property
    def ok(self) -> bool:
        return self.problem is None


def steps_of(spec: ConnectionSpec) -> Steps:
    """The steps for a connection's kind of server, in order."""
    kind = server_kind(spec.kind)
    return probe_of(kind).steps() if isinstance(kind, NetworkServer) else sqlite.STEPS


def probe_of(kind: NetworkServer) -> NetworkProbe:
    """What asks such a server."""
    if isinstance(kind, PostgreSQL):
        return PostgreSQLProbe(kind)
    if isinstance(kind, MariaDB):
        return MariaDBProbe(kind)
    return ReflectedProbe(kind, VERSIONS[kind.name])


# What asks servers that are read by reflection for their versions.
VERSIONS = {"oracle": "SELECT banner FROM v$version WHERE rownum = 1", "sqlserver": "SELECT @@version"}


def step_names(spec: ConnectionSpec) -> list[str]:
    """The labels of the steps, in order."""
    return [label for label, _ in steps_of(spec)]


def run_step(spec: ConnectionSpec, number: int) -> StepOutcome:
    """Run one step (counted from 0). Never raises for what a server or a file does; IndexError past the last.

    Waited for at most STEP_SECONDS: what sends a byte now and then would hold a step for as long as it likes.
    """
    label, step = steps_of(spec)[number]
    outcomes: list[StepOutcome] = []
    worker = threading.Thread(target=lambda: outcomes.append(_outcome(spec, label, step)), daemon=True, name="step")
    worker.start()
    worker.join(STEP_SECONDS)
    if outcomes:
        return outcomes[0]
    what, hint = "It does not answer in time.", "Check the port and the kind of server, or try again later."
    return StepOutcome(label, problem=Problem(what, hint, code="away"))


def _outcome(spec: ConnectionSpec, label: str, step: Step) -> StepOutcome:
    try:
        return StepOutcome(label, step(spec))
    except Problem as problem:
        return StepOutcome(label, problem=problem)
    except SQLAlchemyError as error:
        return StepOutcome(label, problem=explained(spec, error))
    except OSError as error:
        what = "The file went away." if server_kind(spec.kind).is_file else "The connection to the server broke off."
        return StepOutcome(label, problem=Problem(what, "Try again.", str(error), "away"))
