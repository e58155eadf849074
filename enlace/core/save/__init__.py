"""Save a draft: one transaction that locks, compares, writes and reads back what the server made."""

from .journal import JournalLine, journal, taken_back
from .outcome import SaveOutcome
from .run import rehearse, save

__all__ = ["JournalLine", "SaveOutcome", "journal", "rehearse", "save", "taken_back"]
