"""The connection test, one file a server kind. To add one, add a file and name it in `run`."""

from .run import StepOutcome, run_step, step_names

__all__ = ["StepOutcome", "run_step", "step_names"]
