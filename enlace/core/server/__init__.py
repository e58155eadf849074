"""A database server: how to reach it, what it holds, what it says when it refuses."""

from ..model.catalog import Check, Column, Reference, Table, Unique
from ..model.connection import ConnectionSpec
from .catalog import Catalog
from .engine import forget_engine, forget_engines, reading, writing
from .probing import StepOutcome, run_step, step_names
from .refusal import Refusal

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
