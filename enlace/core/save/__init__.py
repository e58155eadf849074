"""Save a draft: one transaction that locks, compares, writes and reads back what the server made."""

from .outcome import SaveOutcome
from .run import save

__all__ = ["SaveOutcome", "save"]
