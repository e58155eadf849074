"""A database server: how to reach it, what it holds, what it says when it refuses."""

from .catalog import Catalog, Check, Column, Reference, Table, Unique
from .engine import ConnectionSpec, forget_engine, forget_engines, reading, writing
from .refusal import Refusal
from .steps import StepOutcome, run_step, step_names

__all__ = [
    "Catalog",
    "Check",
    "Column",
    "ConnectionSpec",
    "Reference",
    "Refusal",
    "StepOutcome",
    "Table",
    "Unique",
    "forget_engine",
    "forget_engines",
    "reading",
    "run_step",
    "step_names",
    "writing",
]
